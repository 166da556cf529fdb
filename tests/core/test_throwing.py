"""Throw: what a recipe lays falls from a height, lies exactly, and is counted where it does not."""

from typing import Any

import numpy as np
import pytest

from brickseat_core.budget import Budget
from brickseat_core.fit.check import check
from brickseat_core.gravity.falling import Falling, falling
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.moves import MoveRefused, PropFacts
from brickseat_core.recipes.scatter_schema import BadRecipe, parse_recipe, recipe_json
from brickseat_core.scene import Prop
from dressing import Dressed
from shapes import bounds, box, piece
from test_scatter import dressed, laid, recipe

GAP, DEPTH = 5e-5, 1e-5
"""Metres that a finished piece may be above what bears it, and inside of anything."""
KILN = piece("kiln", box(1.0, 2.0, 1.0), (0.0, 1.0, 0.0))


def thrown(on: Dressed, count: int = 12, **more: Any) -> Any:
    return on.do("scatter", recipe=recipe(count, throw_m=0.3, **more))


def test_what_is_thrown_lies_exactly_and_somewhere_else_than_what_is_seated() -> None:
    seated, on = dressed(), dressed()
    seated.do("scatter", recipe=recipe(12))
    outcome = thrown(on)
    assert outcome.change.words.startswith("threw pot: laid")
    lying = laid(on)
    assert len(lying) + outcome.counts.get("unsettled", 0) == 12
    assert len(lying) >= 10
    for key, fit in check(on.index, on.set.tolerance, [p.key for p in lying.values()]).items():
        assert fit.state == "seated", (key, fit.reason)
        assert fit.gap is not None
        assert fit.gap <= GAP
        assert fit.depth <= DEPTH
    before = laid(seated)
    assert all(lying[n].pose != before[n].pose for n in lying.keys() & before.keys())
    assert all(p.sink == 0.0 and p.direction == (0.0, -1.0, 0.0) for p in lying.values())


def test_the_same_recipe_gives_the_same_whatever_its_pieces_are_called() -> None:
    one, other = dressed(), dressed()
    # A key more that is used up: those of the pieces are others.
    other.fresh_key()
    thrown(one)
    thrown(other)
    poses = [{n: p.pose for n, p in laid(on).items()} for on in (one, other)]
    assert poses[0] == poses[1]
    assert {p.key for p in laid(one).values()} != {p.key for p in laid(other).values()}


def test_laid_again_keeps_what_is_taken_out_and_what_was_moved_by_hand() -> None:
    on = dressed()
    thrown(on)
    (key,) = on.set.recipes
    numbers = sorted(laid(on))
    out, moved = numbers[0], numbers[1]
    on.do("remove", pieces=[laid(on)[out].key])
    on.do("carry", pieces=[laid(on)[moved].key], by=[0.0, 0.2, 0.0])
    where = laid(on)[moved].pose
    again = recipe(12, throw_m=0.3, exceptions={"taken_out": [out], "nudged": {}})
    again["exceptions"]["nudged"] = {
        str(moved): {"position": list(where.position), "basis": list(where.basis)},
    }
    on.do("scatter", recipe=again, again=key)
    assert out not in laid(on)
    assert laid(on)[moved].pose == where


def test_what_rolls_into_a_keep_out_is_not_laid() -> None:
    on = dressed(KILN)
    free = thrown(on, 25).counts["laid"]
    on = dressed(KILN)
    outcome = thrown(on, 25, keep_out=["kiln"])
    lo, hi = bounds(on.piece("kiln"))
    for one in laid(on).values():
        below, above = bounds(one)
        assert (above <= lo + 1e-6).any() or (below >= hi - 1e-6).any()
    assert free >= outcome.counts["laid"]


def test_how_a_prop_falls_is_asked_once_for_each() -> None:
    asked: list[str] = []

    def falls(prop: Prop, budget: Budget) -> Falling:
        asked.append(prop.name)
        return falling(prop, budget)

    on = dressed()
    on.do("scatter", facts=PropFacts(falls), recipe=recipe(6, throw_m=0.2))
    assert asked == ["pot"]

    def cannot(prop: Prop, budget: Budget) -> Falling:
        raise NotForGravity(f"{prop.name} cannot fall: it is a sheet")

    with pytest.raises(MoveRefused, match="throw_m: pot cannot fall"):
        on.do("scatter", facts=PropFacts(cannot), recipe=recipe(6, throw_m=0.2))


def test_a_throw_is_stopped_while_it_falls() -> None:
    on = dressed()
    progress: list[int] = []

    def hears(done: int, total: int) -> bool:
        progress.append(done)
        # Laid first, up to all of them; then counted anew while they fall.
        return not (max(progress) >= 12 and done < max(progress))

    before = on.set
    with pytest.raises(MoveRefused, match="stopped"):
        on.do("scatter", budget=Budget(on_progress=hears), recipe=recipe(12, throw_m=0.3))
    assert on.set is before


def test_only_what_lies_on_floors_can_be_thrown() -> None:
    with pytest.raises(BadRecipe, match="throw_m"):
        parse_recipe(recipe(5, throw_m=0.5, facing="up"))
    found = parse_recipe(recipe(5, throw_m=0.5))
    assert recipe_json(found)["throw_m"] == 0.5
    assert np.isclose(found.throw_m or 0.0, 0.5)
