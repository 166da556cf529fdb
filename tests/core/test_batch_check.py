"""Many pieces looked at in one call: the same verdicts as one by one, whatever stands where, and rows found by the plan grid."""

import threading

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.contacts import GRID_FROM
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.plan_grid import plan_grid, rows_over
from brickseat_core.fit.check import MANY, check
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Triple, Vec, rotation_matrix
from brickseat_core.tolerances import SEATED_TOLERANCE
from shapes import FLOOR, ball, box, inward, piece, revolved, sheet

seeds = st.integers(0, 2**32 - 1)
BOWL = revolved([(0, 0), (0.1, 0), (0.12, 0.1), (0.1, 0.1), (0, 0.02)], 16)
MESHES = (box(0.2, 0.1, 0.15), ball(0.1, 2), BOWL, box(1.6, 0.02, 0.05), inward(box(0.3, 0.3, 0.3)))
WAYS: tuple[Triple, ...] = ((0, -1, 0), (0, -1, 0), (0, 1, 0), (1, 0, 0), (0.6, -0.8, 0))


def jumble(rng: np.random.Generator, count: int) -> SceneIndex:
    """A floor, an awning, a beam above, and pieces that stand, float, sink, hang, lean, contain and cut each other."""
    awning = piece("awning", sheet([(-1, 0.8, -1), (1, 0.8, -1), (1, 0.9, 1), (-1, 0.9, 1)]), bearer=True)
    beam = piece("beam", box(4, 0.2, 0.2), (0.0, 1.6, 0.0), bearer=True)
    index = SceneIndex([FLOOR, awning, beam])
    for n in range(count):
        mesh: Mesh = MESHES[int(rng.integers(len(MESHES)))]
        way = WAYS[int(rng.integers(len(WAYS)))]
        sink = float(rng.choice([0.0, 0.0, 0.003]))
        stand_off = 0.01 if rng.random() < 0.1 else 0.0
        made = piece(f"p{n}", mesh, direction=way, sink=sink, stand_off=stand_off)
        q = rng.normal(size=4) if rng.random() < 0.5 else np.array([0.0, rng.normal(), 0.0, 1.0])
        at = rng.uniform((-1.2, 0.05, -1.2), (1.2, 1.3, 1.2))
        scale = np.diag(rng.uniform(0.5, 2.0, 3)) if rng.random() < 0.3 else np.eye(3)
        made = made.at(Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])) @ scale, at))
        if rng.random() < 0.6:
            made = made.at(set_down(index, made).pose)
        index.put(made)
    index.judge_senses()
    return index


@settings(max_examples=25, deadline=None)
@given(seeds)
def test_all_at_once_tells_what_one_by_one_tells_to_the_last_bit(seed: int) -> None:
    rng = np.random.default_rng(seed)
    # Fewer and more than the grid is made for, and more than are looked at in one call.
    index = jumble(rng, int(rng.choice([3, GRID_FROM + 3, MANY + 9])))
    alone = {k: measure_fit(index, p) for k, p in index.pieces.items() if p.role == "prop"}
    assert check(index) == alone
    some = [k for k in alone if rng.random() < 0.4]
    assert check(index, keys=some) == {k: alone[k] for k in some}


@settings(max_examples=25, deadline=None)
@given(seeds)
def test_what_is_in_others_is_known_before_how_deep(seed: int) -> None:
    index = jumble(np.random.default_rng(seed), MANY + 9)
    whole = check(index)
    for key, fit in check(index, deep=False).items():
        if fit.deeper:
            assert (fit.state, fit.depth) == ("clashing", SEATED_TOLERANCE)
            assert whole[key].depth > SEATED_TOLERANCE
            assert {c.other for c in fit.clashes} == {c.other for c in whole[key].clashes}
        else:
            assert fit == whole[key], "and all else is known at once"


@settings(max_examples=60, deadline=None)
@given(seeds)
def test_the_plan_grid_finds_every_row_over_a_rectangle_once(seed: int) -> None:
    rng = np.random.default_rng(seed)
    spread = 10.0 ** rng.uniform(-2, 3, 2)
    index = SceneIndex(
        [
            piece(f"p{n}", MESHES[n % len(MESHES)]).at(
                wide_or_not(rng, (rng.normal() * spread[0], 0.0, rng.normal() * spread[1]))
            )
            for n in range(int(rng.integers(1, 60)))
        ]
    )
    for key in list(index.pieces)[::5][1:]:
        index.remove(key)
    grid = plan_grid(index.placed, len(index.keys))
    placed = index.placed
    for _ in range(10):
        middle, half = rng.normal(size=2) * spread, 10.0 ** rng.uniform(-3, 2, 2)
        lo, hi = middle - half, middle + half
        found = rows_over(grid, placed, lo, hi)
        meets = (placed.lo[:, [0, 2]] <= hi).all(axis=1) & (placed.hi[:, [0, 2]] >= lo).all(axis=1)
        standing = placed.root >= 0
        wanted = np.flatnonzero(meets & standing).tolist()
        assert set(wanted) <= set(found.tolist()), "a row that lies over it is missing"
        assert found.tolist() == sorted(set(found.tolist()))
        assert standing[found].all()


def wide_or_not(rng: np.random.Generator, at: Triple) -> Pose:
    size: Vec = np.diag(rng.choice([1.0, 1.0, 1.0, 50.0]) * np.ones(3))
    return Pose.of(size, np.array(at))


def rows_of(count: int) -> list[Piece]:
    return [piece(f"p{n}", MESHES[0], (0.3 * (n % 12), 0.05, 0.3 * (n // 12))) for n in range(count)]


def test_the_grid_does_not_look_at_everything() -> None:
    index = SceneIndex([FLOOR, *rows_of(500)])
    found = rows_over(
        plan_grid(index.placed, len(index.keys)), index.placed, np.array([0.9, 0.9]), np.array([1.0, 1.0])
    )
    assert 2 <= len(found) < 30


@pytest.mark.parametrize("stop_at", [1, 40])
def test_a_check_is_stopped_and_keeps_what_it_knows(stop_at: int) -> None:
    progress: list[tuple[int, int]] = []
    here = threading.get_ident()

    def on_progress(done: int, total: int) -> bool:
        assert threading.get_ident() == here
        progress.append((done, total))
        return done < stop_at

    fits = check(SceneIndex([FLOOR, *rows_of(300)]), on_progress=on_progress)
    assert stop_at <= len(fits) < 300
    assert {f.state for f in fits.values()} == {"seated"}
    assert [done for done, _ in progress] == sorted(done for done, _ in progress)
    assert {total for _, total in progress} == {300}
