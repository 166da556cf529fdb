"""The way out: how far a mesh that starts inside others must travel back to its first free place.

Blocked travel is the union of the intervals of all pairs of triangles. It is walked best-first from zero
upwards to the first free window; a window in which the mover is buried in a solid or under the ground is
no window, and the walk goes on.
"""

import math

import numpy as np

from brickseat_core.contact.column_query import query_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import holds
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, gap_span, overlap_polygon
from brickseat_core.contact.kernels.mover import Mover, Near
from brickseat_core.contact.kernels.pairs import (
    APART,
    FIRST_NODE,
    HEAP_START,
    NO_NODE,
    apart,
    box_beside,
    box_in_frame,
    heap_drop_top,
    heap_push,
    heap_room,
    high_w,
    low_w,
    miss_aside,
    mover_triangle,
    open_pair,
    pair_room,
    triangle_in_frame,
)
from brickseat_core.kernels import inner_kernel, kernel, nested_inner_kernel, nested_kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import FLUSH_WIDTH, MIN_FREE_INTERVAL


def first_free_interval(
    index: SceneIndex,
    mover: Mover,
    near: Near,
    probes: Vec,
    limit: float = math.inf,
    ignored_width: Vec | None = None,
) -> float | None:
    """Least travel along +w (against the mover's direction) that frees it from all of ``near``.

    ``probes``: (2k, 3) world points of the mover, two on each of its shells. Returns 0.0 when it is free where
    it stands, None when no window opens below ``limit`` metres.
    """
    if not len(near.rows):
        return 0.0
    if ignored_width is None:
        ignored_width = np.full(len(near.rows), FLUSH_WIDTH)
    lift, _ = first_free_interval_kernel(
        query_of(index, mover, near),
        index.placed,
        np.ascontiguousarray(probes),
        mover.frame[2].copy(),
        limit,
        ignored_width,
        0.0,
        np.empty((0, 2), np.int64),
    )
    return float(lift) if lift < math.inf else None


@kernel
def buried(forest, placed, rows, probes, along, lift):
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
def waiting_key(begin, end, lift):
    """Where a blocked interval waits in the heap: by its begin above ``lift``, else by its end, the farthest first."""
    return begin if begin > lift else -end


@inner_kernel
def note_stretch(stretches, noted, mine, other):
    """Write one more pair of triangles into ``stretches``, as long as there is room; how many there are then."""
    if noted == stretches.shape[0]:
        return noted
    stretches[noted, 0], stretches[noted, 1] = mine, other
    return noted + 1


@nested_inner_kernel
def blocked_travel(t, s, width, lift, limit, room):
    """Where on the way out two triangles begin and end to block each other; begins after it ends where they do not,
    or not between ``lift`` and ``limit``."""
    out, work = room
    if high_w(s) - low_w(t) <= lift or low_w(s) - high_w(t) >= limit or apart(t, s):
        return np.inf, -np.inf
    closest, farthest = gap_span(t, s)
    if -closest <= lift or -farthest >= limit:
        return np.inf, -np.inf
    corners = overlap_polygon(t, s, width, out, work)
    begin, end = np.inf, -np.inf
    for c in range(corners):
        begin, end = min(begin, -out[c, 3]), max(end, -out[c, 3])
    if end <= lift or begin >= limit:
        return np.inf, -np.inf
    return begin, end


@nested_kernel
def longer_wait(ends, pairs):
    """The same intervals that begin later, with twice the room."""
    more = np.empty(2 * ends.shape[0])
    more_pairs = np.empty((2 * ends.shape[0], 2), np.int64)
    for w in range(ends.shape[0]):
        more[w] = ends[w]
        more_pairs[w, 0], more_pairs[w, 1] = pairs[w, 0], pairs[w, 1]
    return more, more_pairs


@kernel
def first_free_interval_kernel(query, placed, probes, along, limit, ignored_width, blocked, stretches):
    """Least travel that frees the mover, inf when none below ``limit`` does, and how many ``stretches`` were written.

    ``probes``, ``along``: its probes and the direction out in the world. ``ignored_width``: (n,) as for first contact.
    ``blocked``: metres of travel known to be blocked. ``stretches``: room (n, 2) for pairs of triangles (the mover's,
    the standing one) whose blocked travels, one after the other, lead on from there; those that find no room are lost.
    """
    forest, mover = query.forest, query.mover
    lift = blocked
    noted = 0
    # What may block from here on comes first, the farthest end of it before the rest (key: minus its upper
    # end), so that most of it is passed over once ``lift`` has grown; then what begins later (key: its begin).
    key = np.empty(HEAP_START)
    item = np.empty((HEAP_START, 3), np.int32)
    # Exact intervals that begin later wait in the same heap, as (-1, number, _), with their upper ends here.
    ends = np.empty(256)
    pairs = np.empty((256, 2), np.int64)
    waiting = np.int64(0)
    room = pair_room()
    nodes, spans, lo, hi, s = room
    t = np.empty((3, 3))
    overlap_room = (np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3)))
    n = np.int64(0)
    for place in range(query.rows.shape[0]):
        root = query.roots[place]
        box_in_frame(forest, root, query.matrix, query.offset, place, lo, hi)
        if hi[2] - mover.lo[0, 2] <= 0.0 or lo[2] - mover.hi[0, 2] >= limit:
            continue
        if miss_aside(mover.lo[0], mover.hi[0], lo, hi, 0.0):
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        k = waiting_key(lo[2] - mover.hi[0, 2], hi[2] - mover.lo[0, 2], lift)
        n = heap_push(key, item, n, k, FIRST_NODE, root, place)
    # Ends: each round takes one entry out of the heap, and there are no more of them than pairs of nodes and triangles.
    while True:
        if n == 0 or key[0] > lift + MIN_FREE_INTERVAL:
            if lift >= limit:
                return np.inf, noted
            # A little into the interval: where it begins, a probe may lie in a face that it is about to leave.
            within = 1e-5 if n == 0 else min(1e-5, 0.5 * (key[0] - lift))
            if not buried(forest, placed, query.rows, probes, along, lift + within):
                return lift, noted
            # Buried here: go on to the end of the next blocked stretch.
            if n == 0:
                return np.inf, noted
            lift = max(lift, key[0])
        if lift >= limit:
            return np.inf, noted
        p, q, i = np.int64(item[0, 0]), np.int64(item[0, 1]), np.int64(item[0, 2])
        passed = key[0] < 0.0 and -key[0] <= lift
        n = heap_drop_top(key, item, n)
        if passed:
            continue
        if p < 0:
            if ends[q] > lift:
                lift = ends[q]
                noted = note_stretch(stretches, noted, pairs[q, 0], pairs[q, 1])
            continue
        if limit < np.inf and box_beside(forest, q, query.axes, query.offset, i, mover, p, 0.0, -lift, limit):
            continue
        if forest.child[mover.node0 + p] < 0 and forest.child[q] < 0:
            first = forest.start[mover.node0 + p] - mover.tri0
            for a in range(forest.start[q], forest.start[q] + forest.length[q]):
                triangle_in_frame(forest, a, query.matrix, query.offset, i, s)
                for b in range(first, first + forest.length[mover.node0 + p]):
                    mover_triangle(mover, b, t)
                    begin, end = blocked_travel(t, s, ignored_width[i], lift, limit, overlap_room)
                    if begin > end:
                        continue
                    if begin <= lift + MIN_FREE_INTERVAL:
                        lift = end
                        noted = note_stretch(stretches, noted, b, a)
                        continue
                    if waiting == ends.shape[0]:
                        ends, pairs = longer_wait(ends, pairs)
                    ends[waiting] = end
                    pairs[waiting, 0], pairs[waiting, 1] = b, a
                    if n + 2 > key.shape[0]:
                        key, item = heap_room(key, item, n)
                    n = heap_push(key, item, n, begin, NO_NODE, waiting, i)
                    waiting += 1
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        open_pair(query, p, q, i, 0.0, room)
        for side in range(2):
            begin, end = spans[side, 2] - spans[side, 1], spans[side, 3] - spans[side, 0]
            if nodes[side, 0] != APART and end > lift and begin < limit:
                n = heap_push(key, item, n, waiting_key(begin, end, lift), nodes[side, 0], nodes[side, 1], i)
