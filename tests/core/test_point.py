"""Live pointing and the moves: where a ghost sits, what it would clash with, and what a move changes."""

import math
from itertools import pairwise

import numpy as np
import pytest

from brickseat_core.contact.section import section
from brickseat_core.fit.check import check
from brickseat_core.moves import MoveRefused
from brickseat_core.placing.frames import TOUCH_SIDES, blended_up, shortest_rotation
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.scene import Piece, Pose, Prop
from shapes import FLOOR, ball, box, made, piece, revolved, sheet, standing

DOWNWARDS = np.array([0.0, -1.0, 0.0])
JAR = Prop("jar", "jar", box(0.1, 0.2, 0.14))


def slope(degrees: float):  # type: ignore[no-untyped-def]
    a = math.radians(degrees)
    along, across = np.array([math.cos(a), math.sin(a), 0.0]), np.array([0.0, 0.0, 1.0])
    corners = [tuple(4 * (s * along + t * across)) for s, t in ((-1, -1), (-1, 1), (1, 1), (1, -1))]
    return piece("slope", sheet(corners), bearer=True), np.array([-math.sin(a), math.cos(a), 0.0])


def test_a_ghost_on_a_table_touches_exactly() -> None:
    table = piece("table", box(1, 0.7, 1), (0.0, 0.35, 0.0), bearer=True)
    found = point(standing(FLOOR, table), JAR, np.array([0.2, 3.0, 0.1]), DOWNWARDS, Slip())
    assert found is not None
    assert found.on == "table"
    assert found.pose.position == pytest.approx((0.2, 0.8, 0.1), abs=1e-9)
    assert not found.clashes


def test_square_to_a_slope_it_stands_flat_on_it() -> None:
    ground, normal = slope(25)
    found = point(standing(ground), JAR, np.array([0.3, 5.0, 0.0]), DOWNWARDS, Slip(lean=1.0, follow="face"))
    assert found is not None
    up = found.pose.linear[:, 1]
    assert np.allclose(up, normal, atol=1e-9)
    lowest = (found.pose.apply(JAR.mesh.vertices) @ normal).min()
    assert lowest == pytest.approx(0.0, abs=1e-9)


def test_plumb_on_a_slope_it_touches_with_its_uphill_edge() -> None:
    ground, normal = slope(25)
    found = point(standing(ground), JAR, np.array([0.3, 5.0, 0.0]), DOWNWARDS, Slip())
    assert found is not None
    assert np.allclose(found.pose.linear, np.eye(3), atol=1e-12)
    assert (found.pose.apply(JAR.mesh.vertices) @ normal).min() == pytest.approx(0.0, abs=1e-9)


def test_on_a_wall_and_under_a_ceiling() -> None:
    wall = piece("wall", box(0.2, 3, 4), (-2.0, 1.5, 0.0), bearer=True)
    found = point(standing(FLOOR, wall), JAR, np.array([1.0, 1.2, 0.0]), np.array([-1.0, 0.0, 0.0]), Slip())
    assert found is not None
    assert found.direction == pytest.approx((-1.0, 0.0, 0.0))
    assert found.pose.apply(JAR.mesh.vertices)[:, 0].min() == pytest.approx(-1.9, abs=1e-9)
    ceiling = piece("ceiling", box(4, 0.2, 4), (0.0, 2.6, 0.0), bearer=True)
    found = point(standing(FLOOR, ceiling), JAR, np.array([0.0, 1.0, 0.0]), -DOWNWARDS, Slip())
    assert found is not None
    assert found.pose.apply(JAR.mesh.vertices)[:, 1].max() == pytest.approx(2.5, abs=1e-9)


def test_on_another_piece_and_clashing_with_its_neighbour() -> None:
    stool = piece("stool", box(0.3, 0.4, 0.3), (0.0, 0.2, 0.0))
    near = piece("jug", box(0.2, 1.0, 0.2), (0.22, 0.5, 0.0))
    found = point(standing(FLOOR, stool, near), JAR, np.array([0.09, 3.0, 0.0]), DOWNWARDS, Slip())
    assert found is not None
    assert found.on == "stool"
    assert [c.other for c in found.clashes] == ["jug"]
    assert found.clashes[0].depth == pytest.approx(0.02, abs=1e-9)


@pytest.mark.parametrize("side", TOUCH_SIDES)
def test_every_touch_side_ends_on_the_floor(side: str) -> None:
    shape = Prop("cup", "cup", revolved([(0, 0), (0.03, 0), (0.06, 0.1), (0, 0.1)]))
    found = point(standing(FLOOR), shape, np.array([0.0, 3.0, 0.0]), DOWNWARDS, Slip(side=side, turn=0.7))  # type: ignore[arg-type]
    assert found is not None
    assert found.pose.apply(shape.mesh.vertices)[:, 1].min() == pytest.approx(0.0, abs=1e-9)


def test_its_front_faces_where_the_pointer_aims() -> None:
    found = point(standing(FLOOR), JAR, np.array([0.0, 3.0, 0.0]), DOWNWARDS, Slip(aim=(1.0, 0.0, 1.0)))
    assert found is not None
    assert np.allclose(found.pose.linear[:, 2], np.array([1, 0, 1]) / math.sqrt(2), atol=1e-9)


def test_pointing_at_nothing_is_nothing() -> None:
    assert point(standing(FLOOR), JAR, np.array([0.0, 3.0, 0.0]), -DOWNWARDS, Slip()) is None


def test_the_way_up_turns_smoothly_over_a_ball() -> None:
    """Slid over a ball, a leaning prop never flips: small steps give small turns."""
    ups = [blended_up(np.array([math.sin(a), math.cos(a), 0.0]), 1.0) for a in np.linspace(0, 3.0, 200)]
    assert min(float(a @ b) for a, b in pairwise(ups)) > 0.999
    for normal in (np.array([0.0, -1.0, 0.0]), np.array([0.0, 1.0, 0.0])):
        assert np.allclose(shortest_rotation(np.array([0.0, 1.0, 0.0]), normal) @ [0, 1, 0], normal)


def test_moves_stay_seated_and_undo_exactly() -> None:
    step = piece("step", box(1, 0.2, 1), (1.0, 0.1, 0.0), bearer=True)
    jar = piece("jar", box(0.1, 0.2, 0.1), (0.3, 0.1, 0.0))
    index = standing(FLOOR, step, jar)
    before = dict(index.pieces)
    slid = made(index, {"kind": "slide", "pieces": ["jar"], "by": [0.6, 0, 0]}).change
    assert dict(index.pieces) == before
    after = slid.pieces()["jar"]
    assert after is not None
    assert after.pose.position == pytest.approx((0.9, 0.3, 0.0), abs=1e-9)
    assert slid.backwards().deltas[0].after == jar
    sized = made(index, {"kind": "size", "pieces": ["jar"], "factor": 2}).change.pieces()["jar"]
    assert sized is not None
    assert sized.pose.position == pytest.approx((0.3, 0.2, 0.0), abs=1e-9)
    bedded = made(index, {"kind": "bed", "pieces": ["jar"], "sink": 0.02}).change.pieces()["jar"]
    assert bedded is not None
    assert bedded.pose.position[1] == pytest.approx(0.08, abs=1e-9)
    copied = made(index, {"kind": "copy", "pieces": ["jar"], "by": [0.6, 0, 0]}).change.pieces()["new-1"]
    assert copied is not None
    assert copied.pose.position == pytest.approx((0.9, 0.3, 0.0), abs=1e-9)
    assert dict(index.pieces) == before


def test_spiked_pieces_and_bearers_refuse_to_move() -> None:
    index = standing(FLOOR, piece("lamp", box(0.1, 0.1, 0.1), (0.0, 0.05, 0.0), spiked=True))
    with pytest.raises(MoveRefused, match="spiked"):
        made(index, {"kind": "slide", "pieces": ["lamp"], "by": [1, 0, 0]})
    with pytest.raises(MoveRefused, match="spiked"):
        made(index, {"kind": "remove", "pieces": ["lamp"]})
    with pytest.raises(MoveRefused, match="bearer"):
        made(index, {"kind": "turn", "pieces": ["floor"], "angle_deg": 50})
    assert made(index, {"kind": "remove", "pieces": ["floor"]}).change.words == "took away floor"
    freed = made(index, {"kind": "spike", "pieces": ["lamp"], "spiked": False}).change.pieces()["lamp"]
    assert freed is not None
    assert not freed.spiked


def test_set_down_is_found_seated_by_the_check() -> None:
    index = standing(FLOOR, piece("rock", ball(0.2, 2), (0.4, 0.2, 0.0)), Piece("jar", "jar 1", JAR, Pose((3.0, 0, 0))))
    ghost = point(index, JAR, np.array([-0.5, 3.0, 0.2]), DOWNWARDS, Slip(turn=1.0))
    assert ghost is not None
    pose = {"position": ghost.pose.position, "orientation": ghost.pose.orientation}
    move = {"kind": "set_down", "prop": JAR.key, "pose": pose, "direction": ghost.direction}
    new = made(index, move).change.pieces()["new-1"]
    assert new is not None
    index.put(new)
    fit = check(index)["new-1"]
    assert fit.state == "seated"
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert new.name == "jar 2"


def test_the_feeler_shows_the_gap_to_scale() -> None:
    jar = piece("jar", box(0.1, 0.2, 0.1), (0.0, 0.11, 0.0))
    index = standing(FLOOR, jar)
    cut = section(index, jar, ["floor"], np.array([0.0, 0.005, 0.0]), 0.05)
    assert cut.piece[:, [1, 3]].min() == pytest.approx(0.005, abs=1e-12)
    top = cut.others["floor"]
    assert top[:, [1, 3]].max() == pytest.approx(-0.005, abs=1e-12)
    assert Pose((0.0, 0.0, 0.0)).orientation == (0.0, 0.0, 0.0, 1.0)


def test_the_feeler_cuts_two_that_clash_where_they_are_deepest_in_each_other() -> None:
    way = np.array([np.cos(0.5), 0.0, np.sin(0.5)])
    jar = piece("jar", ball(0.1, 3), (0.0, 0.5, 0.0))
    index = standing(jar, piece("mug", ball(0.1, 3), (0.19 * way[0], 0.5, 0.19 * way[2])))
    cut = section(index, jar, ["mug"], np.array([0.095 * way[0], 0.5, 0.095 * way[2]]), 0.06, way)
    assert cut.azimuth == pytest.approx(0.5)
    mine, theirs = cut.piece[:, [0, 2]], cut.others["mug"][:, [0, 2]]
    # The balls are of flat triangles, a little within the sphere.
    assert mine.max() - theirs.min() == pytest.approx(0.01, abs=1e-3)
    upright = section(index, jar, ["mug"], np.array([0.0, 0.4, 0.0]), 0.06, np.array([0.0, 1.0, 0.0]))
    assert upright.azimuth % (np.pi / 8) == pytest.approx(0.0, abs=1e-9), "square to nothing: where the gap is widest"
