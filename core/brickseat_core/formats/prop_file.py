"""One prop from a file of any format read: its mesh in metres, +Y up, as the file says."""

from pathlib import Path

import numpy as np
import trimesh

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import read_mesh, read_set
from brickseat_core.meshes.mesh import Mesh, MeshError
from brickseat_core.scene import Pose, Vec

GLTF = (".glb", ".gltf")
PLAIN = (".obj", ".ply", ".stl")
MOST_BYTES = 1 << 30


def read_prop(path: Path) -> Mesh:
    """The whole file as one mesh. Raises FileError."""
    kind = path.suffix.lower()
    if kind in GLTF:
        return whole_mesh(GltfDocument.open(path), str(path))
    if kind not in PLAIN:
        raise FileError(f"{path}: “{kind}” is not read; use one of {', '.join((*GLTF, *PLAIN))}")
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FileError(f"{path}: is larger than 1 GB; export it in parts")
        loaded = trimesh.load(path, force="mesh", process=False, skip_materials=True)
    except OSError as error:
        raise FileError(f"{path}: cannot be read ({error.strerror}); check the path") from None
    except FileError:
        raise
    except Exception as error:  # noqa: BLE001  (the readers of this library raise whatever they stumble on)
        raise FileError(
            f"{path}: is not a readable {kind[1:].upper()} file ({type(error).__name__}); export it again"
        ) from None
    if not isinstance(loaded, trimesh.Trimesh):
        raise FileError(f"{path}: it has no triangles; export the surface of the model")
    try:
        return Mesh(np.asarray(loaded.vertices, dtype=np.float64), np.asarray(loaded.faces, dtype=np.int32))
    except MeshError as error:
        raise FileError(f"{path}: {error}; mend the model and export it again") from None


def whole_mesh(document: GltfDocument, where: str) -> Mesh:
    """All that a glTF document draws, as one mesh in world coordinates."""
    try:
        found = read_set(document)
    except FileError as error:
        raise FileError(f"{where}: {error}") from None
    vertices: list[Vec] = []
    faces = []
    base = 0
    raw: dict[int, tuple[Vec, np.ndarray]] = {}
    for body in found.bodies.values():
        for part in body.parts:
            v, f = read_mesh(document, part.mesh, raw)
            pose = Pose.from_matrix(part.world)
            vertices.append(pose.apply(v))
            faces.append((f[:, ::-1] if np.linalg.det(pose.linear) < 0 else f) + base)
            base += len(v)
    return Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32))
