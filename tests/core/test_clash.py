"""Clash depth, place and normal against closed forms, and the shortcuts against the long way round."""

import math

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from brickseat_core.contact.depth import penetration
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.holding import Holding, held_along, holding_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along, inverse_kernel
from brickseat_core.fit.check import check
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Vec, quaternion_of, rotation_matrix
from shapes import FLOOR, ball, box, inward, piece, revolved, standing

unit = st.floats(-1.0, 1.0)
quaternions = st.tuples(unit, unit, unit, unit).filter(lambda q: sum(v * v for v in q) > 0.1)


def depth_of(moving: Piece, other: Piece) -> float:
    return penetration(standing(other), moving, 0).depth


def turned(p: Piece, quaternion: tuple[float, float, float, float]) -> Piece:
    return p.at(Pose.of(rotation_matrix(quaternion), p.pose.origin))


def separating_axis_depth(a: Piece, b: Piece, half_a: Vec, half_b: Vec) -> float:
    """Least overlap of two boxes over all fifteen axes (Gottschalk, Lin and Manocha, 1996); negative when apart."""
    ra, rb = a.pose.linear.T, b.pose.linear.T
    axes = [*ra, *rb, *(np.cross(u, v) for u in ra for v in rb)]
    apart = b.pose.origin - a.pose.origin
    least = math.inf
    for axis in axes:
        length = float(np.linalg.norm(axis))
        if length < 1e-6:
            continue
        n = axis / length
        reach = float(np.abs(ra @ n) @ half_a + np.abs(rb @ n) @ half_b)
        least = min(least, reach - abs(float(n @ apart)))
    return least


@settings(max_examples=60, deadline=None)
@given(quaternions, quaternions, st.tuples(unit, unit, unit))
def test_turned_boxes_are_as_deep_as_the_separating_axes_say(
    qa: tuple[float, float, float, float], qb: tuple[float, float, float, float], way: tuple[float, float, float]
) -> None:
    half_a, half_b = np.array([0.2, 0.1, 0.15]), np.array([0.12, 0.25, 0.08])
    a = turned(piece("a", box(*(2 * half_a))), qa)
    direction = np.array(way) if np.linalg.norm(way) > 0.1 else np.array([1.0, 0.0, 0.0])
    at = 0.26 * direction / np.linalg.norm(direction)
    b = turned(piece("b", box(*(2 * half_b)), (float(at[0]), float(at[1]), float(at[2]))), qb)
    wanted = separating_axis_depth(a, b, half_a, half_b)
    found = depth_of(a, b)
    if wanted < -1e-9:
        assert found == 0.0
    elif wanted > 1e-3:
        assert found >= wanted - 1e-9
        # However deep: the shortest way may be square to two edges that do not meet.
        assert found <= 1.02 * wanted


@pytest.mark.parametrize(("apart", "up"), [(0.15, 0.0), (0.1, 0.12), (0.0, 0.17)])
def test_balls_part_along_their_centres(apart: float, up: float) -> None:
    a, b = piece("a", ball(0.1, 4)), piece("b", ball(0.1, 4), (apart, up, 0.0))
    cut = penetration(standing(b), a, 0)
    assert cut.depth == pytest.approx(0.2 - math.hypot(apart, up), rel=0.02)
    assert np.allclose(cut.normal, -np.array([apart, up, 0.0]) / math.hypot(apart, up), atol=0.1)
    assert np.linalg.norm(cut.point - np.array([apart / 2, up / 2, 0.0])) < 0.03


def test_a_peg_in_a_ring_is_free_until_it_meets_the_ring() -> None:
    ring = piece("ring", revolved([(0.08, 0), (0.1, 0), (0.1, 0.03), (0.08, 0.03), (0.08, 0)], 96))
    peg = box(0.05, 0.5, 0.05)
    assert depth_of(piece("peg", peg, (0.03, 0.0, 0.0)), ring) == 0.0
    assert depth_of(piece("peg", peg, (0.057, 0.0, 0.0)), ring) > 1e-3


def test_a_sheet_through_a_solid_is_as_deep_as_the_nearer_side() -> None:
    card = piece("card", box(0.4, 0.3, 1e-4), (0.0, 0.0, 0.04))
    block = piece("block", box(0.2, 0.6, 0.1))
    assert depth_of(card, block) == pytest.approx(0.01 + 5e-5, abs=1e-6)


def test_a_solid_turned_inside_out_clashes_like_itself() -> None:
    a, b = piece("a", box(0.2, 0.2, 0.2)), piece("b", box(0.2, 0.2, 0.2), (0.17, 0.02, 0.0))
    out = penetration(standing(b), a, 0)
    flipped = penetration(standing(piece("b", inward(box(0.2, 0.2, 0.2)), (0.17, 0.02, 0.0))), a, 0)
    assert flipped.depth == pytest.approx(out.depth, abs=1e-12) == pytest.approx(0.03, abs=1e-9)


@settings(max_examples=40, deadline=None)
@example((0.0, 0.0, 0.0, 1.0), (0.0, 0.0, 0.0), (1.192092896e-07, 0.125, 0.0, 0.5))
@example((0.0, 0.0, 0.0, 1.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0, 1.0))
@example((0.0, 0.0, 1.0, 0.0), (0.0, -1.0, 0.0), (0.0, 0.0, 0.0, 1.0))
@given(quaternions, st.tuples(unit, unit, unit), quaternions)
def test_corners_inside_bound_the_way_out_from_below(
    q: tuple[float, float, float, float],
    at: tuple[float, float, float],
    other: tuple[float, float, float, float],
) -> None:
    """The shortcut that rules ways out may never rule out one that is shorter than it says."""
    bowl = revolved([(0, 0), (0.1, 0), (0.14, 0.1), (0.12, 0.1), (0.09, 0.02), (0, 0.02)], 24)
    standing_piece = turned(piece("slab", box(0.5, 0.12, 0.5)), other)
    moving = turned(piece("bowl", bowl, (0.15 * at[0], 0.15 * at[1], 0.15 * at[2])), q)
    index = standing(standing_piece)
    ways = np.array([[0, 1.0, 0], [0, -1, 0], [1, 0, 0], [0.6, 0.8, 0], [0, 0.6, -0.8]])
    holding = holding_of(index, moving, standing_piece)
    for way in ways:
        least = held_along(holding, way, np.inf)
        mover = index.mover(moving.prop.mesh, moving.pose, frame_along(-way))
        lift = first_free_interval(
            index, mover, index.only(mover, moving.pose.origin, [0]), moving.pose.apply(moving.prop.mesh.probes)
        )
        assert lift is not None
        assert lift >= least - 1e-9


def holding_of(index: SceneIndex, moving: Piece, other: Piece) -> Holding:
    forest, placed, _, mesh = index.with_moving_mesh(moving.prop.mesh)
    linear, origin = moving.pose.linear, moving.pose.origin
    points = moving.prop.mesh.inner_points, other.prop.mesh.inner_points
    return holding_kernel(  # type: ignore[no-any-return]
        forest, placed, mesh, linear, inverse_kernel(linear), origin, index.row[other.key], *points
    )


@settings(max_examples=60, deadline=None)
@given(quaternions)
def test_a_pose_keeps_its_quaternion(q: tuple[float, float, float, float]) -> None:
    again = np.array(quaternion_of(rotation_matrix(q)))
    unit_q = np.array(q) / np.linalg.norm(q)
    assert min(np.abs(again - unit_q).max(), np.abs(again + unit_q).max()) < 1e-9


@pytest.mark.parametrize("sunk", [1e-4, 0.001, 0.02, 0.1, 0.19999, 0.2])
@pytest.mark.parametrize("mesh", [box(0.3, 0.2, 0.3), revolved([(0, -0.1), (0.15, -0.1), (0.15, 0.1), (0, 0.1)], 24)])
def test_the_same_thing_sunk_into_its_like_with_all_sides_flush_is_seen(mesh: Mesh, sunk: float) -> None:
    lower, upper = piece("lower", mesh, (0.0, 0.1, 0.0)), piece("upper", mesh, (0.0, 0.3 - sunk, 0.0))
    index = standing(FLOOR, lower, upper)
    fits = check(index)
    for key in ("lower", "upper"):
        if sunk > 0.0005:
            assert fits[key].faults, f"{sunk} m deep, and nobody sees it"
            assert max(c.depth for c in fits[key].clashes) == pytest.approx(min(sunk, 0.2), rel=0.02, abs=2e-5)
    above = standing(FLOOR, lower, upper.at(Pose((0.0, 0.3, 0.0))))
    assert {f.state for f in check(above).values()} == {"seated"}
