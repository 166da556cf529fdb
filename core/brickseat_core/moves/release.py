"""Release: pieces made independent of the recipe that laid them."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class ReleaseMove:
    """Pieces made independent of their recipe, which lays their numbers no more."""

    kind: Literal["release"]
    pieces: Pieces


def compute(scene: Scene, move: ReleaseMove) -> Outcome:
    """The same pieces without a recipe. Raises MoveRefused where none of them has one."""
    pieces = [p for p in chosen(scene, move.pieces, must_move=False) if p.recipe]
    if not pieces:
        raise MoveRefused("none of these was laid by a recipe; select pieces that were")
    deltas = tuple(piece_delta(p, replace(p, recipe="", number=None)) for p in pieces)
    return Outcome(Change(f"made {in_short(pieces)} independent", deltas))


REGISTRY.register(ReleaseMove, compute)
