"""Compile every kernel once, by doing a little of the real job."""

from collections.abc import Callable

import numpy as np

from brickseat_core.contact.face_gap import face_gap, faces_ahead
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import first_hit
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.fit.rest import rest
from brickseat_core.gravity.shapes import contact_shape
from brickseat_core.meshes.crossings import intervals_inside
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.scene import Piece, Pose, Prop, rotation_about

CUBE_FACES = (
    (0, 2, 3), (0, 3, 1), (4, 5, 7), (4, 7, 6), (0, 1, 5), (0, 5, 4),
    (2, 6, 7), (2, 7, 3), (0, 4, 6), (0, 6, 2), (1, 3, 7), (1, 7, 5),
)  # fmt: skip


def cube() -> Mesh:
    """A cube with edges of one metre about the origin."""
    corners = np.array([[x, y, z] for z in (-0.5, 0.5) for y in (-0.5, 0.5) for x in (-0.5, 0.5)])
    return Mesh(corners, np.array(CUBE_FACES, dtype=np.int32))


def warm(on_progress: Callable[[int, int, str], None] = lambda done, total, what: None) -> None:
    """Run each kernel on a few cubes. ``on_progress(done, total, what)`` is called before each step."""
    steps = 6
    prop = Prop("cube", "cube", cube())
    floor = Piece("floor", "floor", prop, Pose.from_parts((0, -0.5, 0), (0, 0, 0, 1), (9, 1, 9)), role="bearer")
    on_progress(0, steps, "trees")
    index = SceneIndex([floor, Piece("afloat", "afloat", prop, Pose((0.0, 0.6, 0.0)))])
    on_progress(1, steps, "drop and support")
    check(index)
    on_progress(2, steps, "clash, retreat and repair")
    index.put(Piece("sunk", "sunk", prop, Pose((2.0, 0.3, 0.0))))
    index.put(Piece("beside", "beside", prop, Pose((2.9, 0.5, 0.0))))
    repair(index)
    on_progress(3, steps, "rest")
    rest(
        index,
        Piece(
            "aslant", "aslant", prop, Pose.of(rotation_about(np.array([0.0, 0.0, 1.0]), 0.2), np.array([-2.0, 1, 0]))
        ),
    )
    on_progress(4, steps, "pointing")
    point(index, prop, np.array([0.1, 5.0, 0.2]), np.array([0.0, -1.0, 0.0]), Slip())
    on_progress(5, steps, "contact shapes")
    contact_shape(prop.mesh, "ball")
    intervals_inside(prop.mesh.tree, np.array([0.1, 0.2, 0.0]), np.array([0.0, 0.0, 1.0]))
    first_hit(index, np.array([0.1, 5.0, 0.2]), np.array([0.0, -1.0, 0.0]), only=index.row["floor"])
    faces_ahead(index, index.row["floor"], np.array([[0.1, 5.0, 0.2]]), np.array([0.0, -1.0, 0.0]))
    face_gap(index, index.pieces["afloat"], index.row["floor"], np.array([0.0, -1.0, 0.0]))
    on_progress(steps, steps, "ready")
