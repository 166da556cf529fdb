"""Any file that is read, as a glTF document; and a glTF document, as any file that is written."""

from pathlib import Path

import numpy as np

from brickseat_core.formats.boundary import reading
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Surface, parts_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.surfaces import model_of, stiffen
from brickseat_core.formats.model import Model, Part, UpAxis
from brickseat_core.formats.plain import PLAIN, plain_bytes, read_plain
from brickseat_core.formats.usd.reading import USD, read_apart
from brickseat_core.formats.usd.writing import usd_bytes
from brickseat_core.formats.writing import write_whole
from brickseat_core.geometry.lengths import METRES_PER, Unit
from brickseat_core.geometry.mesh import number_rows

GLTF = (".glb", ".gltf")
READ = (*GLTF, *PLAIN, *USD)
UP_TO_Y: dict[str, np.ndarray] = {
    "y": np.eye(3),
    "z": np.array([[1.0, 0.0, 0.0], [0.0, 0.0, 1.0], [0.0, -1.0, 0.0]]),
}


def known(path: Path) -> str:
    """The ending of a path, lower case, when it is one of those read and written. Raises FileError."""
    kind = path.suffix.lower()
    if kind not in READ:
        raise FileError(f"{path}: “{kind}” is neither read nor written; use one of {', '.join(READ)}")
    return kind


def open_document(path: Path, unit: Unit | None = None, up: UpAxis | None = None) -> GltfDocument:
    """The file as a glTF document in metres and +Y up.

    ``unit``, ``up``: what its numbers are to be taken for; as the file says by default, and metres and +Y where
    its format has no word for them. Raises FileError.
    """
    with reading(path):
        return opened(path, unit, up)


def opened(path: Path, unit: Unit | None, up: UpAxis | None) -> GltfDocument:
    """As ``open_document``. Raises FileError, and whatever readers stumble over."""
    kind = known(path)
    if kind in PLAIN:
        return parts_document((p.name, p.surfaces) for p in upright(read_plain(path), unit, up).parts)
    if kind in USD:
        stage = read_apart(path)
        said = stage.metres_per_unit or 1.0
        document = stage.document
    else:
        said = 1.0
        document = GltfDocument.open(path)
    factor = METRES_PER[unit] / said if unit is not None else 1.0
    if factor != 1.0 or up == "z":
        turn_roots(document, factor * UP_TO_Y[up or "y"])
    return document


def turn_roots(document: GltfDocument, linear: np.ndarray) -> None:
    """Hang everything the document draws under one node that sizes and turns it."""
    matrix = np.eye(4)
    matrix[:3, :3] = linear
    nodes = document.json.setdefault("nodes", [])
    for scene in document.items("scenes"):
        nodes.append(
            {
                "name": "as imported",
                "matrix": [float(v) for v in matrix.T.ravel()],
                "children": scene.get("nodes", []),
                "extras": {"brickseat": {"role": "bearer"}},
            }
        )
        scene["nodes"] = [len(nodes) - 1]


def upright(model: Model, unit: Unit | None, up: UpAxis | None) -> Model:
    """The same model in metres and +Y up, with corners at the same place made one vertex."""
    factor = METRES_PER[unit] if unit is not None else model.metres_per_unit or 1.0
    linear = factor * UP_TO_Y[up or model.up or "y"]
    return Model(
        tuple(Part(p.name, tuple(placed(welded(s), linear) for s in p.surfaces)) for p in model.parts), 1.0, "y"
    )


def placed(surface: Surface, linear: np.ndarray) -> Surface:
    """A surface with its vertices transformed by ``linear`` (3, 3)."""
    if np.array_equal(linear, np.eye(3)):
        return surface
    return Surface(surface.paint, surface.vertices @ linear.T, surface.faces, surface.colours)


def welded(surface: Surface) -> Surface:
    """Vertices of the very same position made one, where they have no colours of their own."""
    if surface.colours is not None:
        return surface
    number = number_rows(np.ascontiguousarray(surface.vertices + 0.0).view(np.int64))
    _, first = np.unique(number, return_index=True)
    return Surface(surface.paint, surface.vertices[first], number[surface.faces].astype(np.int32))


def save_document(document: GltfDocument, path: Path) -> None:
    """Write the document in the format of ``path``, beside its place and renamed into it. Raises FileError."""
    kind = known(path)
    if kind in GLTF:
        document.save(path)
        return
    stiffen(document)
    if kind in USD:
        write_whole(path, usd_bytes(document, path))
        return
    for place, data in sorted(plain_bytes(model_of(document), path).items(), key=lambda made: made[0] == path):
        write_whole(place, data)
