"""Polygons cut into triangles: their area is kept, every triangle turns as the polygon does, whatever its shape."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from brickseat_core.geometry.bearers import steps, sweep
from brickseat_core.geometry.polygons import concave, fans, triangles_of, triangulated
from brickseat_core.scene import rotation_about

Vec = NDArray[np.float64]
L_SHAPE = np.array([(0, 0), (2, 0), (2, 1), (1, 1), (1, 2), (0, 2)], float)


def area(points: Vec) -> float:
    x, y = points[:, 0], points[:, 1]
    return float(0.5 * (x @ np.roll(y, -1) - np.roll(x, -1) @ y))


def star(radii: list[float]) -> Vec:
    """A polygon that its middle sees whole, and so is simple."""
    angle = np.linspace(0.0, 2.0 * np.pi, len(radii), endpoint=False)
    return np.stack([np.array(radii) * np.cos(angle), np.array(radii) * np.sin(angle)], axis=1)


@settings(max_examples=120, deadline=None)
@given(st.lists(st.floats(0.1, 3.0), min_size=3, max_size=24), st.booleans())
def test_triangles_cover_a_polygon_once(radii: list[float], clockwise: bool) -> None:
    outline = star(radii)[:: -1 if clockwise else 1]
    found = triangulated(outline)
    assert len(found) == len(outline) - 2
    areas = [area(outline[t]) for t in found]
    assert sum(areas) == pytest.approx(area(outline), rel=1e-9)
    assert all(a * area(outline) >= -1e-12 for a in areas)
    # A simple polygon of n corners has n - 3 diagonals, each in two triangles, and each side in one.
    sides = sorted(tuple(sorted((t[k], t[(k + 1) % 3]))) for t in found.tolist() for k in range(3))
    assert len(sides) - len(set(sides)) == len(outline) - 3


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.lists(st.floats(0.2, 2.0), min_size=3, max_size=9), min_size=1, max_size=5),
    st.floats(0, 6.28),
    st.floats(0, 3.1),
)
def test_polygons_in_space_are_cut_as_in_their_planes(shapes: list[list[float]], turn: float, tilt: float) -> None:
    rotation = rotation_about(np.array([0.6, 0.0, 0.8]), tilt) @ rotation_about(np.array([0.0, 1.0, 0.0]), turn)
    flat = [star(radii) + np.array([10.0 * n, 0.0]) for n, radii in enumerate(shapes)]
    points = np.concatenate([np.column_stack([f, np.full(len(f), 0.3)]) for f in flat]) @ rotation.T
    counts = np.array([len(f) for f in flat])
    found = triangles_of(points, counts)
    corners = points[found]
    cross = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal = rotation[:, 2]
    assert cross.sum(axis=0) == pytest.approx(normal * sum(area(f) for f in flat), abs=1e-9)
    assert (cross @ normal >= -1e-9).all(), "no triangle is turned over"


def test_only_what_is_not_convex_is_called_so() -> None:
    square = np.array([(0, 0), (1, 0), (1, 1), (0, 1)], float)
    midway = np.array([(0, 0), (1, 0), (2, 0), (2, 1), (0, 1)], float)
    points = np.concatenate([np.column_stack([p, np.zeros(len(p))]) for p in (square, L_SHAPE, midway, square[:3])])
    assert concave(points, np.array([4, 6, 5, 3])).tolist() == [False, True, False, False]
    assert fans(np.array([4, 3])).tolist() == [[0, 1, 2], [0, 2, 3], [4, 5, 6]]
    assert triangles_of(np.zeros((0, 3)), np.zeros(0, np.int64)).shape == (0, 3)


def test_bearers_of_any_outline_are_closed_and_as_large_as_they_should_be() -> None:
    stairs = steps(1.0, 4, 0.2, 0.3)
    assert stairs.health.closed
    assert stairs.mass[0] == pytest.approx(0.3 * 0.2 * (1 + 2 + 3 + 4), rel=1e-9)
    curved = sweep(2.0, 2.0, 2.0, 0.6)
    assert curved.health.closed
    assert not curved.health.inward
