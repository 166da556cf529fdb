"""One prop from a file of any format read: its mesh in metres, +Y up."""

from pathlib import Path

import numpy as np

from brickseat_core.formats.boundary import reading
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.model import UpAxis
from brickseat_core.formats.opening import known, open_document, upright
from brickseat_core.formats.plain import PLAIN, read_plain
from brickseat_core.geometry.lengths import Unit
from brickseat_core.geometry.mesh import Mesh, MeshError
from brickseat_core.scene import Seat, Vec, carried, named_apart

MOST_TRIANGLES = 5_000_000
"""Of one prop, all that it draws of one mesh counted each time."""


def read_prop(path: Path, unit: Unit | None = None, up: UpAxis | None = None) -> Mesh:
    """The whole file as one mesh. ``unit``, ``up``: as in ``open_document``. Raises FileError.

    Plain formats keep their full precision: they do not pass through the 32-bit coordinates of glTF.
    """
    with reading(path):
        return whole_file(path, unit, up)


def whole_file(path: Path, unit: Unit | None, up: UpAxis | None) -> Mesh:
    """As ``read_prop``. Raises FileError, and whatever readers stumble over."""
    if known(path) not in PLAIN:
        return whole_mesh(open_document(path, unit, up), str(path))
    surfaces = [s for part in upright(read_plain(path), unit, up).parts for s in part.surfaces]
    first = np.cumsum([0, *(len(s.vertices) for s in surfaces)])
    try:
        return Mesh(
            np.concatenate([s.vertices for s in surfaces]),
            np.concatenate([s.faces + n for s, n in zip(surfaces, first, strict=False)]).astype(np.int32),
        )
    except MeshError as error:
        raise FileError(f"{path}: {error}; mend the model and export it again") from None


def whole_mesh(document: GltfDocument, where: str) -> Mesh:
    """All that a glTF document draws, as one mesh in world coordinates. Raises FileError."""
    return whole_prop(document, where)[0]


def whole_prop(document: GltfDocument, where: str) -> tuple[Mesh, tuple[Seat, ...]]:
    """All that a glTF document draws, as one mesh in world coordinates, and the seats on it. Raises FileError."""
    try:
        found = read_set(document)
    except FileError as error:
        raise FileError(f"{where}: {error}") from None
    pieces = found.dressed.pieces.values()
    seats = named_apart(carried(seat, piece.pose) for piece in pieces for seat in piece.prop.seats)
    total = sum(len(piece.prop.mesh.faces) for piece in pieces)
    if total > MOST_TRIANGLES:
        raise FileError(f"{where}: draws {total} triangles; at most {MOST_TRIANGLES} are read, thin it out")
    vertices: list[Vec] = []
    faces = []
    base = 0
    for piece in pieces:
        mesh = piece.prop.mesh
        vertices.append(piece.pose.apply(mesh.vertices))
        faces.append((mesh.faces[:, ::-1] if np.linalg.det(piece.pose.linear) < 0 else mesh.faces) + base)
        base += len(mesh.vertices)
    return Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32)), seats
