"""Which axis-aligned boxes meet any of others, without comparing each with each."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.scene import Vec

FEW = 16
"""Boxes that are compared one by one sooner than sorted."""
WIDE = 8.0
"""Times the middle width along the sweep from which a box is compared with all others."""
MOST_PAIRS = 1 << 18
"""Pairs compared at a time, which bounds what is allocated."""


def meeting(lo: Vec, hi: Vec, below: Vec, above: Vec) -> NDArray[np.bool_]:
    """(n,): whether each box from ``lo`` to ``hi`` (n, 3) meets any of those from ``below`` to ``above`` (m, 3).

    Boxes that only touch meet. A side may be infinite. Sweep and prune along one axis (Cohen, Lin, Manocha and Ponamgi,
    1995): the one in which the boxes are the thinnest for how far they are spread.
    """
    met = np.zeros(len(lo), np.bool_)
    if not len(lo) or not len(below):
        return met
    if len(below) <= FEW:
        for b_lo, b_hi in zip(below, above, strict=True):
            met |= ((lo <= b_hi) & (hi >= b_lo)).all(axis=1)
        return met
    width = hi - lo
    middle = np.median(width, axis=0)
    spread = above.max(axis=0) - below.min(axis=0)
    bounded = np.isfinite(spread) & np.isfinite(middle)
    thinness = np.divide(spread, np.maximum(middle, 1e-12), out=np.zeros(3), where=bounded)
    axis = int(np.argmax(thinness))
    wide = width[:, axis] > WIDE * max(float(middle[axis]), 1e-12)
    for n in np.flatnonzero(wide):
        met[n] = ((lo[n] <= above) & (hi[n] >= below)).all(axis=1).any()
    thin = np.flatnonzero(~wide)
    if not len(thin):
        return met
    # Sorted by its lower side, a thin box can only meet one that begins at most its greatest width further down.
    thin = thin[np.argsort(lo[thin, axis], kind="stable")]
    sorted_lo = lo[thin, axis]
    first = np.searchsorted(sorted_lo, below[:, axis] - width[thin, axis].max(), "left")
    end = np.searchsorted(sorted_lo, above[:, axis], "right")
    # Rounding in the subtraction above must not lose a box that just touches.
    first = np.maximum(first - 1, 0)
    count = np.maximum(end - first, 0)
    begin = 0
    while begin < len(count):
        # At least one box at a time, and as many as fit.
        total = np.cumsum(count[begin:])
        stop = begin + max(1, int(np.searchsorted(total, MOST_PAIRS, "right")))
        each = np.repeat(np.arange(begin, stop), count[begin:stop])
        starts = np.cumsum(count[begin:stop]) - count[begin:stop]
        rows = thin[first[each] + np.arange(len(each)) - np.repeat(starts, count[begin:stop])]
        hit = ((lo[rows] <= above[each]) & (hi[rows] >= below[each])).all(axis=1)
        met[rows[hit]] = True
        begin = stop
    return met
