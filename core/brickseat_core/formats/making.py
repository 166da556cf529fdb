"""A prop made from a file, in a process of its own: in metres and +Y up, bent as asked, and looked at in every way once before it is kept."""

import tempfile
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from brickseat_core.formats.apart import run_apart
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_build import set_document
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import read_set
from brickseat_core.formats.gltf_skin import bend, joints_of
from brickseat_core.formats.gltf_surfaces import stiffen
from brickseat_core.formats.light import light_copy
from brickseat_core.formats.model import UpAxis
from brickseat_core.formats.opening import open_document
from brickseat_core.formats.plain import PLAIN
from brickseat_core.formats.prop_file import MOST_TRIANGLES, whole_prop
from brickseat_core.meshes.lengths import Unit
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.meshes.questions import questions
from brickseat_core.scene import Piece, Pose, Prop, Region, Set

Turn = tuple[str, str, float]
"""Joint, axis (x, y or z), degrees."""
LIGHT_TRIANGLES = 500
"""Of the copy of a prop that weak machines show."""
FARTHEST = 1e6
"""Metres from the origin at which nothing is placed any more: there a float64 is exact to a ten-millionth of a millimetre, as contact wants it."""
SMALLEST = 1e-6
"""Metres of the largest extent of a prop."""
LEAST_SCALE = 1e-6
MOST_FACTOR = 1000.0
"""Of a material: beyond it nobody meant it."""
MOST_PIECES = 20_000
MOST_COINCIDENT = 256
"""Triangles of the very same three places: more of them mean nothing, and each is asked with each other one."""


def make_apart(path: Path, unit: Unit | None, up: UpAxis | None, turns: Sequence[Turn], made: Path) -> list[str]:
    """Make a prop of the model at ``path``, in a process of its own, and write it as GLB to ``made``; the joints of the model. Raises FileError."""
    joints: list[str] = run_apart(make, str(path), unit, up, list(turns), str(made))
    return joints


def make(path: str, unit: Unit | None, up: UpAxis | None, turns: Sequence[Turn], made: str) -> list[str]:
    """As ``make_apart``, in this process. Raises FileError."""
    document = open_document(Path(path), unit, up)
    joints = joints_of(document) if Path(path).suffix.lower() not in PLAIN else []
    for joint, axis, degrees in turns:
        bend(document, joint, axis, degrees)
    stiffen(document)
    try:
        data = document.to_glb()
    except ValueError:
        raise FileError("holds a number that is not finite; mend the model and export it again") from None
    look_at(data, Path(path).suffix.lower().lstrip("."))
    Path(made).write_bytes(data)
    return joints


def look_at_set_apart(data: bytes) -> None:
    """Read a set and everything in it once, in a process of its own, before it is opened. Raises FileError."""
    with tempfile.TemporaryDirectory(prefix="set-") as folder:
        path = Path(folder) / "set.glb"
        path.write_bytes(data)
        try:
            run_apart(look_at_set, str(path))
        except FileError as problem:
            raise FileError(str(problem).replace(f"{path}: ", "")) from None


def look_at_set(path: str) -> None:
    """As ``look_at_set_apart``, in this process. Raises FileError."""
    document = GltfDocument.open(Path(path))
    check_materials(document)
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


def check_poses(standing: Sequence[Piece | Region]) -> None:
    """Raises FileError where something stands at a pose at which nothing can."""
    linear = np.array([each.pose.linear for each in standing]).reshape(-1, 3, 3)
    origin = np.array([each.pose.origin for each in standing]).reshape(-1, 3)
    far = ~(np.abs(np.concatenate([linear.reshape(-1, 9), origin], axis=1)).max(axis=1) <= FARTHEST)
    flat = ~(np.abs(np.linalg.det(np.where(far[:, None, None], np.eye(3), linear))) > LEAST_SCALE**3)
    for wrong, why in (
        (far, f"is farther than {FARTHEST:.0e} m away, or larger than that; is its unit right?"),
        (flat, "is flattened to nothing: its transform has no inverse; mend it and export it again"),
    ):
        if wrong.any():
            raise FileError(f"“{standing[int(np.flatnonzero(wrong)[0])].name}” {why}")


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
    """Raises FileError for a material that a page could not draw: what is no number where one is wanted."""
    for number, material in enumerate(document.items("materials")):
        where = f"materials[{number}]"
        if not isinstance(material.get("name", ""), str):
            raise FileError(f"{where}.name is not text; export it again")
        factors = material.get("pbrMetallicRoughness", {})
        if not isinstance(factors, dict):
            raise FileError(f"{where}.pbrMetallicRoughness is not an object; export it again")
        colour = factors.get("baseColorFactor", [1.0] * 4)
        figures = [factors.get("roughnessFactor", 1.0), factors.get("metallicFactor", 1.0)]
        figures += colour if isinstance(colour, list) and len(colour) == 4 else [None]
        # From 0 to 1 by the standard; what is a little beside that is drawn all the same.
        if not all(isinstance(f, int | float) and not isinstance(f, bool) and abs(f) <= MOST_FACTOR for f in figures):
            raise FileError(f"{where} has a factor that is not a number from 0 to 1; export it again")


def check_mesh(mesh: Mesh) -> None:
    """Raises FileError for a mesh that nothing can be said of: far away, without extent, or the same triangle over and over."""
    lo, hi = mesh.box
    if float(np.abs([lo, hi]).max()) > FARTHEST:
        raise FileError(f"reaches farther than {FARTHEST:.0e} m from its origin; is its unit right?")
    if float((hi - lo).max()) < SMALLEST:
        raise FileError(f"is smaller than {SMALLEST:.0e} m; is its unit right?")
    if not mesh.area > 0.0:
        raise FileError("has no surface: all of its triangles are lines or points; mend the model and export it again")
    places = np.sort(mesh.welded, axis=1)
    _, times = np.unique(places, axis=0, return_counts=True)
    if int(times.max()) > MOST_COINCIDENT:
        raise FileError(f"has the same triangle {int(times.max())} times; take the copies out and export it again")
