"""The meshes of a glTF document: their triangles, as points and indices."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.morph import Weights, morphed
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.scene import Vec

TRIANGLES, STRIP, FAN = 4, 5, 6


def mesh_name(document: GltfDocument, number: int) -> str | None:
    """The name of a mesh, or None when the file gives it none."""
    name = document.items("meshes")[number].get("name")
    return name if isinstance(name, str) and name else None


MeshCache = dict[tuple[int, Weights], tuple[Vec, NDArray[np.int32]]]
"""What was read of each mesh with each of the weights that it is drawn with."""


def read_mesh(
    document: GltfDocument, number: int, cache: MeshCache, weights: Weights = ()
) -> tuple[Vec, NDArray[np.int32]]:
    """(vertices (n, 3) float64, faces (m, 3) int32) of all triangle primitives of a mesh, joined. ``weights``: of its morph targets.

    Raises FileError.
    """
    key = (number, weights)
    if key in cache:
        return cache[key]
    primitives = document.item("meshes", number, "a node")["primitives"]
    vertices, faces, base = [], [], 0
    for i, primitive in enumerate(primitives):
        found = read_primitive(document, primitive, f"meshes[{number}].primitives[{i}]", weights)
        if found is None:
            continue
        points, triangles = found
        vertices.append(points)
        faces.append(triangles + base)
        base += len(points)
    cache[key] = (
        np.concatenate(vertices) if vertices else np.zeros((0, 3)),
        np.concatenate(faces).astype(np.int32) if faces else np.zeros((0, 3), np.int32),
    )
    return cache[key]


def draws_lines(primitive: Json) -> bool:
    """Whether a primitive draws points or lines: something to follow, not something that stands."""
    return primitive.get("mode", TRIANGLES) not in (TRIANGLES, STRIP, FAN)


def drawn_primitives(document: GltfDocument, number: int) -> list[int]:
    """Which primitives of a mesh are made of triangles."""
    primitives = document.item("meshes", number, "a node")["primitives"]
    return [i for i, p in enumerate(primitives) if p.get("mode", TRIANGLES) in (TRIANGLES, STRIP, FAN)]


def read_primitive(
    document: GltfDocument, primitive: Json, where: str, weights: Weights = ()
) -> tuple[Vec, NDArray[np.int64]] | None:
    """(points (n, 3) float64, triangles (m, 3)) of a primitive; None when it draws points or lines.

    Raises FileError.
    """
    mode = primitive.get("mode", TRIANGLES)
    if mode not in (TRIANGLES, STRIP, FAN):
        return None
    if "KHR_draco_mesh_compression" in primitive.get("extensions", {}):
        raise FileError(f"{where} is compressed, which is not read; export it without compression")
    points = document.accessor(primitive["attributes"].get("POSITION"), f"{where}.POSITION").astype(np.float64)
    if points.ndim != 2 or points.shape[1] != 3:
        raise FileError(f"{where}.POSITION is not made of 3D points; export it again")
    if not np.isfinite(points).all():
        row = int(np.flatnonzero(~np.isfinite(points).all(axis=1))[0])
        raise FileError(f"{where}.POSITION: vertex {row} is not a finite number; mend the model and export it again")
    points = morphed(document, primitive, points, weights, where)
    if "indices" in primitive:
        indices = document.accessor(primitive["indices"], f"{where}.indices").astype(np.int64)
        if indices.ndim != 1:
            raise FileError(f"{where}.indices are not single numbers; export it again")
    else:
        indices = np.arange(len(points), dtype=np.int64)
    if len(indices) and int(indices.max()) >= len(points):
        raise FileError(
            f"{where}.indices: {int(indices.max())} is out of range (there are {len(points)} vertices); export it again"
        )
    return points, triangles_of(indices, mode, where)


def triangles_of(indices: NDArray[np.int64], mode: int, where: str) -> NDArray[np.int64]:
    """(m, 3) the triangles of a list, a strip or a fan (glTF 2.0, section 3.7.2.1). ``indices``: (n,). Raises FileError."""
    if mode == TRIANGLES:
        if len(indices) % 3:
            raise FileError(f"{where}.indices: {len(indices)} is not a multiple of three; export it again")
        return indices.reshape(-1, 3)
    if len(indices) < 3:
        return np.zeros((0, 3), np.int64)
    if mode == FAN:
        return np.stack([np.full(len(indices) - 2, indices[0]), indices[1:-1], indices[2:]], axis=1)
    runs = np.stack([indices[:-2], indices[1:-1], indices[2:]], axis=1)
    runs[1::2] = runs[1::2][:, [1, 0, 2]]
    return runs
