"""Repair: faults mended with the least movement."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.fit.repair import repair
from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene


@dataclass(frozen=True)
class RepairMove:
    """The faults of pieces, or of everything when none are named, mended with the least movement."""

    kind: Literal["repair"]
    pieces: Pieces | None = None


def compute(scene: Scene, move: RepairMove) -> Outcome:
    """The faults mended, and what is left with its reasons. Raises MoveRefused."""
    if move.pieces is not None:
        chosen(scene, move.pieces, must_move=False)
    fits = dict(scene.fits) if scene.fits else None
    result = repair(scene.index, scene.dressed.tolerance, move.pieces, fits)
    return Outcome(result.change, result.left)


REGISTRY.register(RepairMove, compute)
