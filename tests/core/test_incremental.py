"""After any change only some pieces are measured again; the outcome is as if all had been."""

import numpy as np
import pytest

from brickseat_core.fit.check import check, touched_by
from brickseat_core.fit.repair import repair
from brickseat_core.placing.making import compute
from brickseat_core.placing.moves import Mend, Move, Rest, Seat, Size, Slide, Spike, Turn
from brickseat_core.scene import Set
from shapes import FLOOR, ball, box, piece, revolved, standing


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


def some_move(rng: np.random.Generator, keys: list[str]) -> Move:
    some = tuple(rng.choice(keys, size=rng.integers(1, 4), replace=False).tolist())
    moves: list[Move] = [
        Slide(some, (float(rng.uniform(-0.4, 0.4)), 0.0, float(rng.uniform(-0.4, 0.4)))),
        Turn(some, float(rng.uniform(-3, 3))),
        Size(some, float(rng.uniform(0.6, 1.5))),
        Seat(some),
        Rest(some),
        Mend(some),
    ]
    return moves[int(rng.integers(len(moves)))]


@pytest.mark.parametrize("seed", range(5))
def test_measuring_what_a_change_touched_is_measuring_all(seed: int) -> None:
    rng = np.random.default_rng(seed)
    dressed = some_set(seed)
    index = standing(*dressed.pieces.values())
    fits = check(index)
    for _ in range(8):
        before = dict(index.pieces)
        change = compute(index, some_move(rng, [k for k in fits]), dressed.tolerance, fits).change
        assert index.pieces == before, "computing a move changed the set"
        assert change.backwards().on(change.on(dressed)).pieces == dressed.pieces
        dressed = change.on(dressed)
        boxes = [p.world_box() for d in change.deltas for p in (d.before, d.after) if p is not None]
        for delta in change.deltas:
            assert delta.after is not None
            index.put(delta.after)
        fits.update(check(index, keys=touched_by(index, boxes)))
        assert fits == check(index)


def test_repair_knows_the_fits_it_is_given_and_spares_the_spiked() -> None:
    dressed = some_set(1)
    index = standing(*dressed.pieces.values())
    fits = check(index)
    spiked = compute(index, Spike(("p3", "p4"), True), dressed.tolerance, fits).change.on(dressed)
    one, two = standing(*spiked.pieces.values()), standing(*spiked.pieces.values())
    given, own = repair(one, fits=fits), repair(two)
    assert given.change == own.change
    assert {"p3", "p4"}.isdisjoint(d.key for d in given.change.deltas)
    assert sum(not f.faults for f in check(one).values()) >= sum(not f.faults for f in fits.values())
