"""The first promise: verdicts that are kept up piece by piece are those of a full check, to the last bit, after any change.

Random sets of everything that a verdict depends on (sinks, stand-offs, joined bodies, ties, cut-outs, what stands inside of others,
copies, ground that becomes an awning), and random changes of every kind.
"""

import contextlib
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.constraints.cutting import derived_meshes
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece, Pose, Set, Triple, bodies_of, rotation_matrix
from brickseat_core.tolerances import SEATED_TOLERANCE
from dressing import Dressed
from shapes import FLOOR, ball, box, piece, revolved, sheet, standing

seeds = st.integers(0, 2**32 - 1)
BOWL = revolved([(0, 0), (0.1, 0), (0.14, 0.12), (0.12, 0.12), (0, 0.02)], 16)
MESHES = (box(0.2, 0.1, 0.15), ball(0.1, 2), BOWL, box(0.5, 0.03, 0.3), box(0.04, 0.6, 0.04))
DIRECTIONS: tuple[Triple, ...] = ((0, -1, 0), (0, -1, 0), (0, -1, 0), (0, 1, 0), (0, 0, -1), (0.6, -0.8, 0))
WALL = piece("wall", box(4, 2, 0.2), (0, 1, -1.2), bearer=True)
AWNING = piece("awning", sheet([(0.2, 0.9, 0.2), (0.2, 0.9, 1.6), (1.6, 0.95, 1.6), (1.6, 0.95, 0.2)]), bearer=True)


def some_piece(rng: np.random.Generator, key: str) -> Piece:
    """A piece anywhere, turned and sized anyhow."""
    made = piece(
        key,
        MESHES[int(rng.integers(len(MESHES)))],
        direction=DIRECTIONS[int(rng.integers(len(DIRECTIONS)))],
        sink=float(rng.choice([0.0, 0.0, 0.004, 0.05])),
        stand_off=float(rng.choice([0.0, 0.0, 0.0, 0.02])),
    )
    x, y, z = rng.normal(size=3) * (rng.random() < 0.4)
    size = np.diag(rng.uniform(0.6, 1.6, 3)) if rng.random() < 0.3 else np.eye(3)
    at = rng.uniform((-1.0, -0.02, -1.1), (1.0, 0.7, 1.0))
    return made.at(Pose.of(rotation_matrix((x, y, z, 1.0)) @ size, at))


def some_set(rng: np.random.Generator, count: int) -> Dressed:
    here = Dressed(FLOOR, WALL, AWNING, *(some_piece(rng, f"p{n}") for n in range(count)))
    for key in [f"p{n}" for n in range(count)]:
        if rng.random() < 0.6:
            attempt(here, {"kind": "reseat", "pieces": [key]})
    return here


def vector(rng: np.random.Generator, most: float) -> list[float]:
    return [float(v) for v in rng.uniform(-most, most, 3)]


def some_move(rng: np.random.Generator, here: Dressed) -> dict[str, Any]:
    """A move of any kind, as plain values; many are refused."""
    props = [k for k, p in here.set.pieces.items() if p.role == "prop"]
    every = [k for k in here.set.pieces if k not in ("floor", "wall")]
    some = rng.choice(props, size=min(len(props), int(rng.integers(1, 4))), replace=False).tolist()
    one, other = rng.choice(every, size=2, replace=False).tolist()
    ties, cuts = list(here.set.ties), list(here.set.cut_outs)
    moves: list[dict[str, Any]] = [
        {"kind": "carry", "pieces": some, "by": vector(rng, 0.3)},
        {"kind": "slide", "pieces": some, "by": vector(rng, 0.4)},
        {"kind": "push", "pieces": some, "by": vector(rng, 0.4), "together": bool(rng.random() < 0.5)},
        {"kind": "turn", "pieces": some, "angle_deg": float(rng.uniform(-180, 180))},
        {"kind": "size", "pieces": some, "factor": float(rng.uniform(0.6, 1.5))},
        {"kind": "bed", "pieces": some, "sink": float(rng.choice([0.03, 0.008, -0.02, 0.0]))},
        {"kind": "reseat", "pieces": some, "together": bool(rng.random() < 0.3)},
        {"kind": "rest", "pieces": some[:1]},
        {"kind": "copy", "pieces": some, "by": vector(rng, 0.4)},
        {"kind": "remove", "pieces": some[:1]},
        {"kind": "fix", "pieces": [one], "fixed": bool(rng.random() < 0.5)},
        {"kind": "swap", "pieces": some[:1], "prop": here.piece(other).prop.key},
        {"kind": "rename", "piece": one, "name": f"renamed {int(rng.integers(1e9))}"},
        {"kind": "repair", "pieces": some},
        {"kind": "tie", "tie": "join", "piece": some[0], "to": other},
        {"kind": "tie", "tie": "cling", "piece": some[0], "to": other},
        {"kind": "tie", "tie": "gap", "piece": some[0], "to": "wall", "side": [0, 0, -1], "at_least": True},
        {"kind": "pull_apart", "pieces": some},
        {"kind": "loosen", "ties": ties[:1]},
        {"kind": "cut", "piece": some[0], "bearer": "wall", "clearance_m": 0.002},
        {"kind": "fill_in", "pieces": [here.set.cut_outs[cuts[0]].piece] if cuts else some},
        {"kind": "adjust", "tolerance_m": float(rng.choice([0.0005, 0.004, 0.0001]))},
    ]
    return moves[int(rng.integers(len(moves)))]


def attempt(here: Dressed, move: dict[str, Any]) -> None:
    with contextlib.suppress(MoveRefused):
        here.do(**move)


def fresh_index(dressed: Set, like: SceneIndex) -> SceneIndex:
    """The index of a set made anew, its rows in the order of those of ``like``: equals are told in the order of rows."""
    pieces = [dressed.pieces[key] for key in like.keys if key is not None]
    return SceneIndex(pieces, bodies=bodies_of(dressed.ties.values()), derived=derived_meshes(dressed))


@settings(max_examples=30, deadline=None)
@given(seeds)
def test_verdicts_kept_up_are_those_of_a_full_check(seed: int) -> None:
    rng = np.random.default_rng(seed)
    here = some_set(rng, 14)
    for _ in range(12):
        move = some_move(rng, here)
        attempt(here, move)
        full = check(fresh_index(here.set, here.index), here.set.tolerance)
        assert here.fits == full, move


@settings(max_examples=40, deadline=None)
@given(seeds)
def test_who_is_affected_is_everybody_whose_verdict_changes(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pieces = [some_piece(rng, f"p{n}") for n in range(16)]
    index = standing(FLOOR, WALL, *pieces)
    before = check(index)
    moved = some_piece(rng, "p3")
    boxes = index.follow({"p3": moved})
    after = check(index)
    affected = set(index.affected_by(boxes, SEATED_TOLERANCE))
    assert {k for k in after if after[k] != before[k]} <= affected


@pytest.mark.parametrize(("gap", "state"), [(0.0, "seated"), (0.006, "floating"), (-0.024, "sunk")])
def test_what_stands_on_a_bedded_piece_is_judged_where_both_are_drawn(gap: float, state: str) -> None:
    # The slab is measured 30 mm higher than it lies; a cup on top of it is in nobody's way there.
    slab = piece("slab", box(0.4, 0.1, 0.4), (0, 0.02, 0), sink=0.03)
    here = Dressed(FLOOR, slab, piece("cup", box(0.1, 0.1, 0.1), (1.0, 0.05, 0)))
    here.do("carry", pieces=["cup"], by=[-1.0, 0.07 + gap, 0])
    assert here.fits == check(fresh_index(here.set, here.index))
    assert here.fit("cup").state == state
    assert here.fit("slab").state == ("clashing" if gap < 0.0 else "seated")
    assert here.fit("slab").depth == pytest.approx(max(0.0, -gap), abs=1e-9)


def test_a_bedded_piece_that_hangs_in_the_air_is_not_borne_by_what_stands_on_it() -> None:
    slab = piece("slab", box(0.4, 0.1, 0.4), (0, 0.25, 0), sink=0.03)
    index = standing(FLOOR, slab, piece("cup", box(0.1, 0.1, 0.1), (0, 0.35, 0)))
    fits = check(index)
    assert fits["cup"].state == "seated"
    assert fits["slab"].state == "floating"
    assert fits["slab"].gap == pytest.approx(0.2, abs=1e-9)


def test_a_bedded_piece_that_is_deeper_than_wanted_is_sunk_by_what_is_too_much() -> None:
    slab = piece("slab", box(0.4, 0.1, 0.4), (0, 0.01, 0), sink=0.03)
    index = standing(FLOOR, slab, piece("cup", box(0.1, 0.1, 0.1), (0, 0.11, 0)))
    fits = check(index)
    assert (fits["cup"].state, fits["slab"].state) == ("seated", "sunk")
    assert fits["slab"].depth == pytest.approx(0.01, abs=1e-9)


@pytest.mark.parametrize(("height", "words"), [(0.3, "kept 300.0 mm off floor"), (0.0, "sits on floor")])
def test_no_verdict_states_a_distance_that_is_not_there(height: float, words: str) -> None:
    raised = piece("pot", box(0.1, 0.1, 0.1), (0, 0.05 + height, 0), stand_off=0.3)
    assert measure_fit(standing(FLOOR, raised), raised).reason == words
    bedded = piece("pot", box(0.1, 0.1, 0.1), (0, 0.05, 0), sink=0.02)
    assert measure_fit(standing(FLOOR, bedded), bedded).reason == "sits on floor"


def test_what_touches_is_in_balance_or_tippy_whatever_it_is_meant_to_keep_off() -> None:
    edge = piece("shelf", box(1, 0.1, 1), (0, -0.05, 0), bearer=True)
    over = piece("plank", box(1, 0.1, 0.1), (0.6, 0.05, 0), stand_off=0.2)
    assert measure_fit(standing(edge, over), over).state == "tippy"
