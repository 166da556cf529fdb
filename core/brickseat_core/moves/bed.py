"""Bed: the wanted sink or stand-off of pieces."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.lengths import in_words
from brickseat_core.moves.choosing import chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Pieces, SignedLength
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene

FIGURES = 7
"""Figures after the point of metres: what is raised and lowered again comes back to the same sink."""


@dataclass(frozen=True)
class BedMove:
    """Wanted sink (positive) or stand-off (negative) of pieces, in metres; they follow at once. ``raise_by``: each is raised by so much from
    its own sink or stand-off instead."""

    kind: Literal["bed"]
    pieces: Pieces
    sink: SignedLength = 0.0
    raise_by: SignedLength | None = None


def compute(scene: Scene, move: BedMove) -> Outcome:
    """The pieces with the wanted sink, each set down anew in turn. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces)
    by = move.raise_by
    depths = [move.sink if by is None else round(p.sink - p.stand_off - by, FIGURES) for p in pieces]
    wanted = [
        replace(p, sink=max(0.0, depth), stand_off=max(0.0, -depth)) for p, depth in zip(pieces, depths, strict=True)
    ]
    if by is not None:
        did = f"raised by {in_words(by)}" if by >= 0 else f"lowered by {in_words(-by)}"
    else:
        did = f"sank by {in_words(move.sink)}" if move.sink >= 0 else f"kept {in_words(-move.sink)} off"
    return each_in_turn(scene, pieces, wanted, lambda i, p: p.at(set_down(i, p).pose), f"{did} {in_short(pieces)}")


REGISTRY.register(BedMove, compute, quick=True, bodily=True)
