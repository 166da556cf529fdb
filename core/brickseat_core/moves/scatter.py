"""Scatter: many pieces laid by a recipe, which the set keeps, and which can be laid again."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.many.laying import Laid, Scatter
from brickseat_core.many.places import Places
from brickseat_core.many.recipe import BadRecipe, ScatterRecipe, checked
from brickseat_core.many.records import record_of
from brickseat_core.moves.choosing import taken_names
from brickseat_core.moves.fields import Key, Text
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta, Piece, Prop, piece_delta


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
    before = scene.dressed.recipes.get(move.again) if move.again is not None else None
    if move.again is not None and (before is None or before.recipe != "scatter"):
        raise MoveRefused("that recipe is no longer there; lay a new one")
    old = {
        p.number: p
        for p in scene.dressed.pieces.values()
        if before is not None and p.recipe == before.key and p.number is not None
    }
    for piece in old.values():
        scene.index.remove(piece.key)
    key = before.key if before is not None else scene.fresh_key()
    names = taken_names(scene) - {p.name for p in old.values()}

    def key_of(number: int) -> str:
        standing = old.get(number)
        return standing.key if standing is not None else scene.fresh_key()

    def name_of(prop: Prop, number: int) -> str:
        name, again = f"{prop.name} {number}", 2
        while name in names:
            name, again = f"{prop.name} {number} ({again})", again + 1
        return name

    try:
        recipe = checked(move.recipe)
        props = [prop_of(scene, move, number) for number in range(len(recipe.props))]
        laid = Scatter(
            Places(scene.dressed, scene.index),
            recipe,
            props,
            key,
            key_of,
            name_of,
            scene.dressed.tolerance,
            scene.deadline,
            {n: p for n, p in old.items() if p.spiked or n in recipe.exceptions.nudged},
        ).run()
    except BadRecipe as problem:
        raise MoveRefused(str(problem)) from None
    name = move.name or (before.name if before is not None else " and ".join(p.name for p in props[:2]))
    record = record_of(key, name, recipe)
    deltas: list[Delta] = [] if record == before else [Delta("recipe", key, before, record)]
    deltas += [piece_delta(p, None) for n, p in old.items() if n not in laid.pieces]
    deltas += [piece_delta(old.get(n), p) for n, p in sorted(laid.pieces.items()) if old.get(n) != p]
    counts: dict[str, int] = {"wanted": laid.wanted, "laid": len(laid.pieces)}
    counts.update((str(reason), count) for reason, count in laid.left.items())
    return Outcome(Change(in_words(laid, props, before is not None), tuple(deltas)), counts=counts)


def prop_of(scene: Scene, move: ScatterMove, number: int) -> Prop:
    """The prop of one of a recipe's rules. Raises MoveRefused."""
    rule = move.recipe.props[number]
    if rule.prop is not None:
        return scene.prop(rule.prop)
    if rule.piece is not None:
        piece: Piece | None = scene.apart.pieces.get(rule.piece)
        if piece is None:
            raise MoveRefused(f"props.{number}: there is no piece {rule.piece!r} on the set; choose another one")
        return piece.prop
    raise MoveRefused(f"props.{number}: a file is only read by brickseat scatter; choose a prop of the store")


def in_words(laid: Laid, props: list[Prop], again: bool) -> str:
    """What the move did."""
    what = props[0].name if len(props) == 1 else f"{len(props)} props"
    return f"scattered {what}{' anew' if again else ''}: {laid.in_words()}"


REGISTRY.register(ScatterMove, compute)
