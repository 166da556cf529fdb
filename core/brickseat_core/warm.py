"""Compile every kernel once, by doing a little of the real job."""

from collections.abc import Callable

import numpy as np

from brickseat_core.contact.bearing import bearing_among
from brickseat_core.contact.contacts import ManyContacts
from brickseat_core.contact.depth import column, penetration
from brickseat_core.contact.face_gap import face_gap, faces_ahead
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import first_hit
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.fit.rest import rest
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.crossings import intervals_inside
from brickseat_core.geometry.cube import cube
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.shapes import contact_shape
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.proposals.fill.filling import Filling
from brickseat_core.proposals.scatter.laying import Scatter
from brickseat_core.recipes.fill_schema import parse_fill
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import parse_recipe
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Region, Set, Triple, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE

CUBE = Prop("cube", "cube", cube())
WEDGE = Prop(
    "wedge", "wedge", Mesh(cube().vertices * np.array([[1, 1, 1 - 0.3 * (k & 2)] for k in range(8)]), cube().faces)
)
SUNK = Piece("sunk", "sunk", CUBE, Pose((2.0, 0.3, 0.0)))
FLOOR = Piece("floor", "floor", CUBE, Pose.from_parts((0, -0.5, 0), (0, 0, 0, 1), (9, 1, 9)), role="bearer")


def standing_cubes(*more: Piece) -> SceneIndex:
    """A floor, a cube above it, and more."""
    return SceneIndex([FLOOR, cube_piece("afloat", (0.0, 0.6, 0.0)), *more])


def cube_piece(key: str, at: Triple) -> Piece:
    """A cube with its centre at ``at``."""
    return Piece(key, key, CUBE, Pose(at))


def warm_drop() -> None:
    """Trees, and the drop of a piece onto others."""
    index = standing_cubes()
    set_down(index, index.pieces["afloat"])


def warm_check() -> None:
    """The fit check, and what a tie measures."""
    index = standing_cubes()
    check(index)
    row, down = index.row["floor"], np.array([0.0, -1.0, 0.0])
    first_hit(index, np.array([0.1, 5.0, 0.2]), down, only=row)
    faces_ahead(index, row, np.array([[0.1, 5.0, 0.2]]), down)
    face_gap(index, index.pieces["afloat"], row, down)


def warm_repair() -> None:
    """Repair of what is sunk, and what is beside it."""
    repair(standing_cubes(SUNK, cube_piece("beside", (2.9, 0.5, 0.0))))


def warm_bearing() -> None:
    """What bears a piece, and the grip that holds one that leans."""
    index = standing_cubes()
    bearing_among(index, index.pieces["afloat"], index.row["afloat"], (), (), 0.0, 10.0, (1e-4, 5e-4))


def warm_depth() -> None:
    """How deep two pieces are in each other."""
    index = standing_cubes(SUNK)
    penetration(index, SUNK, index.row["floor"])


def warm_retreat() -> None:
    """How far a piece is to be raised until it is free."""
    index = standing_cubes(SUNK)
    mover, near = column(index, SUNK, index.row["sunk"])
    first_free_interval(index, mover, near, index.probes_of(SUNK))


def warm_rest() -> None:
    """A piece that tilts until it stands."""
    pose = Pose.of(rotation_about(np.array([0.0, 0.0, 1.0]), 0.2), np.array([-2.0, 1.0, 0.0]))
    rest(standing_cubes(), cube_piece("aslant", (0.0, 0.0, 0.0)).at(pose))


def warm_pointing() -> None:
    """The ghost under the pointer."""
    point(standing_cubes(), CUBE, np.array([0.1, 5.0, 0.2]), np.array([0.0, -1.0, 0.0]), Slip())


def warm_shapes() -> None:
    """Contact shapes and what is inside a mesh."""
    contact_shape(CUBE.mesh, "ball")
    intervals_inside(CUBE.mesh.tree, np.array([0.1, 0.2, 0.0]), np.array([0.0, 0.0, 1.0]))


def warm_scatter() -> None:
    """Many pieces laid by a recipe, leaning and with elbow room."""
    data = {
        "props": [{"prop": "cube", "size": [0.05, 0.1], "lean": 0.5, "elbow_room_m": 0.1}],
        "on": ["floor"],
        "count": 12,
        "no_overlap": "elbow",
    }
    index = SceneIndex([FLOOR])
    places = Places(Set.of("set", [FLOOR]), index)
    Scatter(places, parse_recipe(data), [CUBE], "recipe", str, lambda prop, number: f"{number}", SEATED_TOLERANCE).run()
    raised = [cube_piece(f"{n}", (0.1 * n, 4.0, 0.0)) for n in range(40)]
    index.put_all(raised)
    ManyContacts(index, raised).cuts(0, 40)


def warm_fill() -> None:
    """A bay filled with boxes and with something round."""
    niche = Region("niche", "niche", CUBE, Pose((0.0, 0.5, 0.0)))
    dressed = Set.of("set", [FLOOR])
    dressed = Change("marked out", (Delta("region", "niche", None, niche),)).on(dressed)
    props = [{"prop": "cube", "size": [0.2, 0.3], "turn_step_deg": 45}, {"prop": "wedge", "size": [0.2, 0.2]}]
    recipe = parse_fill({"bay": "niche", "props": props, "count": 8, "rough": 0.3})
    places = Places(dressed, SceneIndex([FLOOR]))
    Filling(places, recipe, [CUBE, WEDGE], "recipe", str, lambda prop, number: f"{number}", SEATED_TOLERANCE).run()


STEPS: tuple[tuple[str, Callable[[], None]], ...] = (
    ("drop", warm_drop),
    ("fit check", warm_check),
    ("pointing", warm_pointing),
    ("repair", warm_repair),
    ("rest", warm_rest),
    ("contact shapes", warm_shapes),
    ("scatter", warm_scatter),
    ("fill", warm_fill),
    ("retreat", warm_retreat),
    ("depth", warm_depth),
    ("bearing", warm_bearing),
)
"""From either end, so that two processes have long work each before they meet."""


def warm(
    on_progress: Callable[[int, int, str], None] = lambda done, total, what: None, backwards: bool = False
) -> None:
    """Run each kernel on a few cubes. ``on_progress(done, total, what)`` is called before each step.

    ``backwards``: from the last step to the first, as a second process does that compiles beside one that goes forwards: what
    one of them compiles, the other one finds.
    """
    for done, (what, step) in enumerate(reversed(STEPS) if backwards else STEPS):
        on_progress(done, len(STEPS), what)
        step()
    on_progress(len(STEPS), len(STEPS), "ready")
