"""Lining up, laying on points, edges beside edges and hanging: exact to 1e-9, and what is in the way is named."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.constraints.lining import beside_edge, laid_pose, spread_offsets
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece, Pose, Vec, rotation_about, rotation_matrix
from dressing import Dressed
from shapes import FLOOR, ball, box, piece, revolved, roof, world

seeds = st.integers(0, 2**32 - 1)
UP = np.array([0.0, 1.0, 0.0])
WALL = piece("wall", box(6, 3, 0.2), (0.0, 1.5, -1.1), bearer=True)


def turned(p: Piece, degrees: float) -> Piece:
    return p.at(Pose.of(rotation_about(UP, np.radians(degrees)), p.pose.origin))


def side(p: Piece, axis: Vec) -> tuple[float, float]:
    along = world(p) @ axis
    return float(along.min()), float(along.max())


@settings(max_examples=40, deadline=None)
@given(seeds, st.sampled_from(["low", "middle", "high"]), st.sampled_from(["low", "middle", "high"]))
def test_sides_of_the_true_vertices_meet_along_any_axis(seed: int, mine: str, theirs: str) -> None:
    rng = np.random.default_rng(seed)
    q = rng.normal(size=4)
    jar = piece("jar", revolved([(0, 0), (0.1, 0), (0.14, 0.2), (0, 0.3)])).at(
        Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])) * rng.uniform(0.5, 2, 3), rng.uniform(-3, 3, 3) + 20 * UP)
    )
    crate = turned(piece("crate", box(0.4, 0.3, 0.5), (1, 30, 2)), 33)
    axis = rng.normal(size=3)
    axis /= np.linalg.norm(axis)
    gap = float(rng.uniform(0, 0.5))
    d = Dressed(jar, crate)
    fields = {"pieces": ["jar"], "to": "crate", "axis": axis.tolist(), "mine": mine, "theirs": theirs, "reseat": False}
    # What stands in the way is another test's business: here the two may come to be in each other.
    d.set = replace(d.set, settings=replace(d.set.settings, tolerance=10.0))
    d.do("line_up", gap_m=gap, **fields)
    mine_low, mine_high = side(d.piece("jar"), axis)
    low, high = side(crate, axis)
    here = {"low": mine_low, "middle": 0.5 * (mine_low + mine_high), "high": mine_high}[mine]
    there = {"low": low, "middle": 0.5 * (low + high), "high": high}[theirs]
    assert abs(abs(here - there) - gap) < 1e-9
    if theirs != "middle":
        assert (here - there) * (1 if theirs == "high" else -1) == pytest.approx(gap, abs=1e-9)


def test_a_bench_goes_along_a_wall_and_stays_seated() -> None:
    step = piece("step", box(6, 0.1, 0.6), (0, 0.05, -0.7), bearer=True)
    d = Dressed(FLOOR, WALL, step, piece("bench", box(1.2, 0.4, 0.4), (0.3, 0.2, 1.0)))
    d.do("line_up", pieces=["bench"], to="wall", axis=[0, 0, 1], mine="low", theirs="high", gap_m=0.02)
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-0.98, abs=1e-9)
    assert world(d.piece("bench"))[:, 1].min() == pytest.approx(0.1, abs=1e-9)
    assert d.fit("bench").state == "seated"
    # Upwards nothing is set down again, unless that is asked for.
    d.do("line_up", pieces=["bench"], to="wall", axis="up", mine="high", theirs="high")
    assert world(d.piece("bench"))[:, 1].max() == pytest.approx(3.0, abs=1e-9)


def test_what_stands_in_the_way_is_named_and_nothing_moves() -> None:
    jug = piece("jug", box(0.1, 0.3, 0.1), (0.3, 0.15, -0.8))
    d = Dressed(FLOOR, WALL, jug, piece("bench", box(1.2, 0.4, 0.4), (0.3, 0.2, 1.0)))
    with pytest.raises(MoveRefused, match="jug stands in the way of bench"):
        d.look("line_up", pieces=["bench"], to="wall", axis="along", mine="low", theirs="high")
    d.do("line_up", pieces=["bench"], to="wall", axis="along", mine="low", theirs="high", gap_m=0.5)
    assert d.fit("bench").state == "seated"


def test_several_are_lined_up_each_together_or_spread() -> None:
    jars = [piece(f"jar {n}", box(0.1 + 0.05 * n, 0.1, 0.1), (x, 0.05, 0.1 * n)) for n, x in enumerate((0.0, 0.3, 2.0))]
    keys = [j.key for j in jars]
    d = Dressed(FLOOR, WALL, *jars)
    d.do("line_up", pieces=keys, to="wall", axis="along", mine="low", theirs="high", gap_m=0.3)
    assert [round(float(world(d.piece(k))[:, 2].min()), 9) for k in keys] == [-0.7] * 3
    d = Dressed(FLOOR, WALL, *jars)
    d.do("line_up", pieces=keys, to="wall", axis="along", mine="low", theirs="high", mode="together", gap_m=0.3)
    assert [round(float(d.at(k)[2] - d.at(keys[0])[2]), 9) for k in keys] == [0.0, 0.1, 0.2]
    d.do("line_up", pieces=keys, axis="across", mode="spread")
    edges = [side(d.piece(k), np.array([1.0, 0, 0])) for k in keys]
    assert edges[1][0] - edges[0][1] == pytest.approx(edges[2][0] - edges[1][1], abs=1e-9)
    assert d.at(keys[0])[0] == 0.0
    assert d.at(keys[2])[0] == 2.0


@settings(max_examples=100, deadline=None)
@given(st.lists(st.tuples(st.floats(-50, 50), st.floats(0.01, 3)), min_size=3, max_size=12))
def test_spreading_leaves_the_same_room_between_all(found: list[tuple[float, float]]) -> None:
    extents = [(x, x + w) for x, w in found]
    offsets = spread_offsets(extents)
    order = sorted(range(len(extents)), key=lambda i: sum(extents[i]))
    moved = [(extents[i][0] + offsets[i], extents[i][1] + offsets[i]) for i in order]
    rooms = [b[0] - a[1] for a, b in pairwise(moved)]
    assert np.ptp(rooms) < 1e-9
    assert offsets[order[0]] == offsets[order[-1]] == 0.0


@settings(max_examples=200, deadline=None)
@given(seeds, st.integers(1, 3))
def test_point_pairs_meet_under_any_pose(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    q, r = rng.normal(size=4), rng.normal(size=4)
    pose = Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])) * rng.uniform(0.3, 3, 3), rng.uniform(-2, 2, 3))
    points = rng.uniform(-1, 1, (count, 3))
    here = pose.apply(points)
    motion = Pose.of(rotation_matrix((r[0], r[1], r[2], r[3])), rng.uniform(-2, 2, 3))
    onto = motion.apply(here)
    end = laid_pose(pose, points, onto)
    assert np.abs(end.apply(points) - onto).max() < 1e-9
    # It was only moved and turned.
    assert np.abs(end.linear.T @ end.linear - pose.linear.T @ pose.linear).max() < 1e-9
    if count < 3:
        # With fewer pairs it is turned no more than it must.
        least = 0.0 if count == 1 else np.arccos(np.clip(unit(here[1] - here[0]) @ unit(onto[1] - onto[0]), -1, 1))
        angle = np.arccos(np.clip((np.trace(end.linear @ np.linalg.inv(pose.linear)) - 1) / 2, -1, 1))
        assert angle == pytest.approx(least, abs=1e-6)


def unit(v: Vec) -> Vec:
    return np.asarray(v / np.linalg.norm(v))


def test_a_slate_lies_flat_on_a_slanted_roof_by_three_points() -> None:
    house = piece("roof", roof(4, 1.5, 1.0, along_x=True), bearer=True)
    slate = piece("slate", box(0.3, 0.01, 0.2), (3, 3, 3))
    d = Dressed(FLOOR, house, slate)
    down = np.array([0.0, -1.0, 1.5]) / np.hypot(1.0, 1.5)
    corner = np.array([0.2, 1.0, 0.0]) + 0.4 * down
    onto = [corner, corner + np.array([1.0, 0, 0]), corner + down]
    d.do(
        "lay_on",
        piece="slate",
        points=[[-0.15, -0.005, -0.1], [0.15, -0.005, -0.1], [-0.15, -0.005, 0.1]],
        onto=[p.tolist() for p in onto],
    )
    fit = d.fit("slate")
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert fit.tilt_deg == pytest.approx(np.degrees(np.arctan2(1.0, 1.5)), abs=1e-6)
    assert len(fit.contacts) >= 4
    with pytest.raises(MoveRefused, match="lie on one line"):
        d.look(
            "lay_on", piece="slate", points=[[0, 0, 0], [1, 0, 0], [2, 0, 0]], onto=[[0, 0, 0], [1, 0, 0], [0, 0, 1]]
        )
    with pytest.raises(MoveRefused, match="pair each with one"):
        d.look("lay_on", piece="slate", points=[[0, 0, 0]], onto=[[0, 0, 0], [1, 0, 0]])


def test_a_point_goes_to_a_point_along_chosen_axes_only() -> None:
    d = Dressed(FLOOR, piece("jug", box(0.1, 0.2, 0.1), (0, 0.1, 0)))
    d.do("lay_on", piece="jug", points=[[0.05, 0, 0]], onto=[[2, 3, 4]], axes=["across"])
    assert d.at("jug") == pytest.approx([1.95, 0.1, 0.0], abs=1e-12)


@settings(max_examples=100, deadline=None)
@given(seeds, st.floats(0, 2), st.booleans())
def test_an_edge_comes_to_lie_beside_another(seed: int, gap: float, freely: bool) -> None:
    rng = np.random.default_rng(seed)
    q = rng.normal(size=4)
    pose = Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])), rng.uniform(-2, 2, 3))
    mine = rng.uniform(-1, 1, (2, 3))
    theirs = rng.uniform(-3, 3, (2, 3))
    if not freely:
        theirs[:, 1] = 0.5
    end = beside_edge(pose, mine, theirs, gap, freely)
    here = end.apply(mine)
    a, b = unit(here[1] - here[0]), unit(theirs[1] - theirs[0])
    if freely:
        assert np.abs(np.cross(a, b)).max() < 1e-9
        arm = here[0] - theirs[0]
    else:
        assert abs(a[0] * b[2] - a[2] * b[0]) < 1e-9
        arm = (here[0] - theirs[0]) * [1, 0, 1]
        assert end.linear[1] == pytest.approx(pose.linear[1], abs=1e-9)
    assert np.linalg.norm(arm - b * (arm @ b)) == pytest.approx(gap, abs=1e-9)


def test_a_lamp_hangs_under_the_exact_middle_of_a_hook() -> None:
    hook = piece("hook", ball(0.05), (1.3, 2.2, -0.4), bearer=True)
    lamp = piece("lamp", revolved([(0, -0.2), (0.15, -0.2), (0.02, 0.0), (0, 0.0)]), (0.0, 0.2, 0.0))
    d = Dressed(FLOOR, hook, lamp)
    d.do("hang", piece="lamp", to="hook")
    assert d.at("lamp")[[0, 2]] == pytest.approx([1.3, -0.4], abs=1e-9)
    assert d.at("lamp")[1] == pytest.approx(2.15, abs=1e-3)
    assert (d.fit("lamp").state, d.fit("lamp").rests_on) == ("seated", ("hook",))
    with pytest.raises(MoveRefused, match="nothing of hook is above"):
        d.look("hang", piece="lamp", to="hook", at=[3, 2, 3])
