"""Whatever takes time may be given up at any of its looks at the budget: nothing has changed then, and it comes out the same later."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from bays import PROPS as OF_BAYS
from bays import compartment, shelf
from brickseat_core.budget import UNLIMITED, Budget, Stopped
from brickseat_core.gravity.falling import Falling, falling
from brickseat_core.gravity.settling import SettleSlip, settle, shapes_for
from brickseat_core.moves import MoveRefused, Outcome, PropFacts
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Region
from dressing import Dressed
from shapes import FLOOR, box, piece, standing
from yards import PROPS, yard

SHAPES: dict[str, Falling] = {}


def falls(prop: Prop, budget: Budget) -> Falling:
    """As ``falling``, made once."""
    if prop.key not in SHAPES:
        SHAPES[prop.key] = falling(prop, budget)
    return SHAPES[prop.key]


def lying(outcome: Outcome) -> dict[int | str, Pose]:
    """Where all lies that a move touched, by number or by key."""
    pieces = {key: found for key, found in outcome.change.pieces().items() if found is not None}
    return {key if found.number is None else found.number: found.pose for key, found in pieces.items()}


def on_ground(**recipe: Any) -> Callable[[Budget], object]:
    on = Dressed(yard(), props=PROPS.values())
    recipe = {"on": ["ground"], "seed": 3, **recipe}
    return lambda budget: lying(on.look("scatter", budget, PropFacts(falls), recipe=recipe))


def in_bay() -> Callable[[Budget], object]:
    on = Dressed(*shelf(0.5, 0.24, 0.3), props=OF_BAYS.values())
    bay = Region("bay", "bay", Prop("bay", "bay", compartment(0.5, 0.24, 0.3)), Pose((0.0, 0.0, 0.0)))
    on.take(Change("marked out", (Delta("region", "bay", None, bay),)))
    recipe = {"bay": "bay", "props": [{"prop": "brick"}, {"prop": "pot"}]}
    return lambda budget: lying(on.look("fill", budget, recipe=recipe))


def tied() -> Callable[[Budget], object]:
    rail = piece("rail", box(0.1, 1.0, 8.0), (-2.0, 0.5, 0.0), bearer=True)
    crates = [piece(f"p{n}", box(0.2, 0.2, 0.2), (0.0, 0.1, 0.5 * n)) for n in range(5)]
    on = Dressed(FLOOR, rail, *crates)
    for p in crates:
        on.do("tie", tie="gap", piece=p.key, to="rail", side=[-1, 0, 0], distance_m=0.5, at_least=True)
    keys = [p.key for p in crates]
    return lambda budget: lying(on.look("carry", budget, pieces=keys, by=[0.01, 0.0, 0.0]))


def heap() -> Callable[[Budget], object]:
    prop = PROPS["pot"]
    pots = [Piece(f"p{n}", f"p{n}", prop, Pose((0.05 * (n % 3), 0.15 * n, 0.03 * n))) for n in range(6)]
    index = standing(FLOOR, *pots)
    shapes = shapes_for({"pot": prop})

    def run(budget: Budget) -> object:
        try:
            return settle(index, [p.key for p in pots], SettleSlip(seconds=1.0), shapes, budget=budget).pieces
        finally:
            assert [index.pieces[p.key] for p in pots] == pots

    return run


POTS, STONES = {"prop": "pot", "size": [0.7, 1.2]}, {"prop": "stone"}
WAYS: dict[str, Callable[[], Callable[[Budget], object]]] = {
    "scatter": lambda: on_ground(props=[{**POTS, "auto_bed": True}, STONES], count=60),
    "in turns": lambda: on_ground(props=[STONES, {**POTS, "gather_m": 0.5}], count=30),
    "thrown": lambda: on_ground(props=[STONES], count=8, throw_m=0.2),
    "fill": in_bay,
    "ties": tied,
    "settle": heap,
}


@pytest.mark.parametrize("way", WAYS)
def test_it_may_be_given_up_at_any_look(way: str) -> None:
    run = WAYS[way]()
    # What is made once and kept, as the points of a surface, is there from now on: each run has as many looks.
    run(UNLIMITED)
    looks = 0

    def look(_done: int, _total: int) -> bool:
        nonlocal looks
        looks += 1
        return True

    whole = run(Budget(on_progress=look))
    assert looks > 5, "it looks again and again"

    @settings(max_examples=12, deadline=None)
    @given(st.integers(0, looks - 1))
    def given_up(at: int) -> None:
        left = at

        def stop(_done: int, _total: int) -> bool:
            nonlocal left
            left -= 1
            return left >= 0

        with pytest.raises((Stopped, MoveRefused), match="stopped"):
            run(Budget(on_progress=stop))

    given_up()
    assert run(UNLIMITED) == whole
