"""Fill: a bay stacked with pieces by a recipe, which the set keeps, and which can be filled again."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.fields import Key, Text
from brickseat_core.moves.recipe_pieces import RecipePieces, props_of
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.proposals.fill.filling import Filled, Filling
from brickseat_core.proposals.fill.staying import what_can_stay
from brickseat_core.recipes.fill_records import fill_record
from brickseat_core.recipes.fill_schema import FillRecipe, checked_fill
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.scene import Change, Piece, Prop


@dataclass(frozen=True)
class FillMove:
    """A bay filled as ``recipe`` says; every piece touches, is in balance and lies inside. ``again``: the recipe of the set that is filled
    anew in its place, its exceptions as ``recipe`` has them. ``keep``: what stands of that and can stay, stays. ``name``: what the
    recipe is called."""

    kind: Literal["fill"]
    recipe: FillRecipe
    again: Key | None = None
    keep: bool = False
    name: Text = ""


def compute(scene: Scene, move: FillMove) -> Outcome:
    """The pieces of the recipe and its record; what it placed before and does not place now is gone. Raises MoveRefused."""
    pieces = RecipePieces.of(scene, move.again, "fill")
    try:
        recipe = checked_fill(move.recipe)
        props = props_of(scene, recipe.props)
        places = Places(scene.dressed, scene.index)
        filled = Filling(
            places,
            recipe,
            props,
            pieces.key,
            pieces.key_of,
            pieces.name_of,
            scene.dressed.tolerance,
            scene.budget,
            kept_of(scene, move, pieces, props, places),
        ).run()
    except BadRecipe as problem:
        raise MoveRefused(str(problem)) from None
    record = fill_record(pieces.key, pieces.recipe_name(move.name, props), recipe)
    counts: dict[str, int] = {"laid": len(filled.pieces), "percent": round(100.0 * filled.density)}
    if filled.wanted is not None:
        counts["wanted"] = filled.wanted
    counts.update((str(reason), count) for reason, count in filled.left.items())
    words = in_words(filled, scene.dressed.regions[recipe.bay].name, pieces.before is not None)
    return Outcome(Change(words, pieces.deltas(record, filled.pieces)), counts=counts)


def kept_of(scene: Scene, move: FillMove, pieces: RecipePieces, props: list[Prop], places: Places) -> dict[int, Piece]:
    """By number, what stands of an earlier filling and stays: what is spiked or was moved by hand, and all that can where that is asked for."""
    out = set(move.recipe.exceptions.taken_out)
    standing = {n: p for n, p in sorted(pieces.standing.items()) if n not in out}
    fixed = {n: p for n, p in standing.items() if p.spiked or n in move.recipe.exceptions.nudged}
    if not move.keep:
        return fixed
    others = {n: p for n, p in standing.items() if n not in fixed and p.prop in props}
    if move.recipe.count is not None:
        others = dict(list(others.items())[: max(0, move.recipe.count - len(fixed))])
    index = scene.index.fork()
    index.put_all(fixed.values())
    bay = places.volume(move.recipe.bay, "bay")
    return {**fixed, **what_can_stay(index, others, bay, scene.dressed.tolerance)}


def in_words(filled: Filled, bay: str, again: bool) -> str:
    """What the move did."""
    return f"filled {bay}{' again' if again else ''}: {filled.in_words()}"


REGISTRY.register(FillMove, compute)
