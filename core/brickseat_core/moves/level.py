"""Level: pieces onto the next surface above or below them."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.repair import Left
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.placing.levels import next_level
from brickseat_core.scene import Piece


@dataclass(frozen=True)
class LevelMove:
    """Pieces straight up (or down, where not ``up``) onto the next surface on which there is room for them, each or as one body."""

    kind: Literal["level"]
    pieces: Pieces
    up: bool = True
    together: bool = False


def compute(scene: Scene, move: LevelMove) -> Outcome:
    """The pieces on their next level; those that have none are left. Raises MoveRefused."""
    pieces, way = chosen(scene, move.pieces), "up" if move.up else "down"
    none = f"there is no level with room for it {'above' if move.up else 'below'}"

    def moved(index: SceneIndex, piece: Piece) -> Piece | None:
        return next_level(index, piece, move.up, scene.dressed.tolerance)

    words = f"moved {in_short(pieces)} {way} a level"
    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, moved, lambda: f"{words} together", lambda: none)
    return each_in_turn(scene, pieces, pieces, lambda index, p: moved(index, p) or Left(p.key, none), words)


REGISTRY.register(LevelMove, compute, bodily=True)
