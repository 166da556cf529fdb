"""Carry: pieces freely through the air."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short, offset_of
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class CarryMove:
    """Pieces freely by a vector in metres: through the air, and touching nothing unless it happens to."""

    kind: Literal["carry"]
    pieces: Pieces
    by: Vector


def compute(scene: Scene, move: CarryMove) -> Outcome:
    """The pieces at their moved poses, whatever is there. Raises MoveRefused."""
    pieces, by = chosen(scene, move.pieces), offset_of(move.by)
    deltas = tuple(piece_delta(p, p.at(p.pose.moved(by))) for p in pieces if by.any())
    return Outcome(Change(f"carried {in_short(pieces)}", deltas))


REGISTRY.register(CarryMove, compute, quick=True, bodily=True)
