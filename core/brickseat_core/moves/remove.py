"""Remove: pieces taken away."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class RemoveMove:
    """Pieces taken away, bearers too: those are only never pushed about."""

    kind: Literal["remove"]
    pieces: Pieces


def compute(scene: Scene, move: RemoveMove) -> Outcome:
    """The pieces gone. Raises MoveRefused when one is spiked."""
    pieces = chosen(scene, move.pieces, must_move=False)
    if spiked := next((p for p in pieces if p.spiked), None):
        raise MoveRefused(f"{spiked.name} is spiked; free it first")
    return Outcome(Change(f"took away {in_short(pieces)}", tuple(piece_delta(p, None) for p in pieces)))


REGISTRY.register(RemoveMove, compute)
