"""The exact drop: how far a mesh travels along a direction before it first touches anything.

Best-first over the pairs of nodes of the mover's tree and of every standing piece's tree, keyed by the
least travel the pair could block; at the leaves, the exact interval of two triangles
(``overlap_polygon``). Exact in float64: rays, hulls and boxes only ever prune.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.column_query import column_query_kernel, query_kernel, raised_query_kernel, row_query_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, double_area, gap_span, overlap_polygon
from brickseat_core.contact.kernels.mover import Mover, Near
from brickseat_core.contact.kernels.pairs import (
    APART,
    FIRST_NODE,
    HEAP_START,
    NO_NODE,
    apart,
    back_to_back,
    box_beside,
    box_in_frame,
    heap_drop_top,
    heap_push,
    heap_room,
    high_w,
    low_w,
    mover_triangle,
    open_pair,
    pair_room,
    same_side,
    triangle_in_frame,
)
from brickseat_core.kernels import kernel, nested_inner_kernel, nested_kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH

CLOSE = 0.005
"""Metres within which first contact is looked for first, where it is likely to be."""
EMBEDDED_LIFT = 3.0 * CONTACT_EPSILON
"""Metres a piece is raised to see whether it only seems to touch."""
ALL_CUTS, FLOORS_ONLY, NOT_YET, UNTOUCHED = np.bool_(False), np.bool_(True), np.bool_(False), np.bool_(False)
"""No plain truths: a kernel is compiled once more for each literal that it is called with."""
SAME_BOUND = 10.0 * CONTACT_EPSILON
"""Metres by which the bounds of two things flush with each other may differ."""
FLUSH_OVERLAP = 10.0 * CONTACT_EPSILON
"""Metres of projected width from which an overlap without a crossing is one: what is narrower only touches beside."""


@dataclass(frozen=True)
class FirstContact:
    """``travel``: metres until first contact (None: nothing is there). ``row``: what is touched first.

    ``initially_intersecting``: rows whose surface the mover already cuts at the start; those pairs of triangles are left
    out of ``travel``.
    """

    travel: float | None
    row: int | None
    initially_intersecting: tuple[int, ...]


def first_contact(
    index: SceneIndex, mover: Mover, near: Near, ignored_width: NDArray[np.float64] | None = None
) -> FirstContact:
    """Travel in metres of ``mover`` along its direction until it first touches one of ``near``.

    ``ignored_width``: (len(near),) width in metres of projected overlap to let pass; ``FLUSH_WIDTH`` by default.
    """
    if not len(near.rows):
        return FirstContact(None, None, ())
    if ignored_width is None:
        ignored_width = np.full(len(near.rows), FLUSH_WIDTH)
    best, who, initially_intersecting = whole_contact_kernel(index.forest, index.placed, mover, *near, ignored_width)
    cut = tuple(int(r) for r in near.rows[initially_intersecting])
    if who < 0:
        return FirstContact(None, None, cut)
    return FirstContact(float(best), int(near.rows[who]), cut)


def rows_cut(index: SceneIndex, mover: Mover, origin: Vec, skip: int) -> list[int]:
    """Rows that ``mover``, whose pose has this ``origin``, cuts where it is, all but row ``skip``.

    No travel is looked for, and one cut a row is enough.
    """
    cut = rows_cut_kernel(index.forest, index.placed, len(index.keys), mover, origin, skip)
    return [int(row) for row in cut]


@kernel
def rows_cut_kernel(forest, placed, count, mover, origin, skip):
    """As ``rows_cut``."""
    query = column_query_kernel(forest, placed, count, mover, origin, skip, 0.0)
    ignored_width = np.full(query.rows.shape[0], FLUSH_WIDTH)
    _, _, cut, _ = first_contact_kernel(query, ignored_width, 0.0, ALL_CUTS)
    return query.rows[cut]


@kernel
def whole_contact_kernel(forest, placed, mover, rows, matrix, offset, facing, ignored_width):
    """Travel to first contact, the place in the query's rows of what is met (-1: nothing), and (n,) what is cut, with
    what no two triangles show: corners and edges just in a surface, and solids that are flush on all sides."""
    query = query_kernel(forest, placed, mover, rows, matrix, offset, facing)
    best, who, initially_intersecting, within = first_contact_kernel(query, ignored_width, np.inf, ALL_CUTS)
    if who >= 0 and best <= CONTACT_EPSILON:
        embedded_kernel(query, ignored_width, initially_intersecting)
    else:
        flush_kernel(query, placed, -1 if within else who, UNTOUCHED, initially_intersecting)
    return best, who, initially_intersecting


@nested_kernel
def embedded_kernel(query, ignored_width, initially_intersecting):
    """Add to ``initially_intersecting`` what the mover goes through with its corners or edges just in the surface.

    There no two triangles cross, and it seems to touch. Raised a little it does not let go, as a seated piece would.
    """
    raised = raised_query_kernel(query, EMBEDDED_LIFT)
    _, _, cut, _ = first_contact_kernel(raised, ignored_width, 0.0, FLOORS_ONLY)
    for i in range(cut.shape[0]):
        initially_intersecting[i] = initially_intersecting[i] or cut[i]


@nested_kernel
def flush_kernel(query, placed, known, touched, initially_intersecting):
    """Add to ``initially_intersecting`` the solids that overlap the mover although no two of their triangles cross.

    So it is where they are flush on all sides. Each is asked by itself, since it may be met long after what is
    ``known`` to be met first, and from without. A mover that is ``touched`` already is asked only of what has the same
    bounds as itself along two axes: copies of one prop, sunk into each other. What stands wholly inside the other is
    ``containers_kernel``'s to find.
    """
    mover = query.mover
    lo = np.empty(3)
    hi = np.empty(3)
    ignored_width = np.full(1, FLUSH_OVERLAP)
    for i in range(query.rows.shape[0]):
        if i == known or initially_intersecting[i]:
            continue
        if not placed.closed[query.rows[i]] or mover.facing * query.facing[i] == 0.0:
            continue
        root = query.roots[i]
        box_in_frame(query.forest, root, query.matrix, query.offset, i, lo, hi)
        if not may_be_flush(mover, lo, hi, touched):
            continue
        if box_beside(query.forest, root, query.axes, query.offset, i, mover, FIRST_NODE, 0.0, 0.0, 0.0):
            continue
        _, _, cut, within = first_contact_kernel(row_query_kernel(query, i), ignored_width, np.inf, ALL_CUTS)
        initially_intersecting[i] = cut[0] or within


@nested_inner_kernel
def may_be_flush(mover, lo, hi, touched):
    """Do the boxes of the mover and of a piece overlap, neither inside the other, so that the two may be flush?

    ``touched``: only where they have the same bounds along two axes.
    """
    inner, outer, alike = True, True, 0
    for k in range(3):
        low, high = lo[k] - mover.lo[0, k], mover.hi[0, k] - hi[k]
        if min(mover.hi[0, k], hi[k]) - max(mover.lo[0, k], lo[k]) <= CONTACT_EPSILON:
            return False
        if abs(low) <= SAME_BOUND and abs(high) <= SAME_BOUND:
            alike += 1
        inner = inner and min(low, high) > CONTACT_EPSILON
        outer = outer and max(low, high) < -CONTACT_EPSILON
    return not inner and not outer and (not touched or alike >= 2)


@nested_kernel
def near_contact_kernel(query, ignored_width, close):
    """As ``first_contact_kernel`` without a limit, looking no farther than ``close`` metres before it looks everywhere.

    What is all but there already then never looks at what stands beside it farther down.
    """
    if close > 0.0:
        found = first_contact_kernel(query, ignored_width, close, ALL_CUTS)
        if found[1] >= 0:
            return found
    return first_contact_kernel(query, ignored_width, np.inf, ALL_CUTS)


@nested_inner_kernel
def meet_leaves(query, p, q, i, width, floors, best, who, within, initially_intersecting, room):
    """All pairs of triangles of two leaves: the same ``best``, ``who`` and ``within`` as the walk keeps, brought up to date.

    ``room``: two triangles and the overlap of two.
    """
    s, t, out, work = room
    forest, mover, facing = query.forest, query.mover, query.facing[i]
    first = forest.start[mover.node0 + p] - mover.tri0
    tie = CONTACT_EPSILON if within else 0.0
    for a in range(forest.start[q], forest.start[q] + forest.length[q]):
        triangle_in_frame(forest, a, query.matrix, query.offset, i, s)
        s_top, s_low = high_w(s), low_w(s)
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
            corners = overlap_polygon(t, s, width, out, work)
            if corners == 0:
                continue
            g0, g1 = out[0, 3], out[0, 3]
            for c in range(1, corners):
                g0, g1 = min(g0, out[c, 3]), max(g1, out[c, 3])
            if g0 >= -CONTACT_EPSILON:
                if g1 <= CONTACT_EPSILON and back_to_back(t, s, mover.facing, facing):
                    if same_side(t, s, mover.facing, facing):
                        initially_intersecting[i] = True
                    continue
                if g0 < best + tie:
                    inner = g0 > CONTACT_EPSILON and back_to_back(t, s, mover.facing, facing)
                    within = inner and (within or g0 < best - CONTACT_EPSILON)
                    tie = CONTACT_EPSILON if within else 0.0
                    if g0 < best or not inner:
                        best = min(best, g0)
                        who = i
            elif g1 > CONTACT_EPSILON and not (floors and facing * double_area(s) < 0.0):
                initially_intersecting[i] = True
    return best, who, within


@nested_kernel
def first_contact_kernel(query, ignored_width, limit, floors):
    """Least travel below ``limit``, the place in the query's rows of what is met there (-1: nothing), what is cut, and
    whether the first is met from within: so are solids that overlap while all their sides are flush.

    ``ignored_width``: (n,) metres of projected overlap with each row that are let pass. ``floors``: only what looks up
    counts as cut.
    """
    forest, mover = query.forest, query.mover
    best = limit
    within = NOT_YET
    who = NO_NODE
    initially_intersecting = np.zeros(query.rows.shape[0], np.bool_)
    key = np.empty(HEAP_START)
    item = np.empty((HEAP_START, 3), np.int32)
    room = pair_room()
    nodes, spans, lo, hi, s = room
    leaf_room = (s, np.empty((3, 3)), np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3)))
    n = np.int64(0)
    for place in range(query.rows.shape[0]):
        root = query.roots[place]
        box_in_frame(forest, root, query.matrix, query.offset, place, lo, hi)
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
        if initially_intersecting[i] and limit <= 0.0:
            continue
        below = max(best + tie, CONTACT_EPSILON)
        if below < np.inf and box_beside(forest, q, query.axes, query.offset, i, mover, p, 0.0, below, CONTACT_EPSILON):
            continue
        if forest.child[mover.node0 + p] < 0 and forest.child[q] < 0:
            best, who, within = meet_leaves(
                query, p, q, i, ignored_width[i], floors, best, who, within, initially_intersecting, leaf_room
            )
            continue
        if n + 2 > key.shape[0]:
            key, item = heap_room(key, item, n)
        open_pair(query, p, q, i, 0.0, room)
        for side in range(2):
            if nodes[side, 0] == APART or spans[side, 1] - spans[side, 2] < -CONTACT_EPSILON:
                continue
            k = spans[side, 0] - spans[side, 3]
            if k < best + tie or k <= CONTACT_EPSILON:
                n = heap_push(key, item, n, k, nodes[side, 0], nodes[side, 1], i)
    return best, who, initially_intersecting, within
