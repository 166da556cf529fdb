"""Where a mover is near to what stands: closest points of corners, edges and faces, with their normals.

Each is a linear condition on a small movement: the mover's point may not pass the plane through the other
point, square to the line between them.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.column_query import query_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import Mover, Near
from brickseat_core.contact.kernels.pairs import (
    box_beside,
    box_in_frame,
    mover_triangle,
    splits_mover,
    triangle_in_frame,
    unit_normal,
)
from brickseat_core.geometry.nearest import nearest_on_triangle
from brickseat_core.geometry.tree import PAIR_STACK_ROOM
from brickseat_core.kernels import inner_kernel, kernel, nested_inner_kernel, nested_kernel
from brickseat_core.scene import Vec

FIRST_ROOM = 1024
PER_PAIR = 15
"""Features that two triangles have at most: six of corner and face, nine of edge and edge."""
MOST_FEATURES = 1 << 20
"""Where a search is given up as too large to solve; more than any stand of two meshes ever had."""


@dataclass(frozen=True)
class Features:
    """In the mover's frame: ``points`` (n, 3) of the mover, unit ``normals`` (n, 3) away from what stands,
    ``gaps`` (n,) in metres, and ``rows`` (n,) of the pieces they are near to."""

    points: Vec
    normals: Vec
    gaps: Vec
    rows: NDArray[np.int64]


def near_features(index: SceneIndex, mover: Mover, near: Near, margin: float) -> Features:
    """All pairs of corner and face, or edge and edge, no farther apart than ``margin`` metres."""
    points, normals, gaps, whose = near_features_kernel(query_of(index, mover, near), margin)
    return Features(points, normals, gaps, near.rows[whose])


@inner_kernel
def nearest_inside_edges(a, b, c, d, on_ab, on_cd):
    """Nearest points of two segments when both lie between their ends; False otherwise, or when parallel."""
    u0, u1, u2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    v0, v1, v2 = d[0] - c[0], d[1] - c[1], d[2] - c[2]
    w0, w1, w2 = a[0] - c[0], a[1] - c[1], a[2] - c[2]
    uu, uv, vv = u0 * u0 + u1 * u1 + u2 * u2, u0 * v0 + u1 * v1 + u2 * v2, v0 * v0 + v1 * v1 + v2 * v2
    uw, vw = u0 * w0 + u1 * w1 + u2 * w2, v0 * w0 + v1 * w1 + v2 * w2
    det = uu * vv - uv * uv
    if det <= 1e-9 * uu * vv:
        return False
    s, t = (uv * vw - vv * uw) / det, (uu * vw - uv * uw) / det
    if s <= 0.0 or s >= 1.0 or t <= 0.0 or t >= 1.0:
        return False
    on_ab[0], on_ab[1], on_ab[2] = a[0] + s * u0, a[1] + s * u1, a[2] + s * u2
    on_cd[0], on_cd[1], on_cd[2] = c[0] + t * v0, c[1] + t * v1, c[2] + t * v2
    return True


@inner_kernel
def boxes_apart(t, s, margin):
    """Are the boxes of two triangles (3, 3) farther apart than ``margin`` metres along an axis?"""
    for k in range(3):
        if min(t[0, k], t[1, k], t[2, k]) - max(s[0, k], s[1, k], s[2, k]) > margin:
            return True
        if min(s[0, k], s[1, k], s[2, k]) - max(t[0, k], t[1, k], t[2, k]) > margin:
            return True
    return False


@inner_kernel
def slab_box(t, s, n, margin, lo, hi):
    """Write the box of that part of ``t`` which lies within ``margin`` of the plane of ``s``, of unit normal ``n``.

    False when there is no such part. Only there can ``t`` be near to ``s``.
    """
    d = (
        n[0] * (t[0, 0] - s[0, 0]) + n[1] * (t[0, 1] - s[0, 1]) + n[2] * (t[0, 2] - s[0, 2]),
        n[0] * (t[1, 0] - s[0, 0]) + n[1] * (t[1, 1] - s[0, 1]) + n[2] * (t[1, 2] - s[0, 2]),
        n[0] * (t[2, 0] - s[0, 0]) + n[1] * (t[2, 1] - s[0, 1]) + n[2] * (t[2, 2] - s[0, 2]),
    )
    if min(d[0], d[1], d[2]) > margin or max(d[0], d[1], d[2]) < -margin:
        return False
    for c in range(3):
        lo[c], hi[c] = np.inf, -np.inf
    for k in range(3):
        if abs(d[k]) <= margin:
            for c in range(3):
                lo[c], hi[c] = min(lo[c], t[k, c]), max(hi[c], t[k, c])
        m = (k + 1) % 3
        for level in (-margin, margin):
            if (d[k] < level) != (d[m] < level):
                f = (level - d[k]) / (d[m] - d[k])
                for c in range(3):
                    x = t[k, c] + f * (t[m, c] - t[k, c])
                    lo[c], hi[c] = min(lo[c], x), max(hi[c], x)
    return True


@inner_kernel
def too_far(lo, hi, other_lo, other_hi, margin):
    """Are two boxes farther apart than ``margin`` metres, give or take a rounding error?"""
    apart = 0.0
    for c in range(3):
        side = max(lo[c] - other_hi[c], other_lo[c] - hi[c], 0.0)
        apart += side * side
    return apart > margin * margin * 1.000001 + 1e-20


@inner_kernel
def note_feature(points, normals, gaps, n, mine, other, margin):
    """Write down one pair of nearest points, unless it is farther than ``margin`` metres or known; how many there are then."""
    if n == points.shape[0]:
        return n
    x, y, z = mine[0] - other[0], mine[1] - other[1], mine[2] - other[2]
    gap = np.sqrt(x * x + y * y + z * z)
    # Nearer than a rounding error there is no line between the two that could give a normal.
    if gap > margin or gap < 1e-9:
        return n
    x, y, z = x / gap, y / gap, z / gap
    # The same corner is met once for every triangle round it.
    for i in range(n - 1, max(-1, n - 40), -1):
        if (
            abs(gaps[i] - gap) < 1e-9
            and abs(points[i, 0] - mine[0]) + abs(points[i, 1] - mine[1]) + abs(points[i, 2] - mine[2]) < 1e-8
            and abs(normals[i, 0] - x) + abs(normals[i, 1] - y) + abs(normals[i, 2] - z) < 1e-6
        ):
            return n
    points[n, 0], points[n, 1], points[n, 2] = mine[0], mine[1], mine[2]
    normals[n, 0], normals[n, 1], normals[n, 2] = x, y, z
    gaps[n] = gap
    return n + 1


@inner_kernel
def note_features(points, normals, gaps, n, t, s, mine, other, margin):
    """All features of two triangles. ``mine``, ``other``: room for a point each."""
    for k in range(3):
        nearest_on_triangle(t[k], s, other)
        n = note_feature(points, normals, gaps, n, t[k], other, margin)
        nearest_on_triangle(s[k], t, mine)
        n = note_feature(points, normals, gaps, n, mine, s[k], margin)
        for j in range(3):
            if nearest_inside_edges(t[k], t[(k + 1) % 3], s[j], s[(j + 1) % 3], mine, other):
                n = note_feature(points, normals, gaps, n, mine, other, margin)
    return n


@nested_kernel
def more_room(points, normals, gaps, whose, n):
    """The same ``n`` features with twice the room."""
    room = 2 * gaps.shape[0]
    new_points = np.empty((room, 3))
    new_normals = np.empty((room, 3))
    new_gaps = np.empty(room)
    new_whose = np.empty(room, np.int64)
    for i in range(n):
        new_gaps[i] = gaps[i]
        new_whose[i] = whose[i]
        for k in range(3):
            new_points[i, k] = points[i, k]
            new_normals[i, k] = normals[i, k]
    return new_points, new_normals, new_gaps, new_whose


@nested_inner_kernel
def boxes_near(forest, mover, p, lo, hi, margin):
    """Does the box of the mover's node ``p`` come within ``margin`` metres of the box lo..hi?"""
    apart = 0.0
    for k in range(3):
        side = max(mover.lo[p, k] - hi[k], lo[k] - mover.hi[p, k], 0.0)
        apart += side * side
    return apart <= margin * margin


@nested_inner_kernel
def parts_near(t, s, flat, margin, room):
    """May two triangles come within ``margin`` metres: by their boxes, and by the parts near each other's plane?

    ``flat``: ``s`` has an area, and the first of ``room`` is its unit normal.
    """
    plane, own, t_lo, t_hi, s_lo, s_hi = room
    if boxes_apart(t, s, margin):
        return False
    if flat and unit_normal(t, own):
        if not slab_box(t, s, plane, margin, t_lo, t_hi) or not slab_box(s, t, own, margin, s_lo, s_hi):
            return False
        return not too_far(t_lo, t_hi, s_lo, s_hi, margin)
    return True


@kernel
def near_features_kernel(query, margin):
    """All features of the query within ``margin`` metres: points, normals, gaps, and the place of each in its rows."""
    forest, mover = query.forest, query.mover
    points = np.empty((FIRST_ROOM, 3))
    normals = np.empty((FIRST_ROOM, 3))
    gaps = np.empty(FIRST_ROOM)
    whose = np.empty(FIRST_ROOM, np.int64)
    n = np.int64(0)
    stack = np.empty((PAIR_STACK_ROOM, 2), np.int32)
    lo = np.empty(3)
    hi = np.empty(3)
    slabs = (np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3), np.empty(3))
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    mine = np.empty(3)
    other = np.empty(3)
    for i in range(query.rows.shape[0]):
        stack[0, 0] = 0
        stack[0, 1] = query.roots[i]
        depth = 1
        while depth > 0:
            depth -= 1
            p, q = np.int64(stack[depth, 0]), np.int64(stack[depth, 1])
            box_in_frame(forest, q, query.matrix, query.offset, i, lo, hi)
            if not boxes_near(forest, mover, p, lo, hi, margin):
                continue
            if box_beside(forest, q, query.axes, query.offset, i, mover, p, margin, margin, margin):
                continue
            if forest.child[mover.node0 + p] >= 0 or forest.child[q] >= 0:
                # Whether those below come near is seen when their turn comes.
                opens_mover = splits_mover(forest, mover, p, q, lo, hi)
                left = forest.child[mover.node0 + p] - mover.node0 if opens_mover else forest.child[q]
                for side in range(2):
                    stack[depth, 0] = left + side if opens_mover else p
                    stack[depth, 1] = q if opens_mover else left + side
                    depth += 1
                continue
            first = forest.start[mover.node0 + p] - mover.tri0
            for a in range(forest.start[q], forest.start[q] + forest.length[q]):
                triangle_in_frame(forest, a, query.matrix, query.offset, i, s)
                flat = unit_normal(s, slabs[0])
                for b in range(first, first + forest.length[mover.node0 + p]):
                    mover_triangle(mover, b, t)
                    if not parts_near(t, s, flat, margin, slabs):
                        continue
                    if n + PER_PAIR > gaps.shape[0] and n < MOST_FEATURES:
                        points, normals, gaps, whose = more_room(points, normals, gaps, whose, n)
                    known = n
                    n = note_features(points, normals, gaps, n, t, s, mine, other, margin)
                    for k in range(known, n):
                        whose[k] = i
    return points[:n].copy(), normals[:n].copy(), gaps[:n].copy(), whose[:n].copy()
