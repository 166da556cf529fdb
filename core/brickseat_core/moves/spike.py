"""Spike: pieces locked where they are, or freed."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class SpikeMove:
    """Pieces locked where they are, or freed again."""

    kind: Literal["spike"]
    pieces: Pieces
    spiked: bool = True


def compute(scene: Scene, move: SpikeMove) -> Outcome:
    """The pieces spiked or freed. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces, must_move=False)
    deltas = tuple(piece_delta(p, replace(p, spiked=move.spiked)) for p in pieces if p.spiked != move.spiked)
    return Outcome(Change(f"{'spiked' if move.spiked else 'freed'} {in_short(pieces)}", deltas))


REGISTRY.register(SpikeMove, compute)
