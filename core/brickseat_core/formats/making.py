"""A prop made from a file, in a process of its own: in metres and +Y up, bent as asked, and looked at in every way once before it is kept."""

import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from brickseat_core.formats.apart import run_apart
from brickseat_core.formats.boundary import reading
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import paint_of, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.group_pictures import groups_to_ask
from brickseat_core.formats.gltf.light import light_copy
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.skin import bend, joints_of
from brickseat_core.formats.gltf.surfaces import stiffen
from brickseat_core.formats.limits import check_mesh, check_poses
from brickseat_core.formats.model import UpAxis
from brickseat_core.formats.opening import open_document
from brickseat_core.formats.plain import PLAIN
from brickseat_core.formats.prop_file import MOST_TRIANGLES, whole_prop
from brickseat_core.geometry.lengths import Unit
from brickseat_core.geometry.questions import questions
from brickseat_core.scene import Piece, Pose, Prop, Region, Set

Turn = tuple[str, str, float]
"""Joint, axis (x, y or z), degrees."""
LIGHT_TRIANGLES = 500
"""Of the copy of a prop that weak machines show."""
MOST_PIECES = 20_000


def make_apart(path: Path, unit: Unit | None, up: UpAxis | None, turns: Sequence[Turn], made: Path) -> list[str]:
    """Make a prop of the model at ``path``, in a process of its own, and write it as GLB to ``made``; the joints of the model. Raises FileError."""
    joints: list[str] = run_apart(make, str(path), unit, up, list(turns), str(made))
    return joints


def make(path: str, unit: Unit | None, up: UpAxis | None, turns: Sequence[Turn], made: str) -> list[str]:
    """As ``make_apart``, in this process. Raises FileError."""
    with reading(path):
        return made_of(Path(path), unit, up, turns, made)


def made_of(path: Path, unit: Unit | None, up: UpAxis | None, turns: Sequence[Turn], made: str) -> list[str]:
    """As ``make``. Raises FileError, and whatever readers stumble over."""
    document = open_document(path, unit, up)
    joints = joints_of(document) if path.suffix.lower() not in PLAIN else []
    for joint, axis, degrees in turns:
        bend(document, joint, axis, degrees)
    stiffen(document)
    data = document.to_glb()
    look_at(data, path.suffix.lower().lstrip("."))
    Path(made).write_bytes(data)
    return joints


def look_at_set_apart(data: bytes) -> None:
    """Read a set and everything in it once, in a process of its own, before it is opened. Raises FileError."""
    run_on(data, look_at_set)


def ask_about_groups_apart(data: bytes) -> list[dict[str, Any]]:
    """As ``groups_to_ask`` of the bytes of a set, in a process of its own. Raises FileError."""
    found: list[dict[str, Any]] = run_on(data, ask_about_groups)
    return found


def run_on(data: bytes, look: Callable[[str], Any]) -> Any:
    """What ``look`` makes of a file with the bytes of a set, in a process of its own. Raises FileError, which does not name that file."""
    with tempfile.TemporaryDirectory(prefix="set-") as folder:
        path = Path(folder) / "set.glb"
        path.write_bytes(data)
        try:
            return run_apart(look, str(path))
        except FileError as problem:
            raise FileError(str(problem).replace(f"{path}: ", "")) from None


def ask_about_groups(path: str) -> list[dict[str, Any]]:
    """As ``ask_about_groups_apart``, in this process. Raises FileError."""
    with reading(path):
        return groups_to_ask(GltfDocument.open(Path(path)))


def look_at_set(path: str) -> None:
    """As ``look_at_set_apart``, in this process. Raises FileError."""
    with reading(path):
        look_at_all(GltfDocument.open(Path(path)))


def look_at_all(document: GltfDocument) -> None:
    """As ``look_at_set``. Raises FileError, and whatever readers stumble over."""
    check_materials(document)
    stiffen(document)
    found = read_set(document)
    if len(found.bodies) > MOST_PIECES:
        raise FileError(f"draws {len(found.bodies)} pieces; at most {MOST_PIECES} are opened, split it")
    standing: list[Piece | Region] = [*found.dressed.pieces.values(), *found.dressed.regions.values()]
    check_poses(standing)
    meshes = {each.prop.mesh.digest: each.prop.mesh for each in standing}
    if sum(len(mesh.faces) for mesh in meshes.values()) > MOST_TRIANGLES:
        raise FileError(f"has more than {MOST_TRIANGLES} triangles; split it, or thin it out")
    for mesh in meshes.values():
        check_mesh(mesh)
        _ = mesh.inertia, mesh.tree


def look_at(data: bytes, kind: str) -> None:
    """Everything that is ever asked of a prop's file, once, so that what is kept can always be read. Raises FileError."""
    document = GltfDocument.parse(data)
    check_materials(document)
    mesh, seats = whole_prop(document, "the model")
    check_mesh(mesh)
    questions(mesh, "prop", kind)
    _ = mesh.inertia, mesh.tree, mesh.digest
    light, _ = light_copy(GltfDocument.parse(data), LIGHT_TRIANGLES)
    read_set(GltfDocument.parse(light.to_glb()))
    piece = Piece("prop", "prop", Prop("prop", "prop", mesh, seats), Pose((0.0, 0.0, 0.0)))
    handed = set_document(Set.of("prop", [piece]), {"prop": GltfDocument.parse(data)})
    read_set(GltfDocument.parse(handed.to_glb()))


def check_materials(document: GltfDocument) -> None:
    """Raises FileError for a material that a page could not draw."""
    for number, material in enumerate(document.items("materials")):
        if not isinstance(material.get("name", ""), str):
            raise FileError(f"materials[{number}].name is not text; export it again")
        paint_of(document, number)
