"""Reseat: pieces set down anew where they are."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.seat import seat
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
    pieces = chosen(scene, move.pieces)

    def set_down(index: SceneIndex, piece: Piece) -> Piece:
        return piece.at(seat(index, piece).pose)

    words = f"set down {in_short(pieces)}"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, set_down, lambda: f"{words} together")
    return each_in_turn(scene, pieces, pieces, set_down, words)


REGISTRY.register(ReseatMove, compute, quick=True)
