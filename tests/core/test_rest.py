"""Rest: the nearest stable stand, touching exactly; or an honest word that there is none."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from brickseat_core.contact.grip import least_grip
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.linear_program import best_in_space
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.rest import REAL_CONTACT, RestingPose, rest
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Vec, rotation_about
from shapes import FLOOR, ball, box, piece, revolved, standing

Z = np.array([0.0, 0.0, 1.0])
POT = revolved([(0, 0), (0.05, 0), (0.1, 0.1), (0.08, 0.2), (0.07, 0.2), (0.09, 0.1), (0.04, 0.01), (0, 0.01)])


def aslant(name: str, mesh: Mesh, degrees: float, axis: Vec = Z, at: tuple[float, float, float] = (0, 0.8, 0)) -> Piece:
    unit = axis / np.linalg.norm(axis)
    p = piece(name, mesh, at)
    return p.at(Pose.of(rotation_about(unit, math.radians(degrees)), p.pose.origin))


def rolling_ground(seed: int, width: float = 4.0, n: int = 60) -> Piece:
    rng = np.random.default_rng(seed)
    a, b = rng.uniform(1.0, 3.0, 2)
    x, z = np.meshgrid(np.linspace(-width / 2, width / 2, n), np.linspace(-width / 2, width / 2, n), indexing="ij")
    y = 0.06 * np.sin(a * x) * np.cos(b * z) + rng.uniform(-0.004, 0.004, x.shape)
    i = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)[None, :]).ravel()
    faces = np.concatenate([np.stack([i, i + 1, i + n], 1), np.stack([i + 1, i + n + 1, i + n], 1)])
    return piece("ground", Mesh(np.stack([x, y, z], -1).reshape(-1, 3), faces.astype(np.int32)), bearer=True)


def proven(index: SceneIndex, p: Piece, found: RestingPose, least_contacts: int = 3, may_lean: bool = False) -> None:
    """The stand as promised: contacts within a hundredth of a millimetre, nothing cut, the weight over them, or held by
    grip where it ``may_lean``."""
    assert found.stable, found.reason
    fit = measure_fit(index, p.at(found.pose), 5 * REAL_CONTACT)
    assert fit.state == "seated", fit.reason
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert fit.depth <= 1e-5
    assert fit.balance_margin is not None
    assert fit.balance_margin >= -1e-6 or (may_lean and fit.grip is not None)
    assert len(fit.contacts) >= least_contacts


@pytest.mark.parametrize(("degrees", "axis"), [(7, (0, 0, 1)), (30, (1, 0, 0)), (38, (0.6, 0, 0.8)), (25, (-1, 0, 2))])
def test_a_tilted_box_comes_down_flat_and_keeps_its_turn(degrees: float, axis: tuple[float, float, float]) -> None:
    index = standing(FLOOR)
    p = aslant("box", box(0.4, 0.2, 0.3), degrees, np.array(axis, dtype=float))
    found = rest(index, p)
    proven(index, p, found)
    assert found.tilted_deg == pytest.approx(degrees, abs=0.05)
    assert np.allclose(found.pose.linear[:, 1], (0, 1, 0), atol=1e-7)
    assert found.pose.position[1] == pytest.approx(0.1, abs=2e-8)


def test_a_box_far_over_falls_on_its_other_side() -> None:
    index = standing(FLOOR)
    found = rest(index, aslant("box", box(0.4, 0.2, 0.3), 75))
    assert found.stable
    assert found.pose.linear[1, 1] == pytest.approx(0.0, abs=1e-6)
    assert found.pose.position[1] == pytest.approx(0.2, abs=2e-8)


def test_what_balances_on_edge_is_nudged_off_it() -> None:
    index = standing(FLOOR)
    on_edge = aslant("box", box(0.2, 0.2, 0.2), 45)
    found = rest(index, on_edge)
    proven(index, on_edge, found)
    assert found.tilted_deg == pytest.approx(45, abs=0.05)


def test_a_ball_has_one_contact_and_a_roller_two() -> None:
    index = standing(FLOOR)
    proven(index, *_rested(index, aslant("ball", ball(0.1, 4), 20)), least_contacts=1)
    roller = piece("roller", revolved([(0, -0.2), (0.05, -0.2), (0.05, 0.2), (0, 0.2)], 64), (0, 0.5, 0))
    lying = roller.at(Pose.of(rotation_about(Z, math.radians(84)), roller.pose.origin))
    proven(index, *_rested(index, lying), least_contacts=2)


def _rested(index: SceneIndex, p: Piece) -> tuple[Piece, RestingPose]:
    return p, rest(index, p)


def test_a_plank_lies_across_two_trestles_of_different_height() -> None:
    left = piece("left", box(0.1, 0.7, 0.6), (-0.6, 0.35, 0), bearer=True)
    right = piece("right", box(0.1, 0.75, 0.6), (0.6, 0.375, 0), bearer=True)
    plank = aslant("plank", box(1.8, 0.03, 0.25), 9, at=(0.05, 1.4, 0))
    index = standing(FLOOR, left, right)
    found = rest(index, plank)
    proven(index, plank, found)
    assert set(measure_fit(index, plank.at(found.pose)).rests_on) == {"left", "right"}


def test_a_bowl_comes_to_rest_in_a_bowl_and_a_pot_on_a_rim() -> None:
    bowl = revolved([(0, 0), (0.06, 0), (0.15, 0.1), (0.14, 0.1), (0.055, 0.01), (0, 0.01)], 48)
    index = standing(FLOOR, piece("under", bowl, bearer=True))
    nested = aslant("nested", bowl, 6, at=(0.004, 0.4, 0.0))
    proven(index, nested, rest(index, nested))


@settings(max_examples=12, deadline=None)
@given(st.integers(0, 10_000), st.floats(0, 6.28), st.floats(0, 18))
def test_on_rolling_ground_every_stand_is_proven(seed: int, heading: float, degrees: float) -> None:
    index = standing(rolling_ground(seed % 7))
    rng = np.random.default_rng(seed)
    at = (float(rng.uniform(-1, 1)), 1.0, float(rng.uniform(-1, 1)))
    for mesh in (POT, box(0.3, 0.08, 0.2), revolved([(0, 0), (0.12, 0.02), (0.13, 0.025), (0, 0.012)], 32)):
        p = aslant("p", mesh, degrees, np.array([math.cos(heading), 0, math.sin(heading)]), at)
        found = rest(index, p)
        if found.stable:
            proven(index, p, found)
        else:
            assert found.pose == p.pose
            assert found.reason


def test_most_things_find_a_stand_in_rubble() -> None:
    rng = np.random.default_rng(4)
    index = standing(FLOOR)
    shapes = [box(0.2, 0.1, 0.12), POT, ball(0.07, 2), box(0.3, 0.04, 0.1)]
    for k in range(25):
        q = rng.normal(size=3)
        stone = aslant(f"stone {k}", shapes[k % 4], float(rng.uniform(0, 180)), q, at=(0, 3, 0))
        at = np.array([rng.uniform(-0.4, 0.4), 2.0, rng.uniform(-0.4, 0.4)])
        stone = stone.at(Pose.of(stone.pose.linear, at))
        found = rest(index, stone, tries=8)
        index.put(stone.at(found.pose) if found.stable else stone.at(stone.pose.moved(np.array([0.0, 9.0, k]))))
    stands = 0
    for _ in range(12):
        p = aslant("new", shapes[0], float(rng.uniform(0, 40)), rng.normal(size=3))
        p = p.at(Pose.of(p.pose.linear, np.array([rng.uniform(-0.4, 0.4), 1.5, rng.uniform(-0.4, 0.4)])))
        found = rest(index, p, tries=8)
        stands += found.stable
        if found.stable:
            proven(index, p, found, may_lean=True)
    assert stands >= 9


def test_the_same_asked_twice_gives_the_same_and_a_stand_is_kept() -> None:
    index = standing(rolling_ground(3))
    p = aslant("pot", POT, 9, np.array([1.0, 0, 0.4]))
    first, again = rest(index, p, tries=3), rest(index, p, tries=3)
    assert first.pose == again.pose
    kept = rest(index, p.at(first.pose))
    assert np.allclose(kept.pose.matrix, first.pose.matrix, rtol=0.0, atol=1e-6)


def test_where_nothing_is_or_all_topples_it_is_left_and_says_so() -> None:
    lost = rest(standing(FLOOR), piece("lost", box(0.1, 0.1, 0.1), (99, 1, 0)))
    assert not lost.stable
    assert "nothing" in lost.reason
    pole = aslant("pole", revolved([(0, 0), (0.004, 0), (0.004, 1.0), (0, 1.0)], 12), 3)
    found = rest(standing(FLOOR), pole)
    assert not found.stable
    assert "topples" in found.reason
    assert found.pose == pole.pose


def test_wanted_sink_is_kept() -> None:
    index = standing(FLOOR)
    p = aslant("bedded", box(0.4, 0.2, 0.3), 12)
    bedded = Piece(p.key, p.name, p.prop, p.pose, sink=0.03)
    found = rest(index, bedded)
    assert found.pose.position[1] == pytest.approx(0.07, abs=1e-8)
    assert measure_fit(index, bedded.at(found.pose)).state == "seated"


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2**32 - 1), st.integers(1, 60))
def test_small_linear_programs_agree_with_another_solver(seed: int, n: int) -> None:
    rng = np.random.default_rng(seed)
    a, c = rng.normal(size=(n, 3)), rng.normal(size=3)
    b = rng.uniform(-0.05, 1.0, n) * rng.choice([0.0, 1.0], n)
    found, feasible = best_in_space(a, b, c, 1.0)
    wanted = linprog(-c, a, b, bounds=[(-1, 1)] * 3)
    assert feasible == (wanted.status == 0)
    if feasible:
        assert (a @ found <= b + 1e-9).all()
        assert c @ found == pytest.approx(-wanted.fun, abs=1e-7)


@pytest.mark.parametrize(("degrees", "foot"), [(4, 0.7), (12, 1.0), (30, 1.6)])
@pytest.mark.parametrize("heading", [0.0, 2.1])
def test_a_plank_leans_against_a_wall_foot_and_top(degrees: float, foot: float, heading: float) -> None:
    around = rotation_about(np.array([0.0, 1.0, 0.0]), heading)
    wall = piece("wall", box(4, 4, 0.2), (0, 2, -0.1), bearer=True)
    turned_wall = wall.at(Pose.of(around, around @ wall.pose.origin))
    index = standing(FLOOR, turned_wall)
    tilt = rotation_about(np.array([1.0, 0.0, 0.0]), -math.radians(degrees))
    plank = piece("plank", box(0.3, 2.4, 0.02))
    plank = plank.at(Pose.of(around @ tilt, around @ np.array([0.0, 1.3, foot])))
    found = rest(index, plank)
    fit = measure_fit(index, plank.at(found.pose), 5 * REAL_CONTACT)
    assert found.stable, found.reason
    assert fit.state == "seated", fit.reason
    assert set(fit.rests_on) == {"floor", "wall"}
    corners = plank.at(found.pose).pose.apply(plank.prop.mesh.vertices) @ around
    assert corners[:, 2].min() == pytest.approx(0.0, abs=1e-6), "the top touches the wall"
    assert corners[:, 1].min() == pytest.approx(0.0, abs=1e-9), "the foot touches the floor"
    # A thin plank at this slope, with the same friction at both ends, needs this much of it.
    slope = math.atan2(corners[:, 1].max(), corners[:, 2].max())
    assert fit.grip == pytest.approx(math.tan(math.pi / 4 - slope / 2), abs=0.02)


def test_without_a_wall_a_plank_is_left_and_named() -> None:
    index = standing(FLOOR)
    plank = aslant("plank", box(0.02, 2.4, 0.3), 2, at=(0, 1.3, 0))
    found = rest(index, plank)
    assert not found.stable
    assert found.pose == plank.pose
    assert "topples" in found.reason


def test_grip_is_needed_only_where_the_weight_is_not_over_the_contacts() -> None:
    up = np.array([[0.0, 1.0, 0.0]] * 3)
    foot = np.array([[0.0, 0, 0], [1, 0, 0], [0, 0, 1]])
    assert least_grip(foot, up, np.array([0.2, 0.5, 0.2])) == pytest.approx(0.0, abs=1e-3)
    assert least_grip(foot, up, np.array([0.8, 0.5, 0.8])) is None
    sloped = np.array([[math.sin(0.3), math.cos(0.3), 0.0]] * 3)
    assert least_grip(foot, sloped, np.array([0.3, 0.0, 0.3])) == pytest.approx(math.tan(0.3), abs=0.05)
