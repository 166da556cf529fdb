"""The exact drop: how far a mesh travels along a direction before it first touches anything.

Best-first over the pairs of nodes of the mover's tree and of every standing piece's tree, keyed by the
least travel the pair could block; at the leaves, the exact interval of two triangles
(``overlap_polygon``). Exact in float64: rays, hulls and boxes only ever prune.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.interval import POLYGON_ROOM, double_area, gap_span, overlap_polygon
from brickseat_core.contact.mover import Mover, Near
from brickseat_core.contact.pairs import (
    FIRST_NODE,
    HEAP_START,
    NO_NODE,
    apart,
    axes_kernel,
    back_to_back,
    box_beside,
    box_in_frame,
    heap_drop_top,
    heap_push,
    heap_room,
    high_w,
    leaf_span,
    low_w,
    mover_leaf_span,
    mover_triangle,
    same_side,
    splits_mover,
    triangle_in_frame,
)
from brickseat_core.kernels import kernel
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH

CLOSE = 0.005
"""Metres within which first contact is looked for first, where it is likely to be."""
HUNG = 3.0 * CONTACT_EPSILON
"""Metres a piece is raised to see whether it only seems to touch."""


SAME_BOUND = 10.0 * CONTACT_EPSILON
"""Metres by which the bounds of two things flush with each other may differ."""
FLUSH_OVERLAP = 10.0 * CONTACT_EPSILON
"""Metres of projected width from which an overlap without a crossing is one: what is narrower only touches beside."""


@dataclass(frozen=True)
class Drop:
    """``travel``: metres until first contact (None: nothing is there). ``row``: what is touched first.

    ``started``: rows whose surface the mover already cuts at the start; those pairs of triangles are left
    out of ``travel``.
    """

    travel: float | None
    row: int | None
    started: tuple[int, ...]


def first_contact(index: SceneIndex, mover: Mover, near: Near, slack: NDArray[np.float64] | None = None) -> Drop:
    """Travel of ``mover`` along its direction until it first touches one of ``near``.

    ``slack``: (len(near),) width in metres of projected overlap to let pass; ``FLUSH_WIDTH`` by default.
    """
    if not len(near.rows):
        return Drop(None, None, ())
    if slack is None:
        slack = np.full(len(near.rows), FLUSH_WIDTH)
    best, who, started, within = first_contact_kernel(
        index.forest, index.placed, mover, near.rows, near.matrix, near.offset, near.facing, slack, math.inf, False
    )
    if who >= 0 and best <= CONTACT_EPSILON:
        hung_kernel(index.forest, index.placed, mover, near.rows, near.matrix, near.offset, near.facing, slack, started)
    if who < 0 or best > CONTACT_EPSILON:
        known = -1 if within else who
        flush_kernel(
            index.forest, index.placed, mover, near.rows, near.matrix, near.offset, near.facing, known, False, started
        )
    cut = tuple(int(r) for r in near.rows[started])
    if who < 0:
        return Drop(None, None, cut)
    return Drop(float(best), int(near.rows[who]), cut)


def rows_cut(index: SceneIndex, mover: Mover, near: Near) -> list[int]:
    """Which of ``near`` the mover cuts where it is: no travel is looked for, and one cut a row is enough."""
    slack = np.full(len(near.rows), FLUSH_WIDTH)
    _, _, started, _ = first_contact_kernel(
        index.forest, index.placed, mover, near.rows, near.matrix, near.offset, near.facing, slack, 0.0, False
    )
    return [int(r) for r in near.rows[started]]


@kernel
def hung_kernel(forest, placed, mover, rows, matrix, offset, facing, slack, started):  # type: ignore[no-untyped-def]
    """Add to ``started`` what the mover goes through with its corners or edges just in the surface.

    There no two triangles cross, and it seems to touch. Raised a little it does not let go, as a seated piece would.
    """
    lowered = offset.copy()
    for i in range(rows.shape[0]):
        lowered[i, 2] -= HUNG
    _, _, cut, _ = first_contact_kernel(forest, placed, mover, rows, matrix, lowered, facing, slack, 0.0, True)
    for i in range(rows.shape[0]):
        started[i] = started[i] or cut[i]


@kernel
def flush_kernel(forest, placed, mover, rows, matrix, offset, facing, known, touched, started):  # type: ignore[no-untyped-def]
    """Add to ``started`` the solids that overlap the mover although no two of their triangles cross.

    So it is where they are flush on all sides. Each is asked by itself, since it may be met long after what is
    ``known`` to be met first, and from without. A mover that is ``touched`` already is asked only of what has the same
    bounds as itself along two axes: copies of one prop, sunk into each other. What stands wholly inside the other is ``around_kernel``'s to find.
    """
    lo = np.empty(3)
    hi = np.empty(3)
    axes = axes_kernel(placed, rows, mover, matrix, offset)
    slack = np.full(1, FLUSH_OVERLAP)
    for i in range(rows.shape[0]):
        if i == known or started[i] or not placed.closed[rows[i]] or mover.facing * facing[i] == 0.0:
            continue
        box_in_frame(forest, placed.root[rows[i]], matrix, offset, i, lo, hi)
        overlap, inner, outer = True, True, True
        alike = 0
        for k in range(3):
            low, high = lo[k] - mover.lo[0, k], mover.hi[0, k] - hi[k]
            if abs(low) <= SAME_BOUND and abs(high) <= SAME_BOUND:
                alike += 1
            overlap = overlap and min(mover.hi[0, k], hi[k]) - max(mover.lo[0, k], lo[k]) > CONTACT_EPSILON
            inner = inner and min(low, high) > CONTACT_EPSILON
            outer = outer and max(low, high) < -CONTACT_EPSILON
        if overlap and not inner and not outer and (not touched or alike >= 2):
            if box_beside(forest, placed.root[rows[i]], axes, offset, i, mover, FIRST_NODE, 0.0, 0.0, 0.0):
                continue
            j = i + 1
            _, _, cut, within = first_contact_kernel(
                forest, placed, mover, rows[i:j], matrix[i:j], offset[i:j], facing[i:j], slack, np.inf, False
            )
            started[i] = cut[0] or within


@kernel
def near_contact_kernel(forest, placed, mover, rows, matrix, offset, facing, slack, close):  # type: ignore[no-untyped-def]
    """As ``first_contact_kernel`` without a limit, looking no farther than ``close`` metres before it looks everywhere.

    What is all but there already then never looks at what stands beside it farther down.
    """
    if close > 0.0:
        found = first_contact_kernel(forest, placed, mover, rows, matrix, offset, facing, slack, close, False)
        if found[1] >= 0:
            return found
    return first_contact_kernel(forest, placed, mover, rows, matrix, offset, facing, slack, np.inf, False)


@kernel
def first_contact_kernel(  # type: ignore[no-untyped-def]
    forest, placed, mover, rows, matrix, offset, facing, slack, limit, floors
):
    """Least travel below ``limit``, the place in ``rows`` of what is met there (-1: nothing), what is cut, and whether
    the first is met from within: so are solids that overlap while all their sides are flush.

    ``floors``: only what looks up counts as cut.
    """
    best = limit
    within = False
    who = NO_NODE
    started = np.zeros(rows.shape[0], np.bool_)
    key = np.empty(HEAP_START)
    item = np.empty((HEAP_START, 3), np.int32)
    lo = np.empty(3)
    hi = np.empty(3)
    axes = axes_kernel(placed, rows, mover, matrix, offset)
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    out = np.empty((POLYGON_ROOM, 4))
    work = np.empty((POLYGON_ROOM, 3))
    n = np.int64(0)
    for place in range(rows.shape[0]):
        root = placed.root[rows[place]]
        box_in_frame(forest, root, matrix, offset, place, lo, hi)
        if mover.hi[0, 2] - lo[2] < -CONTACT_EPSILON:
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        n = heap_push(key, item, n, mover.lo[0, 2] - hi[2], FIRST_NODE, root, place)
    while n > 0:
        # Pairs that touch at the start are all looked at, first contact or not: some may overlap.
        # And what was met from within is believed only when nothing is met from without at the same travel.
        tie = CONTACT_EPSILON if within else 0.0
        if key[0] >= best + tie and key[0] > CONTACT_EPSILON:
            break
        p, q, i = np.int64(item[0, 0]), np.int64(item[0, 1]), np.int64(item[0, 2])
        n = heap_drop_top(key, item, n)
        if started[i] and limit <= 0.0:
            continue
        below = max(best + tie, CONTACT_EPSILON)
        if below < np.inf and box_beside(forest, q, axes, offset, i, mover, p, 0.0, below, CONTACT_EPSILON):
            continue
        p_leaf = forest.child[mover.node0 + p] < 0
        q_leaf = forest.child[q] < 0
        if p_leaf and q_leaf:
            first = forest.start[mover.node0 + p] - mover.tri0
            for a in range(forest.start[q], forest.start[q] + forest.length[q]):
                triangle_in_frame(forest, a, matrix, offset, i, s)
                s_top = high_w(s)
                s_low = low_w(s)
                for b in range(first, first + forest.length[mover.node0 + p]):
                    mover_triangle(mover, b, t)
                    lowest = low_w(t) - s_top
                    if lowest >= best + tie and lowest > CONTACT_EPSILON:
                        continue
                    if high_w(t) - s_low < -CONTACT_EPSILON or apart(t, s):
                        continue
                    closest, farthest = gap_span(t, s)
                    if farthest < -CONTACT_EPSILON or (closest >= best + tie and closest > CONTACT_EPSILON):
                        continue
                    corners = overlap_polygon(t, s, slack[i], out, work)
                    if corners == 0:
                        continue
                    g0 = out[0, 3]
                    g1 = g0
                    for c in range(1, corners):
                        g0 = min(g0, out[c, 3])
                        g1 = max(g1, out[c, 3])
                    if g0 >= -CONTACT_EPSILON:
                        if g1 <= CONTACT_EPSILON and back_to_back(t, s, mover.facing, facing[i]):
                            if same_side(t, s, mover.facing, facing[i]):
                                started[i] = True
                            continue
                        if g0 < best + tie:
                            inner = g0 > CONTACT_EPSILON and back_to_back(t, s, mover.facing, facing[i])
                            within = inner and (within or g0 < best - CONTACT_EPSILON)
                            tie = CONTACT_EPSILON if within else 0.0
                            if g0 < best or not inner:
                                best = min(best, g0)
                                who = i
                    elif g1 > CONTACT_EPSILON and not (floors and facing[i] * double_area(s) < 0.0):
                        started[i] = True
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        box_in_frame(forest, q, matrix, offset, i, lo, hi)
        if splits_mover(forest, mover, p, q, lo, hi):
            left = forest.child[mover.node0 + p] - mover.node0
            for child in range(left, left + 2):
                if (
                    mover.lo[child, 0] > hi[0]
                    or mover.hi[child, 0] < lo[0]
                    or mover.lo[child, 1] > hi[1]
                    or mover.hi[child, 1] < lo[1]
                    or mover.hi[child, 2] - lo[2] < -CONTACT_EPSILON
                ):
                    continue
                top = hi[2]
                if q_leaf:
                    bottom, top = leaf_span(forest, q, matrix, offset, i, s, mover, child)
                    if bottom > top or mover.hi[child, 2] - bottom < -CONTACT_EPSILON:
                        continue
                k = mover.lo[child, 2] - top
                if k < best + tie or k <= CONTACT_EPSILON:
                    n = heap_push(key, item, n, k, child, q, i)
        else:
            left = forest.child[q]
            for child in range(left, left + 2):
                box_in_frame(forest, child, matrix, offset, i, lo, hi)
                if (
                    mover.lo[p, 0] > hi[0]
                    or mover.hi[p, 0] < lo[0]
                    or mover.lo[p, 1] > hi[1]
                    or mover.hi[p, 1] < lo[1]
                    or mover.hi[p, 2] - lo[2] < -CONTACT_EPSILON
                ):
                    continue
                bottom = mover.lo[p, 2]
                if p_leaf:
                    bottom, top = mover_leaf_span(forest, mover, p, lo, hi)
                    if bottom > top or top - lo[2] < -CONTACT_EPSILON:
                        continue
                k = bottom - hi[2]
                if k < best + tie or k <= CONTACT_EPSILON:
                    n = heap_push(key, item, n, k, p, child, i)
    return best, who, started, within
