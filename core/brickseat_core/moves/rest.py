"""Rest: pieces tilted to the nearest stable stand."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.repair import Left
from brickseat_core.fit.rest import rest
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Piece

REST_TRIES = 4
"""Starts of a rest: as the piece is, then a little askew. A fixed seed, so that the same asked twice gives the same."""


@dataclass(frozen=True)
class RestMove:
    """Pieces tilted from where they are to the nearest stable stand; those that have none near are left."""

    kind: Literal["rest"]
    pieces: Pieces
    together: bool = False


def compute(scene: Scene, move: RestMove) -> Outcome:
    """The pieces at rest, one after another or as one body. Raises MoveRefused when one body finds no stand."""
    pieces = chosen(scene, move.pieces)
    reasons: list[str] = []

    def rested(index: SceneIndex, piece: Piece) -> Piece | None:
        found = rest(index, piece, REST_TRIES, tolerance=scene.dressed.tolerance, budget=scene.budget)
        reasons.append(found.reason)
        return piece.at(found.pose) if found.stable else None

    words = f"rested {in_short(pieces)}"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, rested, lambda: f"{words} together", lambda: reasons[0])

    def rested_or_left(index: SceneIndex, piece: Piece) -> Piece | Left:
        return rested(index, piece) or Left(piece.key, reasons[-1])

    return each_in_turn(scene, pieces, pieces, rested_or_left, words)


REGISTRY.register(RestMove, compute, bodily=True)
