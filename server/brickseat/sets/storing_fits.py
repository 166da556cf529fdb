"""Fits kept with the records that they were measured of."""

from collections.abc import Mapping

from brickseat.sets.models import DressedSet, StoredFit
from brickseat.sets.storing import BATCH, batches
from brickseat_core.fit.encoding import decode_fit, encode_fit
from brickseat_core.fit.measured_by import measured_by
from brickseat_core.fit.measuring import Fit
from brickseat_core.scene import Set


def read_fits(dressed: DressedSet, found: Set) -> dict[str, Fit] | None:
    """The kept fit of every prop of a set; None where they are not all there, or are measured otherwise now."""
    if dressed.measured_by != measured_by(found):
        return None
    kept = dict(dressed.fits.values_list("key", "data"))
    keys = [key for key, piece in found.pieces.items() if piece.role == "prop"]
    if len(kept) != len(keys) or any(key not in kept for key in keys):
        return None
    return {key: decode_fit(kept[key]) for key in keys}


def write_fits(
    dressed: DressedSet, before: Set | None, after: Set, fits: Mapping[str, Fit], fresh: Mapping[str, Fit | None]
) -> None:
    """Keep the fits of a set. Runs inside the caller's transaction; the caller saves ``dressed``.

    ``fresh``: those that became others (None: the piece went) in the step from ``before`` to ``after``. Where the fits of
    ``before`` are not the ones kept, all ``fits`` are written.
    """
    whole = before is None or dressed.measured_by != measured_by(before)
    if whole:
        dressed.fits.all().delete()
    else:
        for some in batches(key for key, fit in fresh.items() if fit is None):
            dressed.fits.filter(key__in=some).delete()
    written = fits.values() if whole else [fit for fit in fresh.values() if fit is not None]
    StoredFit.objects.bulk_create(
        (StoredFit(dressed=dressed, key=fit.key, data=encode_fit(fit)) for fit in written),
        batch_size=BATCH,
        update_conflicts=True,
        unique_fields=["dressed", "key"],
        update_fields=["data"],
    )
    # Where a depth is not known they are measured anew when the set is opened again.
    dressed.measured_by = "" if any(fit.deeper for fit in fits.values()) else measured_by(after)
