"""The way out: how far a mesh that starts inside others must travel back to its first free place.

Blocked travel is the union of the intervals of all pairs of triangles. It is walked best-first from zero
upwards to the first free window; a window in which the mover is buried in a solid or under the ground is
no window, and the walk goes on.
"""

import math

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import holds
from brickseat_core.contact.interval import POLYGON_ROOM, gap_span, overlap_polygon
from brickseat_core.contact.mover import Mover, Near
from brickseat_core.contact.pairs import (
    FIRST_NODE,
    HEAP_START,
    NO_NODE,
    apart,
    axes_kernel,
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
    splits_mover,
    triangle_in_frame,
)
from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import FLUSH_WIDTH, MIN_WINDOW


def first_window(
    index: SceneIndex,
    mover: Mover,
    near: Near,
    probes: Vec,
    limit: float = math.inf,
    slack: Vec | None = None,
) -> float | None:
    """Least travel along +w (against the mover's direction) that frees it from all of ``near``.

    ``probes``: (2k, 3) world points of the mover, two on each of its shells. Returns 0.0 when it is free where
    it stands, None when no window opens below ``limit`` metres.
    """
    if not len(near.rows):
        return 0.0
    if slack is None:
        slack = np.full(len(near.rows), FLUSH_WIDTH)
    lift, _ = first_window_kernel(
        index.forest,
        index.placed,
        mover,
        near.rows,
        near.matrix,
        near.offset,
        np.ascontiguousarray(probes),
        mover.frame[2].copy(),
        limit,
        slack,
        0.0,
        np.empty((0, 2), np.int64),
    )
    return float(lift) if lift < math.inf else None


@kernel
def buried(forest, placed, rows, probes, along, lift):  # type: ignore[no-untyped-def]
    """Does any of ``rows`` hold a shell of the mover, lifted by ``lift``? Two probes a shell."""
    x, y, z = lift * along[0], lift * along[1], lift * along[2]
    for j in range(rows.shape[0]):
        r = rows[j]
        if placed.sense[r] == 0.0:
            continue
        for i in range(0, probes.shape[0], 2):
            if holds(forest, placed, r, probes[i, 0] + x, probes[i, 1] + y, probes[i, 2] + z) and holds(
                forest, placed, r, probes[i + 1, 0] + x, probes[i + 1, 1] + y, probes[i + 1, 2] + z
            ):
                return True
    return False


@inner_kernel
def waiting_key(begin, end, lift):  # type: ignore[no-untyped-def]
    return begin if begin > lift else -end


@inner_kernel
def note_stretch(stretches, told, mine, other):  # type: ignore[no-untyped-def]
    if told == stretches.shape[0]:
        return told
    stretches[told, 0], stretches[told, 1] = mine, other
    return told + 1


@kernel
def first_window_kernel(  # type: ignore[no-untyped-def]
    forest, placed, mover, rows, matrix, offset, probes, along, limit, slack, blocked, stretches
):
    """Least travel that frees the mover, inf when none below ``limit`` does, and how many ``stretches`` were written.

    ``blocked``: metres of travel known to be blocked. ``stretches``: room (n, 2) for pairs of triangles (the mover's,
    the standing one) whose blocked travels, one after the other, lead on from there; those that find no room are lost.
    """
    lift = blocked
    told = 0
    # What may block from here on comes first, the farthest reach of it before the rest (key: minus its upper
    # end), so that most of it is passed over once ``lift`` has grown; then what begins later (key: its begin).
    key = np.empty(HEAP_START)
    item = np.empty((HEAP_START, 3), np.int32)
    # Exact intervals that begin later wait in the same heap, as (-1, number, _), with their upper ends here.
    ends = np.empty(256)
    pairs = np.empty((256, 2), np.int64)
    waiting = np.int64(0)
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
        if hi[2] - mover.lo[0, 2] <= 0.0 or lo[2] - mover.hi[0, 2] >= limit:
            continue
        if mover.lo[0, 0] > hi[0] or mover.hi[0, 0] < lo[0] or mover.lo[0, 1] > hi[1] or mover.hi[0, 1] < lo[1]:
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        n = heap_push(
            key, item, n, waiting_key(lo[2] - mover.hi[0, 2], hi[2] - mover.lo[0, 2], lift), FIRST_NODE, root, place
        )
    while True:
        if n == 0 or key[0] > lift + MIN_WINDOW:
            if lift >= limit:
                return np.inf, told
            # A little into the window: where it begins, a probe may lie in a face that it is about to leave.
            within = 1e-5 if n == 0 else min(1e-5, 0.5 * (key[0] - lift))
            if not buried(forest, placed, rows, probes, along, lift + within):
                return lift, told
            # Buried here: go on to the end of the next blocked stretch.
            if n == 0:
                return np.inf, told
            lift = max(lift, key[0])
        if lift >= limit:
            return np.inf, told
        p, q, i = np.int64(item[0, 0]), np.int64(item[0, 1]), np.int64(item[0, 2])
        passed = key[0] < 0.0 and -key[0] <= lift
        n = heap_drop_top(key, item, n)
        if passed:
            continue
        if p >= 0 and limit < np.inf and box_beside(forest, q, axes, offset, i, mover, p, 0.0, -lift, limit):
            continue
        if p < 0:
            if ends[q] > lift:
                lift = ends[q]
                told = note_stretch(stretches, told, pairs[q, 0], pairs[q, 1])
            continue
        p_leaf = forest.child[mover.node0 + p] < 0
        q_leaf = forest.child[q] < 0
        if p_leaf and q_leaf:
            first = forest.start[mover.node0 + p] - mover.tri0
            for a in range(forest.start[q], forest.start[q] + forest.length[q]):
                triangle_in_frame(forest, a, matrix, offset, i, s)
                s_top = high_w(s)
                for b in range(first, first + forest.length[mover.node0 + p]):
                    mover_triangle(mover, b, t)
                    if s_top - low_w(t) <= lift or low_w(s) - high_w(t) >= limit or apart(t, s):
                        continue
                    closest, farthest = gap_span(t, s)
                    if -closest <= lift or -farthest >= limit:
                        continue
                    corners = overlap_polygon(t, s, slack[i], out, work)
                    if corners == 0:
                        continue
                    g0 = out[0, 3]
                    g1 = g0
                    for c in range(1, corners):
                        g0 = min(g0, out[c, 3])
                        g1 = max(g1, out[c, 3])
                    begin, end = -g1, -g0
                    if end <= lift or begin >= limit:
                        continue
                    if begin <= lift + MIN_WINDOW:
                        lift = end
                        told = note_stretch(stretches, told, b, a)
                        continue
                    if waiting == ends.shape[0]:
                        more = np.empty(2 * waiting)
                        more_pairs = np.empty((2 * waiting, 2), np.int64)
                        for w in range(waiting):
                            more[w] = ends[w]
                            more_pairs[w, 0], more_pairs[w, 1] = pairs[w, 0], pairs[w, 1]
                        ends = more
                        pairs = more_pairs
                    ends[waiting] = end
                    pairs[waiting, 0], pairs[waiting, 1] = b, a
                    if n + 2 > key.shape[0]:
                        key, item = heap_room(key, item, n)
                    n = heap_push(key, item, n, begin, NO_NODE, waiting, i)
                    waiting += 1
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
                    or hi[2] - mover.lo[child, 2] <= lift
                    or lo[2] - mover.hi[child, 2] >= limit
                ):
                    continue
                bottom, top = lo[2], hi[2]
                if q_leaf:
                    bottom, top = leaf_span(forest, q, matrix, offset, i, s, mover, child)
                    if bottom > top or top - mover.lo[child, 2] <= lift or bottom - mover.hi[child, 2] >= limit:
                        continue
                k = waiting_key(bottom - mover.hi[child, 2], top - mover.lo[child, 2], lift)
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
                    or hi[2] - mover.lo[p, 2] <= lift
                    or lo[2] - mover.hi[p, 2] >= limit
                ):
                    continue
                bottom, top = mover.lo[p, 2], mover.hi[p, 2]
                if p_leaf:
                    bottom, top = mover_leaf_span(forest, mover, p, lo, hi)
                    if bottom > top or hi[2] - bottom <= lift or lo[2] - top >= limit:
                        continue
                k = waiting_key(lo[2] - top, hi[2] - bottom, lift)
                n = heap_push(key, item, n, k, p, child, i)
