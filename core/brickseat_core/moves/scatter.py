"""Scatter: many pieces laid by a recipe, which the set keeps, and which can be laid again."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.fields import Key, Text
from brickseat_core.moves.recipe_pieces import RecipePieces, props_of
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.proposals.scatter.laying import Laid, Scatter
from brickseat_core.recipes.numbering import places_of, with_exceptions_of
from brickseat_core.recipes.places import Places, unpainted
from brickseat_core.recipes.records import record_of
from brickseat_core.recipes.scatter_schema import BadRecipe, ScatterRecipe, checked
from brickseat_core.scene import Change, Prop


@dataclass(frozen=True)
class ScatterMove:
    """What ``recipe`` says, laid; every piece touches and is in balance. ``again``: the recipe of the set that is laid anew
    in its place, its exceptions as ``recipe`` has them. ``name``: what the recipe is called."""

    kind: Literal["scatter"]
    recipe: ScatterRecipe
    again: Key | None = None
    name: Text = ""


def compute(scene: Scene, move: ScatterMove) -> Outcome:
    """The pieces of the recipe and its record; what it laid before and does not lay now is gone. Raises MoveRefused."""
    pieces = RecipePieces.of(scene, move.again, "scatter")
    try:
        recipe = checked(move.recipe)
        if pieces.before is not None:
            laid_on = places_of(pieces.before.parameters.get("on", recipe.on))
            pieces = pieces.renumbered(laid_on, places_of(recipe.on))
            recipe = with_exceptions_of(recipe, laid_on)
        props = props_of(scene, recipe.props)
        places = Places(scene.dressed, scene.index, painted=scene.facts.painted or unpainted, budget=scene.budget)
        stays = {n: p for n, p in pieces.standing.items() if p.spiked or n in recipe.exceptions.nudged}
        laid = Scatter(
            places,
            recipe,
            props,
            pieces.key,
            pieces.key_of,
            pieces.name_of,
            scene.dressed.tolerance,
            scene.budget,
            stays,
            scene.pool,
        ).run()
        if recipe.throw_m is not None:
            laid = fallen(scene, places, recipe, laid, {*stays, *recipe.exceptions.nudged})
    except BadRecipe as problem:
        raise MoveRefused(str(problem)) from None
    record = record_of(pieces.key, pieces.recipe_name(move.name, props), recipe)
    deltas = pieces.deltas(record, laid.pieces)
    counts: dict[str, int] = {"wanted": laid.wanted, "laid": len(laid.pieces)}
    counts.update((str(reason), count) for reason, count in laid.left.items())
    return Outcome(Change(in_words(laid, props, recipe, pieces.before is not None), deltas), counts=counts)


def fallen(scene: Scene, places: Places, recipe: ScatterRecipe, laid: Laid, stays: set[int]) -> Laid:
    """What lies once it has fallen. Raises BadRecipe."""
    # The engine takes its time to load, and few recipes need it.
    from brickseat_core.gravity.falling import falling
    from brickseat_core.proposals.scatter.throwing import thrown

    return thrown(laid, places, recipe, scene.facts.falls or falling, scene.dressed.tolerance, stays, scene.budget)


def in_words(laid: Laid, props: list[Prop], recipe: ScatterRecipe, again: bool) -> str:
    """What the move did."""
    what = props[0].name if len(props) == 1 else f"{len(props)} props"
    return f"{'scattered' if recipe.throw_m is None else 'threw'} {what}{' anew' if again else ''}: {laid.in_words()}"


REGISTRY.register(ScatterMove, compute)
