"""Slide, push and size: seated all the way, stopped exactly, never through."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.budget import Budget, TooLong
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.moves import MoveRefused
from brickseat_core.placing import sliding
from brickseat_core.placing.sliding import Slid, slide, stepped
from brickseat_core.scene import Piece, Pose, rotation_about
from shapes import FLOOR, ball, bounds, box, made, piece, sheet, standing

WALL = piece("wall", box(0.01, 2, 6), (1.0, 1, 0), bearer=True)
STEP = piece("step", box(2, 0.1, 6), (2.0, 0.05, 0), bearer=True)


def moved(index: SceneIndex, p: Piece, by: tuple[float, float, float], climb: float = 0.15) -> Slid:
    found = slide(index, p, np.array(by), climb)
    fit = measure_fit(index, p.at(found.pose))
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert fit.depth <= 1e-6
    return found


def test_it_stops_at_a_thin_wall_exactly_and_goes_along_it() -> None:
    p = piece("box", box(0.3, 0.3, 0.3), (0, 0.15, 0))
    found = moved(standing(FLOOR, WALL, p), p, (3.0, 0.0, 0.0))
    assert found.pose.position == pytest.approx((0.845, 0.15, 0.0), abs=1e-9)
    assert found.against == ("wall",)
    along = moved(standing(FLOOR, WALL, p), p, (3.0, 0.0, 1.0))
    assert along.pose.position == pytest.approx((0.845, 0.15, 1.0), abs=1e-4)


def test_it_climbs_a_step_it_may_and_comes_down_again() -> None:
    p = piece("box", box(0.3, 0.3, 0.3), (0, 0.15, 0))
    index = standing(FLOOR, STEP, p)
    assert moved(index, p, (2.0, 0, 0)).pose.position == pytest.approx((2.0, 0.25, 0.0), abs=1e-9)
    assert moved(index, p, (4.0, 0, 0)).pose.position == pytest.approx((4.0, 0.15, 0.0), abs=1e-9)
    stopped = moved(index, p, (4.0, 0, 0), climb=0.05)
    assert stopped.pose.position == pytest.approx((0.85, 0.15, 0.0), abs=1e-9)


def test_it_slides_onto_a_plate_but_not_onto_the_jar_beside_it() -> None:
    p = piece("jar", box(0.2, 0.2, 0.2), (0, 0.1, 0))
    plate, jar = piece("plate", box(0.3, 0.02, 0.3), (0.5, 0.01, 0)), piece("other", box(0.2, 0.2, 0.2), (0.5, 0.1, 0))
    assert moved(standing(FLOOR, plate, p), p, (0.5, 0, 0), 0.2).pose.position == pytest.approx((0.5, 0.12, 0.0))
    stopped = moved(standing(FLOOR, jar, p), p, (0.5, 0, 0), 0.2)
    assert stopped.pose.position == pytest.approx((0.3, 0.1, 0.0), abs=1e-9)
    assert stopped.against == ("other",)


def test_a_ball_is_pushed_against_a_ball() -> None:
    a, b = piece("a", ball(0.1, 4), (0, 0.1, 0)), piece("b", ball(0.1, 4), (0.5, 0.1, 0.05))
    index = standing(FLOOR, a, b)
    found = moved(index, a, (0.34, 0, 0), climb=0.01)
    assert found.against == ("b",)
    middle = np.array(found.pose.position) - np.array(b.pose.position)
    assert math.hypot(*middle) == pytest.approx(0.2, abs=1e-3), "flat faces stand for the balls"
    assert found.pose.position[2] < 0.0, "it was turned aside"


@settings(max_examples=40, deadline=None)
@given(st.floats(-3, 3), st.floats(-3, 3), st.floats(0, 6.28))
def test_it_never_gets_through_a_closed_yard(x: float, z: float, turn: float) -> None:
    sides = [
        piece(f"side {k}", sheet([(-1, -0.1, -1), (1, -0.1, -1), (1, 1, -1), (-1, 1, -1)]), bearer=True)
        for k in range(4)
    ]
    yard = [
        s.at(Pose.of(rotation_about(np.array([0.0, 1.0, 0.0]), math.pi / 2 * k), np.zeros(3)))
        for k, s in enumerate(sides)
    ]
    p = piece("brick", box(0.3, 0.1, 0.15), (0, 0.05, 0))
    p = p.at(Pose.of(rotation_about(np.array([0.0, 1.0, 0.0]), turn), p.pose.origin))
    index = standing(FLOOR, *yard, p)
    found = moved(index, p, (x, 0.0, z), climb=0.05)
    corners = p.at(found.pose).pose.apply(p.prop.mesh.vertices)
    assert np.abs(corners[:, [0, 2]]).max() <= 1.0 + 1e-6


def test_moves_say_what_stopped_them_and_uneven_sizes_stay_seated() -> None:
    p = piece("box", box(0.3, 0.3, 0.3), (0, 0.15, 0))
    index = standing(FLOOR, WALL, STEP, p)
    pushed = made(index, {"kind": "push", "pieces": ["box"], "by": [3, 0, 0]}).change
    assert pushed.words == "pushed box against wall"
    after = made(index, {"kind": "slide", "pieces": ["box"], "by": [-0.5, 0, 0]}).change.pieces()["box"]
    assert after is not None
    assert after.pose.position == pytest.approx((-0.5, 0.15, 0.0), abs=1e-9)
    sized = made(index, {"kind": "size", "pieces": ["box"], "factor": [1.0, 2.0, 0.5]}).change.pieces()["box"]
    assert sized is not None
    lo, hi = bounds(sized)
    assert lo == pytest.approx([-0.15, 0.0, -0.075], abs=1e-9)
    assert hi == pytest.approx([0.15, 0.6, 0.075], abs=1e-9)


@pytest.mark.parametrize("thickness", [0.0, 1e-9, 0.002])
def test_a_card_on_edge_slides_to_its_end_in_few_steps(thickness: float, monkeypatch: pytest.MonkeyPatch) -> None:
    if thickness:
        card = piece("card", box(0.2, 0.3, thickness), (0, 0.15, 0))
    else:
        card = piece("card", sheet([(-0.1, 0, 0), (0.1, 0, 0), (0.1, 0.3, 0), (-0.1, 0.3, 0)]))
    index = standing(FLOOR, card)
    steps = []
    monkeypatch.setattr(sliding, "stepped", lambda *given: steps.append(1) or stepped(*given))
    for by in ((0.0, 0.0, 0.05), (0.05, 0.0, 0.0), (0.03, 0.0, -0.04)):
        steps.clear()
        found = slide(index, card, np.array(by), 0.1)
        assert np.array(found.pose.position) - np.array(card.pose.position) == pytest.approx(by, abs=1e-9)
        assert len(steps) <= 6


def test_a_thin_board_never_gets_through_a_thinner_wall() -> None:
    board = piece("board", box(0.3, 0.2, 0.002), (0, 0.1, 0))
    wall = piece("wall", sheet([(-2, 0, 0.7), (2, 0, 0.7), (2, 2, 0.7), (-2, 2, 0.7)]), bearer=True)
    low = piece("kerb", sheet([(-2, 0, 0.4), (2, 0, 0.4), (2, 0.03, 0.4), (-2, 0.03, 0.4)]), bearer=True)
    index = standing(FLOOR, wall, low, board)
    found = moved(index, board, (0.0, 0.0, 3.0), climb=0.1)
    assert found.pose.position[2] == pytest.approx(0.699, abs=1e-6)
    assert found.against == ("wall",)
    stopped = moved(index, board, (0.0, 0.0, 3.0), climb=0.01)
    assert stopped.pose.position[2] == pytest.approx(0.399, abs=1e-6)


def test_a_slide_ends_when_its_time_is_over() -> None:
    p = piece("box", box(0.3, 0.3, 0.3), (0, 0.15, 0))
    wide = piece("floor", box(300, 1, 300), (0.0, -0.5, 0.0), bearer=True)
    with pytest.raises(TooLong, match="too long"):
        slide(standing(wide, p), p, np.array([90.0, 0.0, 0.0]), 0.1, Budget(0.0))
    with pytest.raises(MoveRefused, match="farther than"):
        made(standing(wide, p), {"kind": "slide", "pieces": ["box"], "by": [200, 0, 0]})
