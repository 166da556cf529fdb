"""How far a piece is from the face opposite it: against what geometry says of tilted boxes before tilted walls."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.face_gap import FLAT, OPPOSITE_NOTHING, UNEVEN, face_gap
from brickseat_core.scene import Pose, rotation_about
from shapes import ball, box, piece, standing

AHEAD = np.array([0.0, 0.0, -1.0])
UPWARD = np.array([0.0, 1.0, 0.0])


@settings(max_examples=60, deadline=None)
@given(st.floats(-40.0, 40.0), st.floats(0.0, 360.0), st.floats(-0.3, 2.0))
def test_the_gap_to_a_slanted_wall_is_that_of_the_nearest_corner(slant: float, turn: float, away: float) -> None:
    tilt = rotation_about(UPWARD, np.radians(slant))
    wall = piece("wall", box(40.0, 9.0, 1.0)).at(Pose.of(tilt, tilt @ np.array([0.0, 0.0, -0.5])))
    normal = tilt @ np.array([0.0, 0.0, 1.0])
    shape = box(0.8, 0.5, 0.3)
    it = piece("it", shape).at(Pose.of(rotation_about(UPWARD, np.radians(turn)), 0.5 * normal + away * normal))
    index = standing(wall, it)
    found = face_gap(index, it, index.row["wall"], AHEAD)
    heights = it.pose.apply(shape.vertices) @ normal
    assert found.face == FLAT
    assert found.distance == pytest.approx(float(heights.min()), abs=1e-9)
    assert np.allclose(found.normal, normal, atol=1e-12)
    assert found.mine @ normal == pytest.approx(float(heights.min()), abs=1e-9)


def test_what_is_opposite_nothing_tells_its_farthest_point() -> None:
    it = piece("it", box(0.4, 0.4, 0.4), (0.0, 3.0, 0.0))
    index = standing(piece("wall", box(1.0, 1.0, 1.0), (0.0, 0.0, -3.0)), it)
    found = face_gap(index, it, index.row["wall"], AHEAD)
    assert found.face == OPPOSITE_NOTHING
    assert found.distance == pytest.approx(0.2, abs=1e-12)
    assert found.mine @ AHEAD == pytest.approx(0.2, abs=1e-12)


def test_two_faces_of_one_piece_are_no_flat_face() -> None:
    it = piece("it", box(1.5, 0.4, 0.4))
    index = standing(piece("drum", ball(2.0), (0.0, 0.0, -3.0)), it)
    assert face_gap(index, it, index.row["drum"], AHEAD).face == UNEVEN
