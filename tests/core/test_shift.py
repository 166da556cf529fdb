"""Bearers shifted: what stands on them comes along exactly as it stands, or stays where it is."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece
from dressing import Dressed
from shapes import FLOOR, box, piece

WALL = piece("wall", box(0.1, 2, 2), (1.0, 1.0, 0.0), bearer=True)
SHELF = piece("shelf", box(0.4, 0.04, 1.0), (-1.0, 0.8, 0.0), bearer=True)
JUG = piece("jug", box(0.1, 0.2, 0.1), (-1.0, 0.92, 0.1))
LID = piece("lid", box(0.1, 0.02, 0.1), (-1.0, 1.03, 0.1))
STOOL = piece("stool", box(0.3, 0.4, 0.3), (0.0, 0.2, 0.0))
CLOCK = replace(piece("clock", box(0.05, 0.2, 0.2), (0.925, 1.4, 0.3)), direction=(1.0, 0.0, 0.0))


def seen_from(bearer: Piece, other: Piece) -> np.ndarray:
    return np.linalg.inv(bearer.pose.matrix) @ other.pose.matrix


@given(st.floats(-180.0, 180.0), st.tuples(st.floats(-3.0, 3.0), st.floats(0.0, 1.0), st.floats(-3.0, 3.0)))
def test_what_stands_on_a_shelf_keeps_its_place_on_it_and_its_fit(angle: float, by: tuple[float, float, float]) -> None:
    dressed = Dressed(FLOOR, SHELF, JUG, LID)
    before = dressed.set
    outcome = dressed.do("shift", pieces=["shelf"], by=by, angle_deg=angle)
    after = dressed.set.pieces
    for key in ("jug", "lid"):
        np.testing.assert_allclose(
            seen_from(after["shelf"], after[key]), seen_from(SHELF, before.pieces[key]), atol=1e-12
        )
        assert dressed.fits[key].state == "seated"
    assert outcome.change.backwards().on(dressed.set) == before


def test_a_wall_takes_what_hangs_on_it_along_and_turns_the_way_it_hangs() -> None:
    dressed = Dressed(FLOOR, WALL, CLOCK, STOOL)
    outcome = dressed.do("shift", pieces=["wall"], by=(0.0, 0.0, -2.0), angle_deg=90.0)
    clock = dressed.set.pieces["clock"]
    assert clock.direction == pytest.approx((0.0, 0.0, -1.0), abs=1e-12)
    assert dressed.fits["clock"].state == "seated"
    assert dressed.set.pieces["stool"] == STOOL
    assert outcome.change.words == "moved wall with the 1 on it"


def test_alone_it_leaves_what_stood_on_it_where_it_was() -> None:
    dressed = Dressed(FLOOR, SHELF, JUG, LID)
    dressed.do("shift", pieces=["shelf"], by=(0.0, 0.0, 3.0), alone=True)
    assert dressed.set.pieces["jug"] == JUG
    assert dressed.fits["jug"].state == "floating"


def test_what_is_joined_to_what_stands_on_it_comes_along_spiked_or_not() -> None:
    dressed = Dressed(FLOOR, SHELF, replace(JUG, spiked=True), LID)
    dressed.do("shift", pieces=["shelf"], by=(0.5, 0.0, 0.0))
    assert dressed.set.pieces["jug"].pose.position[0] == pytest.approx(-0.5)
    with pytest.raises(MoveRefused, match="jug is spiked; free it first"):
        dressed.look("shift", pieces=["jug"], by=(0.1, 0.0, 0.0))


def test_a_floor_turns_about_a_point_with_everything_on_it() -> None:
    dressed = Dressed(FLOOR, STOOL)
    dressed.do("shift", pieces=["floor"], angle_deg=90.0, about=(1.0, 0.0, 0.0))
    assert dressed.set.pieces["stool"].pose.position == pytest.approx((1.0, 0.2, 1.0), abs=1e-12)
