"""A set as it is at one revision, with all that is measured of it. It never changes: whoever reads one needs no lock."""

from collections.abc import Mapping
from dataclasses import dataclass

from brickseat_core.admission.proof import proved
from brickseat_core.constraints.indexing import index_of
from brickseat_core.constraints.tie_measures import Measure, measure_ties, ties_touched
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
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
        after = proved(self.dressed, self.index, self.fits, change)
        dressed, index = after.dressed, after.index
        measures = {k: m for k, m in self.measures.items() if k in dressed.ties}
        if dressed.ties:
            measures.update(measure_ties(dressed, index, ties_touched(dressed, index, change)))
        return Snapshot(dressed, index, after.fits, measures, revision), dict(after.fresh)
