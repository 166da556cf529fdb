"""Shared by every walk over two trees: boxes and triangles in the mover's frame, and the heap."""

from typing import NamedTuple

import numpy as np

from brickseat_core.contact.kernels.interval import diameter, double_area, gap_span
from brickseat_core.geometry.tree import PAIR_STACK_ROOM
from brickseat_core.kernels import inner_kernel, kernel, nested_inner_kernel, nested_kernel
from brickseat_core.scene import Vec

HEAP_START = 1024
ALL_PAIRS = np.int64(2**31 - 1)
FIRST_NODE = np.int64(0)
NO_NODE = np.int64(-1)
"""These are no plain ints, and nodes are counted in 64 bits wherever they are handed on: a kernel is compiled
once more for each type, and a literal is a type of its own."""
SLIVER = 1e-6
"""Projected area over squared width below which the plane of a triangle is not trusted."""


@inner_kernel
def box_in_frame(forest, node, matrix, offset, i, lo, hi):
    """Write the frame box of a standing node into ``lo``, ``hi`` ((3,)).

    ``matrix`` (n, 3, 3), ``offset`` (n, 3): the transforms of what stands into the frame, of which this is number ``i``.
    """
    for c in range(3):
        middle = offset[i, c]
        half_extent = 0.0
        for k in range(3):
            middle += matrix[i, c, k] * (0.5 * (forest.lo[node, k] + forest.hi[node, k]))
            half_extent += abs(matrix[i, c, k]) * (0.5 * (forest.hi[node, k] - forest.lo[node, k]))
        lo[c] = middle - half_extent
        hi[c] = middle + half_extent


class Axes(NamedTuple):
    """How the pieces near a mover, n of them, look along their own axes and along those of the mover's mesh.

    ``back``: (n, 3, 3) turn vectors of the frame into those of each piece itself. ``over``, ``away``: (n, 3, 3) and
    (n, 3), from the coordinates of each piece itself into those of the mover's mesh.
    """

    back: Vec
    over: Vec
    away: Vec


@kernel
def axes_kernel(placed, rows, mover, matrix, offset):
    """The ``Axes`` of ``rows``, which ``matrix`` and ``offset`` bring into the mover's frame."""
    n = rows.shape[0]
    back = np.zeros((n, 3, 3))
    over = np.zeros((n, 3, 3))
    away = np.zeros((n, 3))
    for i in range(n):
        for a in range(3):
            for k in range(3):
                away[i, a] += mover.own[a, k] * offset[i, k]
                for b in range(3):
                    back[i, a, b] += placed.inverse[rows[i], a, k] * mover.frame[b, k]
                    over[i, a, b] += mover.own[a, k] * matrix[i, k, b]
    return Axes(back, over, away)


@inner_kernel
def box_beside(forest, node, axes, offset, i, mover, p, aside, below, above):
    """Does the box of the mover's node ``p`` miss that of a standing node, seen along the axes of either mesh?

    ``aside``, ``below``, ``above``: metres by which the mover's box is made larger along u and v, and down and up w.
    In the frame the box of what lies at a slant is far larger than need be; along its own axes the other one is. What
    meets in all is most likely near.
    """
    for c in range(3):
        middle, half_extent = 0.0, 0.0
        for k in range(3):
            lo = mover.lo[p, k] - (below if k == 2 else aside)
            hi = mover.hi[p, k] + (above if k == 2 else aside)
            middle += axes.back[i, c, k] * (0.5 * (lo + hi) - offset[i, k])
            half_extent += abs(axes.back[i, c, k]) * (0.5 * (hi - lo))
        rounding = 1e-12 * (abs(middle) + half_extent)
        if middle - half_extent - rounding > forest.hi[node, c] or middle + half_extent + rounding < forest.lo[node, c]:
            return True
    own = mover.node0 + p
    for c in range(3):
        # It comes down on what stands: as the mover's mesh sees it, that comes up.
        middle = axes.away[i, c] + 0.5 * (below - above) * mover.own[c, 2]
        half_extent = aside * (abs(mover.own[c, 0]) + abs(mover.own[c, 1])) + 0.5 * (below + above) * abs(
            mover.own[c, 2]
        )
        for k in range(3):
            middle += axes.over[i, c, k] * (0.5 * (forest.lo[node, k] + forest.hi[node, k]))
            half_extent += abs(axes.over[i, c, k]) * (0.5 * (forest.hi[node, k] - forest.lo[node, k]))
        rounding = 1e-12 * (abs(middle) + abs(axes.away[i, c]) + half_extent)
        if middle - half_extent - rounding > forest.hi[own, c] or middle + half_extent + rounding < forest.lo[own, c]:
            return True
    return False


@inner_kernel
def triangle_in_frame(forest, t, matrix, offset, i, out):
    """Write standing triangle ``t`` in the frame into ``out`` ((3, 3))."""
    for k in range(3):
        x, y, z = forest.corners[t, k, 0], forest.corners[t, k, 1], forest.corners[t, k, 2]
        for c in range(3):
            out[k, c] = matrix[i, c, 0] * x + matrix[i, c, 1] * y + matrix[i, c, 2] * z + offset[i, c]


@inner_kernel
def mover_triangle(mover, t, out):
    """Write the mover's triangle ``t`` into ``out`` ((3, 3)): quicker than a view of it, whose references are counted."""
    for k in range(3):
        for c in range(3):
            out[k, c] = mover.tri[t, k, c]


@inner_kernel
def unit_normal(t, out):
    """Write the unit normal of a triangle (3, 3) into ``out`` (3,); False when it has no area."""
    ax, ay, az = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    bx, by, bz = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    x, y, z = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
    length = np.sqrt(x * x + y * y + z * z)
    if length == 0.0:
        return False
    out[0], out[1], out[2] = x / length, y / length, z / length
    return True


@inner_kernel
def apart(p, s):
    """Do the projections' boxes of two triangles miss each other?"""
    return (
        min(p[0, 0], p[1, 0], p[2, 0]) > max(s[0, 0], s[1, 0], s[2, 0])
        or max(p[0, 0], p[1, 0], p[2, 0]) < min(s[0, 0], s[1, 0], s[2, 0])
        or min(p[0, 1], p[1, 1], p[2, 1]) > max(s[0, 1], s[1, 1], s[2, 1])
        or max(p[0, 1], p[1, 1], p[2, 1]) < min(s[0, 1], s[1, 1], s[2, 1])
    )


@inner_kernel
def low_w(t):
    """The lowest w of a triangle (3, 3), in metres."""
    return min(t[0, 2], t[1, 2], t[2, 2])


@inner_kernel
def high_w(t):
    """The highest w of a triangle (3, 3), in metres."""
    return max(t[0, 2], t[1, 2], t[2, 2])


@inner_kernel
def back_to_back(p, s, p_facing, s_facing):
    """Can these two not press on each other: P's outside looks up, or S's outside looks down?

    Tells what lies on a piece from what it lies on, where both touch it at gap zero.
    """
    return p_facing * double_area(p) > 0.0 or s_facing * double_area(s) < 0.0


@inner_kernel
def same_side(p, s, p_facing, s_facing):
    """Do both look the same way? Where they lie in one plane, the solids behind them overlap."""
    return p_facing * double_area(p) * s_facing * double_area(s) > 0.0


@inner_kernel
def heap_push(key, item, n, k, a, b, c):
    """Sift (k; a, b, c) up into a binary heap of ``n`` entries; returns n + 1."""
    i = n
    while i > 0:
        parent = (i - 1) >> 1
        if key[parent] <= k:
            break
        key[i] = key[parent]
        for q in range(3):
            item[i, q] = item[parent, q]
        i = parent
    key[i] = k
    item[i, 0] = a
    item[i, 1] = b
    item[i, 2] = c
    return n + 1


@inner_kernel
def heap_drop_top(key, item, n):
    """Remove the least entry; returns n - 1."""
    n -= 1
    if n == 0:
        return 0
    k = key[n]
    a, b, c = item[n, 0], item[n, 1], item[n, 2]
    i = 0
    while True:
        j = 2 * i + 1
        if j >= n:
            break
        if j + 1 < n and key[j + 1] < key[j]:
            j += 1
        if key[j] >= k:
            break
        key[i] = key[j]
        for q in range(3):
            item[i, q] = item[j, q]
        i = j
    key[i] = k
    item[i, 0] = a
    item[i, 1] = b
    item[i, 2] = c
    return n


@kernel
def heap_room(key, item, n):
    """The same heap with twice the room. Only called when there is no room for two more entries."""
    new_key = np.empty(2 * (n + 2))
    new_item = np.empty((2 * (n + 2), 3), np.int32)
    # Loops: assigning slices drags in numpy's broadcasting, seconds of compiling.
    for i in range(n):
        new_key[i] = key[i]
        for q in range(3):
            new_item[i, q] = item[i, q]
    return new_key, new_item


@inner_kernel
def splits_mover(forest, mover, p, s, s_lo, s_hi):
    """Which side of a pair of nodes to open: the larger box, or the one that is not a leaf."""
    if forest.child[mover.node0 + p] < 0:
        return False
    if forest.child[s] < 0:
        return True
    mine = mover.hi[p, 0] - mover.lo[p, 0] + mover.hi[p, 1] - mover.lo[p, 1] + mover.hi[p, 2] - mover.lo[p, 2]
    other = s_hi[0] - s_lo[0] + s_hi[1] - s_lo[1] + s_hi[2] - s_lo[2]
    return mine >= other


@inner_kernel
def triangle_span(s, lo, hi):
    """Lowest and highest w of a triangle over the rectangle lo..hi of (u, v); lowest > highest when it misses it.

    A large triangle seen at a slant fills its box badly; its plane over a small rectangle bounds it far better.
    """
    if (
        min(s[0, 0], s[1, 0], s[2, 0]) > hi[0]
        or max(s[0, 0], s[1, 0], s[2, 0]) < lo[0]
        or min(s[0, 1], s[1, 1], s[2, 1]) > hi[1]
        or max(s[0, 1], s[1, 1], s[2, 1]) < lo[1]
    ):
        return np.inf, -np.inf
    bottom, top = low_w(s), high_w(s)
    area = double_area(s)
    # Nearly on edge: its plane says nothing there, its own range has to do.
    if abs(area) > SLIVER * diameter(s) ** 2:
        au, av, aw = s[1, 0] - s[0, 0], s[1, 1] - s[0, 1], s[1, 2] - s[0, 2]
        bu, bv, bw = s[2, 0] - s[0, 0], s[2, 1] - s[0, 1], s[2, 2] - s[0, 2]
        gu, gv = (aw * bv - bw * av) / area, (au * bw - bu * aw) / area
        middle = s[0, 2] + gu * (0.5 * (lo[0] + hi[0]) - s[0, 0]) + gv * (0.5 * (lo[1] + hi[1]) - s[0, 1])
        away = abs(gu) * 0.5 * (hi[0] - lo[0]) + abs(gv) * 0.5 * (hi[1] - lo[1])
        rounding = 1e-9 * (1.0 + abs(middle) + away)
        bottom, top = max(bottom, middle - away - rounding), min(top, middle + away + rounding)
    return bottom, top


@inner_kernel
def leaf_span(forest, q, matrix, offset, i, s, mover, p):
    """``triangle_span`` of all triangles of a standing leaf over a node ``p`` of the mover. ``s``: room, (3, 3)."""
    low, high = np.inf, -np.inf
    for t in range(forest.start[q], forest.start[q] + forest.length[q]):
        triangle_in_frame(forest, t, matrix, offset, i, s)
        bottom, top = triangle_span(s, mover.lo[p], mover.hi[p])
        low, high = min(low, bottom), max(high, top)
    return low, high


@inner_kernel
def mover_leaf_span(forest, mover, p, lo, hi):
    """``triangle_span`` of all triangles of a leaf of the mover."""
    low, high = np.inf, -np.inf
    first = forest.start[mover.node0 + p] - mover.tri0
    for t in range(first, first + forest.length[mover.node0 + p]):
        bottom, top = triangle_span(mover.tri[t], lo, hi)
        low, high = min(low, bottom), max(high, top)
    return low, high


APART = np.int64(-1)
"""In the place of a mover's node: the two of a pair miss each other, seen along w."""


@nested_inner_kernel
def open_pair(query, p, q, i, aside, room):
    """One step of a walk over two trees: open one node of a pair, and write what is below it into ``room``.

    ``p``, ``q``: nodes of the mover's tree and of the tree of the ``i``-th piece near it. ``aside``: metres by which the
    two may miss each other along u and v. ``room``: as ``pair_room`` makes it; its ``nodes`` (2, 2) get the two pairs, the
    mover's node ``APART`` where they miss each other; its ``spans`` (2, 4) the lowest and highest w of the mover's node and
    of the standing one, each where they may meet.
    """
    nodes, spans, lo, hi, s = room
    forest, mover = query.forest, query.mover
    box_in_frame(forest, q, query.matrix, query.offset, i, lo, hi)
    if splits_mover(forest, mover, p, q, lo, hi):
        left = forest.child[mover.node0 + p] - mover.node0
        q_leaf = forest.child[q] < 0
        for side in range(2):
            child = left + side
            nodes[side, 0], nodes[side, 1] = child, q
            spans[side, 0], spans[side, 1] = mover.lo[child, 2], mover.hi[child, 2]
            spans[side, 2], spans[side, 3] = lo[2], hi[2]
            if miss_aside(mover.lo[child], mover.hi[child], lo, hi, aside):
                nodes[side, 0] = APART
            elif q_leaf and aside == 0.0:
                bottom, top = leaf_span(forest, q, query.matrix, query.offset, i, s, mover, child)
                spans[side, 2], spans[side, 3] = bottom, top
                if bottom > top:
                    nodes[side, 0] = APART
        return
    p_leaf = forest.child[mover.node0 + p] < 0
    for side in range(2):
        child = forest.child[q] + side
        nodes[side, 0], nodes[side, 1] = p, child
        box_in_frame(forest, child, query.matrix, query.offset, i, lo, hi)
        spans[side, 0], spans[side, 1] = mover.lo[p, 2], mover.hi[p, 2]
        spans[side, 2], spans[side, 3] = lo[2], hi[2]
        if miss_aside(mover.lo[p], mover.hi[p], lo, hi, aside):
            nodes[side, 0] = APART
        elif p_leaf and aside == 0.0:
            bottom, top = mover_leaf_span(forest, mover, p, lo, hi)
            spans[side, 0], spans[side, 1] = bottom, top
            if bottom > top:
                nodes[side, 0] = APART


@nested_inner_kernel
def miss_aside(lo, hi, other_lo, other_hi, aside):
    """Are two boxes farther apart than ``aside`` metres along u or v?"""
    return (
        lo[0] > other_hi[0] + aside
        or hi[0] < other_lo[0] - aside
        or lo[1] > other_hi[1] + aside
        or hi[1] < other_lo[1] - aside
    )


@nested_kernel
def pair_room():
    """Working room of ``open_pair``."""
    return np.empty((2, 2), np.int64), np.empty((2, 4)), np.empty(3), np.empty(3), np.empty((3, 3))


@kernel
def blocking_pairs(query, low, high, most):
    """Pairs of triangles whose projections' boxes meet and whose gap along w may lie in [low, high].

    Returns (n, 3) int32, n not much over ``most``: the mover's triangle, the standing one, the place in the query's rows.
    """
    forest, mover = query.forest, query.mover
    found = np.empty((64, 3), np.int32)
    n = 0
    stack = np.empty((PAIR_STACK_ROOM, 2), np.int32)
    room = pair_room()
    nodes, spans, lo, hi, _ = room
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    for i in range(query.rows.shape[0]):
        root = query.roots[i]
        box_in_frame(forest, root, query.matrix, query.offset, i, lo, hi)
        if miss_aside(mover.lo[0], mover.hi[0], lo, hi, 0.0):
            continue
        stack[0, 0], stack[0, 1] = 0, root
        depth = 1
        while depth > 0 and n < most:
            depth -= 1
            p, q = np.int64(stack[depth, 0]), np.int64(stack[depth, 1])
            if box_beside(forest, q, query.axes, query.offset, i, mover, p, 0.0, high, -low):
                continue
            if forest.child[mover.node0 + p] >= 0 or forest.child[q] >= 0:
                open_pair(query, p, q, i, 0.0, room)
                for side in range(2):
                    if (
                        nodes[side, 0] == APART
                        or spans[side, 0] - spans[side, 3] > high
                        or spans[side, 1] - spans[side, 2] < low
                    ):
                        continue
                    stack[depth, 0], stack[depth, 1] = nodes[side, 0], nodes[side, 1]
                    depth += 1
                continue
            first = forest.start[mover.node0 + p] - mover.tri0
            for a in range(forest.start[q], forest.start[q] + forest.length[q]):
                triangle_in_frame(forest, a, query.matrix, query.offset, i, s)
                for b in range(first, first + forest.length[mover.node0 + p]):
                    mover_triangle(mover, b, t)
                    if low_w(t) - high_w(s) > high or high_w(t) - low_w(s) < low or apart(t, s):
                        continue
                    closest, farthest = gap_span(t, s)
                    if closest > high or farthest < low:
                        continue
                    if n == found.shape[0]:
                        found = twice_the_room(found)
                    found[n, 0], found[n, 1], found[n, 2] = b, a, i
                    n += 1
    return found[:n].copy()


@nested_kernel
def twice_the_room(found):
    """The same rows of three whole numbers with twice the room."""
    more = np.empty((2 * found.shape[0], 3), np.int32)
    for n in range(found.shape[0]):
        for k in range(3):
            more[n, k] = found[n, k]
    return more
