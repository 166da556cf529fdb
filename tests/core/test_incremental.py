"""After any change only some pieces are measured again; the outcome is as if all had been."""

from typing import Any

import numpy as np
import pytest

from brickseat_core.fit.check import check, touched_by
from brickseat_core.fit.repair import repair
from brickseat_core.scene import Piece, Set
from shapes import FLOOR, ball, bounds, box, made, piece, revolved, standing


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
        boxes = [bounds(p) for d in change.deltas for p in (d.before, d.after) if isinstance(p, Piece)]
        for delta in change.deltas:
            assert isinstance(delta.after, Piece)
            index.put(delta.after)
        fits.update(check(index, keys=touched_by(index, boxes)))
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
