"""Proof: a set after a change, with the verdict of every piece that the change affects measured anew.

What is kept up so is what a check of the whole set would find, bit for bit.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from brickseat_core.constraints.indexing import follow
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
from brickseat_core.scene import Change, Set


@dataclass(frozen=True)
class Proof:
    """A set after a change. ``index``: of its own. ``fits``: the verdict on every prop, by key. ``fresh``: those that were measured
    anew, None for what went or bears now."""

    dressed: Set
    index: SceneIndex
    fits: Mapping[str, Fit]
    fresh: Mapping[str, Fit | None]


def proved(dressed: Set, index: SceneIndex, fits: Mapping[str, Fit], change: Change) -> Proof:
    """The set ``dressed``, its ``index`` and ``fits``, which stay as they are, after ``change``. Raises OutOfStep."""
    after = change.on(dressed)
    here = index.fork()
    boxes = follow(here, change, after)
    gone: dict[str, Fit | None] = {
        key: None
        for key, piece in change.pieces().items()
        if piece is None or (piece.role == "bearer" and dressed.pieces.get(key) != piece)
    }
    # Another tolerance is another verdict on all of them.
    everything = after.tolerance != dressed.tolerance
    fresh = check(here, after.tolerance, None if everything else here.affected_by(boxes, after.tolerance))
    kept = {key: fit for key, fit in fits.items() if key not in gone}
    return Proof(after, here, {**kept, **fresh}, {**gone, **fresh})
