"""Ties hold after every move, and where they cannot, those of which none can be left out are named."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from scipy.optimize import minimize

from brickseat_core.constraints.least_distance import nearest_point
from brickseat_core.constraints.tie_measures import measure_ties
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece, Pose, rotation_about
from dressing import Dressed
from shapes import FLOOR, ball, box, piece, sheet, world

seeds = st.integers(0, 2**32 - 1)
UP = np.array([0.0, 1.0, 0.0])
WALL = piece("wall", box(8, 3, 0.2), (0.0, 1.5, -2.1), bearer=True)
BENCH = piece("bench", box(1.2, 0.4, 0.4), (0.0, 0.2, 0.0))


def slanted(p: Piece, degrees: float) -> Piece:
    return p.at(Pose.of(rotation_about(UP, np.radians(degrees)), p.pose.origin))


def holds(d: Dressed) -> None:
    for key, measure in measure_ties(d.set, d.index).items():
        assert measure.holds, (key, measure)


def test_a_bench_stays_30_cm_from_a_wall_while_it_is_dragged() -> None:
    d = Dressed(FLOOR, WALL, BENCH)
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.3)
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-1.7, abs=1e-9)
    d.do("slide", pieces=["bench"], by=[0.8, 0, 0.5])
    assert d.at("bench") == pytest.approx([0.8, 0.2, -1.5], abs=1e-9)
    d.do("turn", pieces=["bench"], angle_deg=30)
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-1.7, abs=1e-8)
    d.do("size", pieces=["bench"], factor=1.3)
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-1.7, abs=1e-8)
    with pytest.raises(MoveRefused, match="from bench to wall holds it there"):
        d.look("slide", pieces=["bench"], by=[0, 0, 0.4])
    d.do("adjust_tie", tie="new-1", at_least=True)
    d.do("slide", pieces=["bench"], by=[0, 0, 0.4])
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-1.3, abs=1e-8)
    d.do("slide", pieces=["bench"], by=[0, 0, -1.0])
    assert world(d.piece("bench"))[:, 2].min() == pytest.approx(-1.7, abs=1e-8)
    holds(d)


def test_a_bench_goes_along_a_slanted_wall() -> None:
    d = Dressed(FLOOR, slanted(WALL, 15), BENCH)
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.3)
    d.do("tie", tie="square", piece="bench", to="wall", side=[0, 0, -1])
    front = d.piece("bench").pose.linear[:, 2]
    normal = slanted(WALL, 15).pose.linear[:, 2]
    assert front @ normal == pytest.approx(1.0, abs=1e-12)
    for by in ([0.5, 0, 0], [-1, 0, 0.7], [0.2, 0, -3]):
        d.do("slide", pieces=["bench"], by=by)
        holds(d)
        assert d.fit("bench").state == "seated"
    d.do("turn", pieces=["bench"], angle_deg=80)
    # The nearest square turn is another side of the bench.
    assert abs(d.piece("bench").pose.linear[:, 0] @ normal) == pytest.approx(1.0, abs=1e-9)


@settings(max_examples=30, deadline=None)
@given(seeds)
@example(seed=5208)
def test_random_drags_leave_all_ties_held(seed: int) -> None:
    rng = np.random.default_rng(seed)
    side_wall = piece("side", box(0.2, 3, 8), (-3.0, 1.5, 0.0), bearer=True)
    d = Dressed(
        FLOOR,
        slanted(WALL, float(rng.uniform(-20, 20))),
        slanted(side_wall, float(rng.uniform(-10, 10))),
        slanted(BENCH, float(rng.uniform(0, 360))),
        piece("stool", box(0.3, 0.4, 0.3), (0.0, 0.2, 1.5)),
    )
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.25)
    d.do("tie", tie="gap", piece="bench", to="side", side=[-1, 0, 0], distance_m=0.6, at_least=True)
    d.do("tie", tie="gap", piece="stool", to="bench", side=[0, 0, -1], distance_m=0.2, at_least=True)
    for _ in range(34):
        key = ["bench", "stool"][int(rng.integers(2))]
        by = rng.uniform(-0.6, 0.6, 3) * [1, 0, 1]
        kind = ["slide", "push", "turn"][int(rng.integers(3))]
        fields = {"angle_deg": float(rng.uniform(-40, 40))} if kind == "turn" else {"by": by.tolist()}
        refused: tuple[str, ...] | None = None
        try:
            d.do(kind, pieces=[key], **fields)
        except MoveRefused as problem:
            refused = problem.ties
        assert refused is None or refused
        holds(d)


def test_a_bearer_takes_along_what_clings_to_it_and_it_does_not_leave() -> None:
    table = piece("table", box(1.0, 0.7, 1.0), (0, 0.35, 0))
    jug = piece("jug", box(0.1, 0.2, 0.1), (0.2, 0.8, 0.1))
    d = Dressed(FLOOR, table, jug)
    d.do("tie", tie="cling", piece="jug", to="table")
    d.do("slide", pieces=["table"], by=[1.0, 0, -0.5])
    assert d.at("jug") == pytest.approx([1.2, 0.8, -0.4], abs=1e-9)
    d.do("turn", pieces=["table"], angle_deg=90)
    assert d.at("jug") - d.at("table") == pytest.approx([0.1, 0.45, -0.2], abs=1e-6)
    d.do("size", pieces=["table"], factor=[1, 1.5, 1])
    assert d.fit("jug").state == "seated"
    # Over the edge it would fall to the floor: it stops where something of the table is still below it.
    d.do("slide", pieces=["jug"], by=[3.0, 0, 0])
    assert d.fit("jug").rests_on == ("table",)
    # Its edge may just reach over.
    assert d.at("jug")[0] - d.at("table")[0] == pytest.approx(0.55, abs=1e-3)


def test_what_comes_along_is_no_target_for_what_it_clings_to() -> None:
    table = piece("table", box(1.0, 0.7, 1.0), (0, 0.35, 0))
    d = Dressed(FLOOR, table, piece("jug", box(0.1, 0.2, 0.1), (0.2, 0.8, 0.1)))
    d.do("tie", tie="cling", piece="jug", to="table")
    for kind, more in (("hang", {"piece": "table"}), ("line_up", {"pieces": ["table"], "axis": "across"})):
        with pytest.raises(MoveRefused, match="jug clings to what is moved"):
            d.look(kind, to="jug", **more)


def test_cling_follows_the_slope_of_a_ball_without_flipping() -> None:
    hill = piece("hill", ball(1.0, 4), bearer=True)
    d = Dressed(FLOOR, hill, piece("tile", box(0.1, 0.02, 0.1), (0.0, 1.2, 0.0)))
    d.do("reseat", pieces=["tile"])
    d.do("tie", tie="cling", piece="tile", to="hill", lean=1.0)
    for _ in range(6):
        d.do("slide", pieces=["tile"], by=[0.1, 0, 0])
        up = d.piece("tile").pose.linear[:, 1]
        outward = d.at("tile") / np.linalg.norm(d.at("tile"))
        assert up @ outward > 0.995
        assert d.fit("tile").gap == pytest.approx(0.0, abs=1e-6)


def test_conflicting_ties_are_named_and_none_can_be_left_out() -> None:
    d = Dressed(FLOOR, WALL, BENCH, piece("stand", box(0.3, 1, 0.3), (2.5, 0.5, -1.5), bearer=True))
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.3)
    d.do("tie", tie="gap", piece="bench", to="stand", side=[1, 0, 0], distance_m=0.5, at_least=True)
    with pytest.raises(MoveRefused) as refused:
        d.look("tie", tie="gap", piece="bench", to="floor", side=[0, -1, 0], distance_m=0.4)
    # Standing on the floor and 40 cm above it: the gap alone is at fault, whatever the others keep.
    assert len(refused.value.ties) == 1
    plate = piece("plate", box(8, 3, 0.2), (0.0, 1.5, 3.1), bearer=True)
    d = Dressed(FLOOR, WALL, plate, BENCH)
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.3)
    with pytest.raises(MoveRefused, match=r"gap of 300.0 mm.*gap of 300.0 mm.*cannot hold") as refused:
        d.look("tie", tie="gap", piece="bench", to="plate", side=[0, 0, 1], distance_m=0.3)
    assert len(refused.value.ties) == 2
    for key in refused.value.ties:
        if key in d.set.ties:
            d.do("loosen", ties=[key])
    d.do("tie", tie="gap", piece="bench", to="plate", side=[0, 0, 1], distance_m=0.3)
    holds(d)


def test_a_locked_tie_is_loosened_only_by_name() -> None:
    d = Dressed(FLOOR, WALL, BENCH)
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], locked=True)
    assert d.set.ties["new-1"].distance == pytest.approx(1.8, abs=1e-9)
    out = d.do("loosen", pieces=["bench"])
    assert "locked" in out.left[0].reason
    assert "new-1" in d.set.ties
    d.do("loosen", ties=["new-1"])
    assert not d.set.ties


def test_a_gap_over_rising_ground_to_a_leaning_wall_is_exact() -> None:
    ramp = piece("ramp", sheet([(-5, 0, 5), (5, 0.8, 5), (5, 1.4, -5), (-5, 0.6, -5)]), bearer=True)
    wall = piece("wall", box(12, 4, 0.2)).at(
        Pose.of(rotation_about(np.array([1.0, 0, 0]), np.radians(12)), np.array([0, 2, -2.0]))
    )
    wall = Piece("wall", "wall", wall.prop, wall.pose, "bearer")
    d = Dressed(ramp, wall, BENCH.at(Pose((0.0, 2.0, 1.0))))
    d.do("reseat", pieces=["bench"])
    d.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.2)
    for by in ([0.7, 0, 0], [-1.5, 0, 0.2], [0.3, 0, -0.4]):
        d.do("slide", pieces=["bench"], by=by)
        holds(d)
        face = wall.pose.linear[:, 2]
        gaps = (world(d.piece("bench")) - wall.pose.origin) @ face - 0.1
        assert gaps.min() == pytest.approx(0.2, abs=1e-6)
        assert abs(d.fit("bench").gap or 0) < 1e-6


@settings(max_examples=150, deadline=None)
@given(seeds, st.integers(0, 2), st.integers(0, 5))
def test_the_nearest_point_is_the_one_that_a_general_solver_finds(seed: int, equations: int, others: int) -> None:
    rng = np.random.default_rng(seed)
    inner = rng.uniform(-1, 1, 3)
    equal, least = rng.normal(size=(equations, 3)), rng.normal(size=(others, 3))
    at, above = equal @ inner, least @ inner - rng.uniform(0, 1, others)
    found = nearest_point(equal, at, least, above)
    assert found is not None
    assert np.abs(equal @ found - at).max(initial=0.0) < 1e-8
    assert (least @ found - above).min(initial=0.0) > -1e-7
    rules = [{"type": "eq", "fun": lambda x: equal @ x - at}] if equations else []
    rules += [{"type": "ineq", "fun": lambda x: least @ x - above}] if others else []
    other = minimize(
        lambda x: x @ x, inner, jac=lambda x: 2 * x, constraints=rules, method="SLSQP", options={"ftol": 1e-14}
    )
    assert found @ found == pytest.approx(other.fun, abs=1e-5)


def test_what_cannot_be_has_no_nearest_point() -> None:
    row = np.array([[0.6, 0.8]])
    assert nearest_point(np.concatenate([row, row]), np.array([1.0, 1.1]), np.zeros((0, 2)), np.zeros(0)) is None
    assert nearest_point(np.zeros((0, 2)), np.zeros(0), np.concatenate([row, -row]), np.array([1.0, -0.5])) is None


def test_a_piece_is_kept_square_to_one_that_is_joined() -> None:
    """The table stands for itself and the bowl on it: the face in the tie's direction is that of both together."""
    table, bowl = piece("table", box(0.8, 0.4, 0.8), (0, 0.2, 0)), piece("bowl", box(0.1, 0.1, 0.1), (0, 0.45, 0))
    crate = piece("crate", box(0.3, 0.3, 0.3), (0, 0.15, 1.0))
    d = Dressed(FLOOR, table, bowl, crate)
    d.do("tie", tie="join", piece="bowl", to="table")
    d.do("tie", tie="square", piece="crate", to="table", side=[0, 0, -1])
    d.do("turn", pieces=["table"], angle_deg=20.0)
    turned = d.set.pieces["crate"].pose.linear[:, 2]
    assert np.degrees(np.arctan2(turned[0], turned[2])) == pytest.approx(20.0, abs=1e-6)
