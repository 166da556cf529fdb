"""Reseat: pieces set down anew where they are."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.repair import Left
from brickseat_core.fit.set_down import raised_onto
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Piece


@dataclass(frozen=True)
class ReseatMove:
    """Pieces set down anew where they are, along their direction; what is below all that could bear it is raised onto that. ``land``: they let
    go of their stand-off."""

    kind: Literal["reseat"]
    pieces: Pieces
    together: bool = False
    land: bool = False


def compute(scene: Scene, move: ReseatMove) -> Outcome:
    """The pieces set down one after another, or as one body. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces)
    reasons: list[str] = []

    def landed(index: SceneIndex, piece: Piece) -> Piece | None:
        wanted = replace(piece, stand_off=0.0) if move.land else piece
        found = raised_onto(index, wanted)
        reasons.append(found.reason)
        return wanted.at(found.pose) if found.travel is not None else None

    words = f"set down {in_short(pieces)}"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, landed, lambda: f"{words} together", lambda: reasons[0])
    return each_in_turn(scene, pieces, pieces, lambda index, p: landed(index, p) or Left(p.key, reasons[-1]), words)


REGISTRY.register(ReseatMove, compute, quick=True, bodily=True)
