"""Turn: pieces about the vertical through each, staying seated."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.landing import turned_about
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, foot_of, in_short
from brickseat_core.moves.fields import Degrees, Pieces, degrees_of
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Piece, rotation_about


@dataclass(frozen=True)
class TurnMove:
    """Pieces by an angle in degrees about the vertical through each, staying seated."""

    kind: Literal["turn"]
    pieces: Pieces
    angle_deg: Annotated[Degrees, Field(validation_alias=degrees_of("angle_deg", "angle"))]
    together: bool = False


def compute(scene: Scene, move: TurnMove) -> Outcome:
    """The pieces turned and set down anew, each on its own or as one body. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces)
    rotation = rotation_about(np.array([0.0, 1.0, 0.0]), float(np.radians(move.angle_deg)))

    def turned(index: SceneIndex, piece: Piece) -> Piece:
        return turned_about(piece, rotation, foot_of(index, piece))

    def landed(index: SceneIndex, piece: Piece) -> Piece:
        return piece.at(set_down(index, piece).pose)

    words = f"turned {in_short(pieces)}"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, lambda i, body: landed(i, turned(i, body)), lambda: f"{words} together")
    return each_in_turn(scene, pieces, [turned(scene.index, p) for p in pieces], landed, words)


REGISTRY.register(TurnMove, compute, quick=True, bodily=True)
