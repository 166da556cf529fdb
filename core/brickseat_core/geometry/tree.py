"""A bounding volume hierarchy over one mesh, shared by all pieces that draw it.

Binned surface-area heuristic (Wald, "On fast construction of SAH-based bounding volume
hierarchies", 2007): 16 bins, leaves of at most four triangles. Children are stored side by side
and after their parent, so a refit is one pass from the last node to the first.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import inner_kernel, kernel

LEAF_SIZE = 4
BINS = 16
MAX_DEPTH = 48
"""Levels below the root at most. Splits by surface area alone can be one-sided level after level (nested sheets that
shrink by a constant factor); a node that comes near to this depth is halved instead, so that 2^31 triangles still fit."""
STACK_ROOM = MAX_DEPTH + 2
"""Entries that a depth-first walk over one tree needs: it pops one node and pushes two, a level deeper."""
PAIR_STACK_ROOM = 2 * MAX_DEPTH + 2
"""The same for a walk over the pairs of two trees, which opens one of the two nodes at a time."""


class Tree(NamedTuple):
    """Nodes of the hierarchy, and the triangles in leaf order.

    ``lo``, ``hi``: (n, 3) float64 boxes. ``child``: (n,) index of the left child, -1 for a leaf; the
    right child follows it. ``start``, ``length``: the leaf's run of triangles. ``corners``:
    (m, 3, 3) float64. ``order``: (m,) original index of each triangle.
    """

    lo: NDArray[np.float64]
    hi: NDArray[np.float64]
    child: NDArray[np.int32]
    start: NDArray[np.int32]
    length: NDArray[np.int32]
    corners: NDArray[np.float64]
    order: NDArray[np.int32]


def build_tree(corners: NDArray[np.float64]) -> Tree:
    """Build the tree of a triangle soup, ``corners`` of shape (m, 3, 3), m >= 1; no path in it is longer than
    ``MAX_DEPTH``, so that walks with ``STACK_ROOM`` or ``PAIR_STACK_ROOM`` entries never overflow."""
    corners = np.ascontiguousarray(corners, dtype=np.float64)
    lo, hi, child, start, count, order = build_tree_kernel(corners)
    return Tree(lo, hi, child, start, count, corners[order], order)


@inner_kernel
def half_area(dx: float, dy: float, dz: float) -> float:
    """Half the surface, in square metres, of a box with these sides."""
    return dx * dy + dy * dz + dz * dx


@inner_kernel
def bin_of(centre: float, low: float, scale: float) -> int:
    """The bin of a centroid; ``scale``: bins per metre of the node's span along the axis."""
    return max(0, min(BINS - 1, int((centre - low) * scale)))


@inner_kernel
def levels_to_halve(count: int) -> int:
    """How many levels of exact halving bring ``count`` triangles down to leaves."""
    levels = 0
    while count > LEAF_SIZE:
        count = (count + 1) // 2
        levels += 1
    return levels


@inner_kernel
def best_split(node_range, order, tri_lo, tri_hi, centre, clo, chi, bins):
    """The cheapest split of a node by surface area: (axis, bin, bins per metre); axis -1 when no axis can be split.

    ``node_range``: (2,) the run of ``order``. ``clo``, ``chi``: (3,) box of its centroids. ``bins``: working room.
    """
    a, n = node_range[0], node_range[1]
    bin_lo, bin_hi, bin_n, left_cost = bins
    best_cost = np.inf
    best_axis, best_bin, best_scale = -1, 0, 0.0
    for axis in range(3):
        span = chi[axis] - clo[axis]
        if not span > 0.0:
            continue
        scale = BINS * (1.0 - 1e-12) / span
        # A span that is all but nothing overflows: such centroids cannot be told apart along this axis.
        if not np.isfinite(scale):
            continue
        for b in range(BINS):
            bin_n[b] = 0
            for k in range(3):
                bin_lo[b, k] = np.inf
                bin_hi[b, k] = -np.inf
        for i in range(a, a + n):
            t = order[i]
            b = bin_of(centre[t, axis], clo[axis], scale)
            bin_n[b] += 1
            for k in range(3):
                bin_lo[b, k] = min(bin_lo[b, k], tri_lo[t, k])
                bin_hi[b, k] = max(bin_hi[b, k], tri_hi[t, k])
        x0, y0, z0, x1, y1, z1 = np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf
        total = 0
        for b in range(BINS - 1):
            total += bin_n[b]
            x0 = min(x0, bin_lo[b, 0])
            y0 = min(y0, bin_lo[b, 1])
            z0 = min(z0, bin_lo[b, 2])
            x1 = max(x1, bin_hi[b, 0])
            y1 = max(y1, bin_hi[b, 1])
            z1 = max(z1, bin_hi[b, 2])
            left_cost[b] = np.inf
            if total > 0:
                left_cost[b] = total * half_area(x1 - x0, y1 - y0, z1 - z0)
        x0, y0, z0, x1, y1, z1 = np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf
        total = 0
        for b in range(BINS - 1, 0, -1):
            total += bin_n[b]
            x0 = min(x0, bin_lo[b, 0])
            y0 = min(y0, bin_lo[b, 1])
            z0 = min(z0, bin_lo[b, 2])
            x1 = max(x1, bin_hi[b, 0])
            y1 = max(y1, bin_hi[b, 1])
            z1 = max(z1, bin_hi[b, 2])
            if total == 0 or total == n:
                continue
            cost = left_cost[b - 1] + total * half_area(x1 - x0, y1 - y0, z1 - z0)
            if cost < best_cost:
                best_cost = cost
                best_axis, best_bin, best_scale = axis, b, scale
    return best_axis, best_bin, best_scale


@inner_kernel
def halve(order, first, last, key):
    """Reorder ``order[first:last + 1]`` so that its middle entry stands where sorting by ``key`` would put it, smaller
    keys before it. Quickselect (Hoare, "Algorithm 65: find", 1961); pivots from the middle of the run."""
    middle = (first + last + 1) // 2
    while first < last:
        pivot = key[order[(first + last) // 2]]
        i, j = first, last
        while i <= j:
            while key[order[i]] < pivot:
                i += 1
            while key[order[j]] > pivot:
                j -= 1
            if i <= j:
                order[i], order[j] = order[j], order[i]
                i += 1
                j -= 1
        if middle <= j:
            last = j
        elif middle >= i:
            first = i
        else:
            break
    return middle


@kernel
def build_tree_kernel(corners):
    """The tree over triangles ``corners`` (m, 3, 3): boxes, children, and the triangles in the order of the leaves."""
    m = corners.shape[0]
    tri_lo = np.empty((m, 3))
    tri_hi = np.empty((m, 3))
    centre = np.empty((m, 3))
    for i in range(m):
        for k in range(3):
            x, y, z = corners[i, 0, k], corners[i, 1, k], corners[i, 2, k]
            tri_lo[i, k], tri_hi[i, k] = min(x, y, z), max(x, y, z)
            centre[i, k] = (x + y + z) / 3.0
    room = 2 * m
    lo = np.empty((room, 3))
    hi = np.empty((room, 3))
    child = np.full(room, -1, np.int32)
    start = np.zeros(room, np.int32)
    count = np.zeros(room, np.int32)
    order = np.arange(m).astype(np.int32)
    level = np.zeros(room, np.int32)
    bins = (np.empty((BINS, 3)), np.empty((BINS, 3)), np.empty(BINS, np.int64), np.empty(BINS))
    node_range = np.empty(2, np.int64)
    along = np.empty(m)
    clo = np.empty(3)
    chi = np.empty(3)
    stack = np.empty(STACK_ROOM, np.int32)
    start[0] = 0
    count[0] = m
    stack[0] = 0
    depth = 1
    nodes = 1
    while depth > 0:
        depth -= 1
        node = stack[depth]
        a = start[node]
        n = count[node]
        for k in range(3):
            lo[node, k] = clo[k] = np.inf
            hi[node, k] = chi[k] = -np.inf
        for i in range(a, a + n):
            t = order[i]
            for k in range(3):
                lo[node, k] = min(lo[node, k], tri_lo[t, k])
                hi[node, k] = max(hi[node, k], tri_hi[t, k])
                clo[k] = min(clo[k], centre[t, k])
                chi[k] = max(chi[k], centre[t, k])
        if n <= LEAF_SIZE:
            continue
        split = a
        if level[node] + levels_to_halve(n) < MAX_DEPTH:
            node_range[0], node_range[1] = a, n
            axis, first_bin, scale = best_split(node_range, order, tri_lo, tri_hi, centre, clo, chi, bins)
            if axis >= 0:
                j = a + n - 1
                while split <= j:
                    t = order[split]
                    if bin_of(centre[t, axis], clo[axis], scale) < first_bin:
                        split += 1
                    else:
                        order[split] = order[j]
                        order[j] = t
                        j -= 1
        if split == a or split == a + n:
            widest = 0
            for k in range(3):
                if chi[k] - clo[k] > chi[widest] - clo[widest]:
                    widest = k
            for i in range(a, a + n):
                along[order[i]] = centre[order[i], widest]
            split = halve(order, a, a + n - 1, along)
        child[node] = nodes
        for side in range(2):
            c = nodes + side
            start[c] = a if side == 0 else split
            count[c] = split - a if side == 0 else a + n - split
            level[c] = level[node] + 1
            stack[depth] = c
            depth += 1
        nodes += 2
    return (
        lo[:nodes].copy(),
        hi[:nodes].copy(),
        child[:nodes].copy(),
        start[:nodes].copy(),
        count[:nodes].copy(),
        order,
    )
