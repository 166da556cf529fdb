"""Clear: a recipe forgotten, with all that it laid or without."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.fields import Key
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta, piece_delta


@dataclass(frozen=True)
class ClearMove:
    """The pieces of a recipe taken away, and the recipe with them. ``keep``: its pieces stay, as pieces like any others."""

    kind: Literal["clear"]
    recipe: Key
    keep: bool = False


def compute(scene: Scene, move: ClearMove) -> Outcome:
    """The recipe gone, and its pieces gone or independent. Raises MoveRefused."""
    record = scene.dressed.recipes.get(move.recipe)
    if record is None:
        raise MoveRefused("that recipe is no longer there; somebody cleared it")
    own = [p for p in scene.dressed.pieces.values() if p.recipe == record.key]
    if not move.keep and (spiked := next((p for p in own if p.spiked), None)):
        raise MoveRefused(f"{spiked.name} is spiked; free it first")
    kept = {p.key: replace(p, recipe="", number=None) for p in own} if move.keep else {}
    deltas = [Delta("recipe", record.key, record, None), *(piece_delta(p, kept.get(p.key)) for p in own)]
    words = (
        f"forgot {record.name}, and kept its {len(own)}" if move.keep else f"cleared {record.name}: {len(own)} pieces"
    )
    return Outcome(Change(words, tuple(deltas)))


REGISTRY.register(ClearMove, compute)
