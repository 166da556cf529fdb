"""Repair: faults mended with the least movement."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.fit.check import check
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
    """The faults mended, and what is left with its reasons. Raises MoveRefused and GivenUp."""
    if move.pieces is not None:
        chosen(scene, move.pieces, must_move=False)
    tolerance, bodies = scene.dressed.tolerance, scene.joined.formations
    fits = {k: f for k, f in scene.fits.items() if k in scene.index.pieces} if scene.fits else None
    if fits is not None and bodies:
        fits.update(check(scene.index, tolerance, bodies))
    keys = [scene.joined.key_of(k) for k in move.pieces] if move.pieces is not None else None
    result = repair(scene.index, tolerance, keys, fits, scene.budget.check)
    return Outcome(result.change, result.left)


REGISTRY.register(RepairMove, compute, bodily=True)
