"""Reseat: pieces set down anew where they are."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Piece


@dataclass(frozen=True)
class ReseatMove:
    """Pieces set down anew where they are, along their direction."""

    kind: Literal["reseat"]
    pieces: Pieces
    together: bool = False


def compute(scene: Scene, move: ReseatMove) -> Outcome:
    """The pieces set down one after another, or as one body. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces)

    def landed(index: SceneIndex, piece: Piece) -> Piece:
        return piece.at(set_down(index, piece).pose)

    words = f"set down {in_short(pieces)}"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, landed, lambda: f"{words} together")
    return each_in_turn(scene, pieces, pieces, landed, words)


REGISTRY.register(ReseatMove, compute, quick=True, bodily=True)
