"""What the home page shows of a set without opening it."""

from collections.abc import Mapping

from brickseat.sets.models import DressedSet
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import Fit
from brickseat_core.formats.report import counts

MOST_FOOTPRINTS = 1500


def summarise(dressed: DressedSet, index: SceneIndex, fits: Mapping[str, Fit]) -> None:
    """Bring ``counts`` and ``plan`` of ``dressed`` up to date; the caller saves."""
    dressed.counts = counts(fits)
    footprints = []
    for key, piece in index.pieces.items():
        row = index.row[key]
        lo, hi = index.placed.lo[row], index.placed.hi[row]
        fit = fits.get(key)
        kind = "bearer" if piece.role == "bearer" else "fault" if fit is not None and fit.faults else "seated"
        footprints.append([*(round(float(v), 3) for v in (lo[0], lo[2], hi[0], hi[2])), kind])
    # Bearers first, so that pieces are drawn over them; faults last and never cut off.
    order = {"bearer": 0, "seated": 1, "fault": 2}
    footprints.sort(key=lambda f: order[str(f[4])])
    dressed.plan = footprints[-MOST_FOOTPRINTS:]
