"""After any change only some pieces are measured again; the outcome is as if all had been."""

from typing import Any

import numpy as np
import pytest

from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.scene import Set
from brickseat_core.tolerances import SEATED_TOLERANCE
from shapes import FLOOR, ball, box, made, piece, revolved, sheet, standing


def some_set(seed: int) -> Set:
    rng = np.random.default_rng(seed)
    shapes = [box(0.3, 0.2, 0.25), ball(0.12, 2), revolved([(0, 0), (0.1, 0), (0.13, 0.2), (0, 0.2)], 16)]
    pieces = [
        piece(
            f"p{k}", shapes[k % 3], (float(rng.uniform(-1, 1)), float(rng.uniform(0, 0.6)), float(rng.uniform(-1, 1)))
        )
        for k in range(18)
    ]
    return Set.of("some", [FLOOR, *pieces])


def some_move(rng: np.random.Generator, keys: list[str]) -> dict[str, Any]:
    some = tuple(rng.choice(keys, size=rng.integers(1, 4), replace=False).tolist())
    moves: list[dict[str, Any]] = [
        {"kind": "slide", "by": [float(rng.uniform(-0.4, 0.4)), 0.0, float(rng.uniform(-0.4, 0.4))]},
        {"kind": "turn", "angle_deg": float(rng.uniform(-180, 180))},
        {"kind": "size", "factor": float(rng.uniform(0.6, 1.5))},
        {"kind": "reseat"},
        {"kind": "rest"},
        {"kind": "repair"},
    ]
    return {**moves[int(rng.integers(len(moves)))], "pieces": some}


@pytest.mark.parametrize("seed", range(5))
def test_measuring_what_a_change_touched_is_measuring_all(seed: int) -> None:
    rng = np.random.default_rng(seed)
    dressed = some_set(seed)
    index = standing(*dressed.pieces.values())
    fits = check(index)
    for _ in range(8):
        before = dict(index.pieces)
        change = made(index, some_move(rng, [k for k in fits]), dressed.tolerance, fits).change
        assert index.pieces == before, "computing a move changed the set"
        assert change.backwards().on(change.on(dressed)).pieces == dressed.pieces
        dressed = change.on(dressed)
        boxes = index.follow(change.pieces())
        fits.update(check(index, keys=index.affected_by(boxes, SEATED_TOLERANCE)))
        assert fits == check(index)


def test_repair_knows_the_fits_it_is_given_and_spares_the_spiked() -> None:
    dressed = some_set(1)
    index = standing(*dressed.pieces.values())
    fits = check(index)
    spiked = made(index, {"kind": "spike", "pieces": ["p3", "p4"]}, fits=fits).change.on(dressed)
    one, two = standing(*spiked.pieces.values()), standing(*spiked.pieces.values())
    given, own = repair(one, fits=fits), repair(two)
    assert given.change == own.change
    assert {"p3", "p4"}.isdisjoint(d.key for d in given.change.deltas)
    assert sum(not f.faults for f in check(one).values()) >= sum(not f.faults for f in fits.values())


@pytest.mark.parametrize("back", [False, True])
def test_what_is_judged_anew_is_measured_anew_however_far_off_the_cause_is(back: bool) -> None:
    # A bearer under one end of the ground makes an awning of it: what is sunk in its other end clashes with it instead.
    ground = piece("ground", sheet([(-5, 0, -5), (-5, 0, 5), (5, 0, 5), (5, 0, -5)]), (0, 0, 0), bearer=True)
    sunk = piece("sunk", box(0.2, 0.2, 0.2), (3, -0.15, 3))
    below = piece("below", box(0.2, 0.2, 0.2), (-3, -2, -3), bearer=True)
    index = standing(ground, sunk, *([below] if back else []))
    fits = check(index)
    boxes = index.follow({"below": None if back else below})
    fresh = check(index, keys=index.affected_by(boxes, SEATED_TOLERANCE))
    assert {**fits, **fresh} == check(index)
    assert fresh["sunk"].state != fits["sunk"].state
