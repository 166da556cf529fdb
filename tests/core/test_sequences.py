"""Sequences of points: even for any first so many, the same whatever is asked for, and only ever longer."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from brickseat_core.proposals.scatter.sequences import Sequence, measuring_scale, sequence_on, spread_order
from brickseat_core.recipes.chance import chances
from brickseat_core.scene import Pose, Vec, rotation_about
from shapes import ball, box, sheet
from yards import terrain

SQUARE = sheet([(0, 0, 0), (0, 0, 10), (10, 0, 10), (10, 0, 0)])
WHOLE = np.eye(3)


def nearest(points: Vec, area: float) -> tuple[float, float]:
    """The least distance to a nearest neighbour over the most that is possible (hexagons), and how far they differ."""
    away = cKDTree(points).query(points, k=2)[0][:, 1]
    best = np.sqrt(2.0 * area / (np.sqrt(3.0) * len(points)))
    return float(away.min() / best), float(away.std() / away.mean())


@pytest.mark.parametrize("count", [50, 97, 200, 333, 500, 1000, 1500, 2718])
def test_any_first_so_many_lie_evenly(count: int) -> None:
    least, differ = nearest(Sequence(terrain(), WHOLE, "even", 3).first(count).at, 64.0)
    assert least > 0.55
    assert differ < 0.2


def test_pure_chance_is_not_even_and_fills_all() -> None:
    found = Sequence(SQUARE, WHOLE, "random", 3).first(4000).at
    least, differ = nearest(found, 100.0)
    assert least < 0.1
    assert differ == pytest.approx(0.52, abs=0.05)
    counts, _, _ = np.histogram2d(found[:, 0], found[:, 2], bins=4, range=((0, 10), (0, 10)))
    assert np.abs(counts - 250).max() < 5 * np.sqrt(250)


@given(
    st.integers(0, 2**40), st.lists(st.integers(1, 700), min_size=1, max_size=4), st.sampled_from(["even", "random"])
)
@settings(max_examples=15, deadline=None)
def test_growing_never_moves_a_point(seed: int, counts: list[int], spread: str) -> None:
    grown = Sequence(SQUARE, WHOLE, spread, seed)  # type: ignore[arg-type]
    for count in counts:
        grown.first(count)
    at_once = Sequence(SQUARE, WHOLE, spread, seed).first(max(counts))  # type: ignore[arg-type]
    for found, wanted in zip(grown.first(max(counts)), at_once, strict=True):
        assert np.array_equal(found, wanted)


def test_points_lie_on_the_mesh_with_its_normals() -> None:
    mesh = ball(1.0)
    points = Sequence(mesh, WHOLE, "even", 1).first(400)
    corners = mesh.tree.corners[points.triangle]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    assert np.abs(np.einsum("ij,ij->i", points.at - corners[:, 0], normals)).max() < 1e-12
    assert points.normal == pytest.approx(normals, abs=1e-12)


def test_two_sides_of_something_thin_do_not_crowd_each_other() -> None:
    board = box(4.0, 0.001, 4.0)
    points = Sequence(board, WHOLE, "even", 1).first(400)
    above = points.at[points.normal[:, 1] > 0.5]
    below = points.at[points.normal[:, 1] < -0.5]
    assert min(len(above), len(below)) > 150
    assert nearest(above, 16.0)[0] > 0.5


@given(st.floats(0, 6), st.floats(0.3, 3))
@settings(max_examples=20, deadline=None)
def test_a_turn_of_the_surface_does_not_matter_and_its_size_does(angle: float, size: float) -> None:
    turned = Pose.of(rotation_about(np.array([0.6, 0.0, 0.8]), angle) * size, np.array([1.0, 2.0, 3.0]))
    plain = Pose.of(np.eye(3) * size, np.zeros(3))
    assert measuring_scale(turned) == pytest.approx(measuring_scale(plain), abs=1e-12)
    assert Sequence(SQUARE, measuring_scale(turned), "even", 1).area == pytest.approx(100.0 * size**2)


def test_the_same_sequence_is_kept() -> None:
    one = sequence_on(SQUARE, Pose((0.0, 0.0, 0.0)), "even", 5)
    assert sequence_on(SQUARE, Pose((3.0, 0.0, 0.0)), "even", 5) is one
    assert sequence_on(SQUARE, Pose((0.0, 0.0, 0.0)), "even", 6) is not one


def test_no_area_has_no_points() -> None:
    line = sheet([(0, 0, 0), (1, 0, 0), (2, 0, 0)])
    assert len(Sequence(line, WHOLE, "even", 1).first(10).triangle) == 0


@given(st.integers(1, 5000))
def test_the_order_of_darts_takes_each_once(count: int) -> None:
    assert np.array_equal(np.sort(spread_order(count)), np.arange(count))


def test_chances_are_even_and_of_their_own() -> None:
    numbers = np.arange(100_000)
    one, other = chances(numbers, 1, "turn"), chances(numbers, 1, "size")
    assert one.min() >= 0.0
    assert one.max() < 1.0
    assert np.histogram(one, bins=10)[0] == pytest.approx(10_000, abs=500)
    assert abs(np.corrcoef(one, other)[0, 1]) < 0.02
    assert abs(np.corrcoef(one[1:], one[:-1])[0, 1]) < 0.02
    # The same in any process and on any machine: figures once drawn stay.
    assert chances(np.array([1, 2]), 7, "turn").tolist() == [FIRST, SECOND]


FIRST, SECOND = chances(np.array([1]), 7, "turn")[0], chances(np.array([2]), 7, "turn")[0]
