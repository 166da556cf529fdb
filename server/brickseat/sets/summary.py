"""What the home page shows of a set without opening it."""

from collections.abc import Mapping

import numpy as np

from brickseat.sets.models import DressedSet
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import Fit
from brickseat_core.formats.report import counts

MOST_FOOTPRINTS = 1500
ORDER = ("bearer", "seated", "fault")


def summarise(dressed: DressedSet, index: SceneIndex, fits: Mapping[str, Fit]) -> None:
    """Bring ``counts`` and ``plan`` of ``dressed`` up to date; the caller saves."""
    dressed.counts = counts(fits)
    faulty = {key for key, fit in fits.items() if fit.faults}
    kinds = ["bearer" if p.role == "bearer" else "fault" if k in faulty else "seated" for k, p in index.pieces.items()]
    # Bearers first, so that pieces are drawn over them; faults last and never cut off.
    order = np.argsort([ORDER.index(kind) for kind in kinds], kind="stable")[-MOST_FOOTPRINTS:]
    rows = np.array([index.row[key] for key in index.pieces], dtype=np.int64)[order]
    lo, hi = index.placed.lo[rows], index.placed.hi[rows]
    corners = np.round(np.stack([lo[:, 0], lo[:, 2], hi[:, 0], hi[:, 2]], axis=1), 3).tolist()
    dressed.plan = [[*corner, kinds[number]] for corner, number in zip(corners, order.tolist(), strict=True)]
