"""A set as it is at one revision, with all that is measured of it. It never changes: whoever reads one needs no lock."""

from collections.abc import Mapping
from dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check, touched_by
from brickseat_core.fit.measuring import Fit
from brickseat_core.relations.indexing import follow, index_of
from brickseat_core.relations.tie_measures import Measure, measure_ties, ties_touched
from brickseat_core.scene import Change, Set


@dataclass(frozen=True)
class Snapshot:
    """A set at one revision, with its index, the fit of every prop, and what every tie keeps."""

    dressed: Set
    index: SceneIndex
    fits: Mapping[str, Fit]
    measures: Mapping[str, Measure]
    revision: int

    @property
    def whole(self) -> bool:
        """Whether it is known how deep everything is in others that is."""
        return not any(fit.deeper for fit in self.fits.values())

    @classmethod
    def of(cls, dressed: Set, revision: int, fits: Mapping[str, Fit] | None = None, deep: bool = False) -> "Snapshot":
        """A set with its ``fits`` as they were kept; measured where there are none, as ``check`` does with ``deep``."""
        index = index_of(dressed)
        known = check(index, dressed.tolerance, deep=deep) if fits is None else fits
        return cls(dressed, index, known, measure_ties(dressed, index), revision)

    def after(self, change: Change, revision: int) -> "tuple[Snapshot, dict[str, Fit | None]]":
        """The snapshot after ``change``, and the fits that changed (None: the piece went). Raises OutOfStep."""
        dressed = change.on(self.dressed)
        index = self.index.fork()
        pieces = change.pieces()
        boxes = follow(index, change, dressed)
        gone: dict[str, Fit | None] = {
            k: None for k, p in pieces.items() if p is None or (p.role == "bearer" and k in self.fits)
        }
        fits = {k: f for k, f in self.fits.items() if k not in gone}
        everything = dressed.tolerance != self.dressed.tolerance
        fresh = check(index, dressed.tolerance, None if everything else touched_by(index, boxes))
        measures = {k: m for k, m in self.measures.items() if k in dressed.ties}
        if dressed.ties:
            measures.update(measure_ties(dressed, index, ties_touched(dressed, index, change)))
        return Snapshot(dressed, index, {**fits, **fresh}, measures, revision), {**gone, **fresh}
