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
    """Build the tree of a triangle soup, ``corners`` of shape (m, 3, 3), m >= 1."""
    corners = np.ascontiguousarray(corners, dtype=np.float64)
    lo, hi, child, start, count, order = build_tree_kernel(corners)
    return Tree(lo, hi, child, start, count, corners[order], order)


@inner_kernel
def half_area(dx: float, dy: float, dz: float) -> float:
    return dx * dy + dy * dz + dz * dx


@kernel
def build_tree_kernel(corners):  # type: ignore[no-untyped-def]
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
    bin_lo = np.empty((BINS, 3))
    bin_hi = np.empty((BINS, 3))
    bin_n = np.empty(BINS, np.int64)
    left_cost = np.empty(BINS)
    stack = np.empty(room, np.int32)
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
        clo = np.full(3, np.inf)
        chi = np.full(3, -np.inf)
        for k in range(3):
            lo[node, k] = np.inf
            hi[node, k] = -np.inf
        for i in range(a, a + n):
            t = order[i]
            for k in range(3):
                lo[node, k] = min(lo[node, k], tri_lo[t, k])
                hi[node, k] = max(hi[node, k], tri_hi[t, k])
                clo[k] = min(clo[k], centre[t, k])
                chi[k] = max(chi[k], centre[t, k])
        if n <= LEAF_SIZE:
            continue
        best_cost = np.inf
        best_axis = -1
        best_bin = 0
        for axis in range(3):
            span = chi[axis] - clo[axis]
            if not span > 0.0:
                continue
            scale = BINS * (1.0 - 1e-12) / span
            for b in range(BINS):
                bin_n[b] = 0
                for k in range(3):
                    bin_lo[b, k] = np.inf
                    bin_hi[b, k] = -np.inf
            for i in range(a, a + n):
                t = order[i]
                b = min(BINS - 1, int((centre[t, axis] - clo[axis]) * scale))
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
                    best_axis = axis
                    best_bin = b
        split = a
        if best_axis >= 0:
            scale = BINS * (1.0 - 1e-12) / (chi[best_axis] - clo[best_axis])
            j = a + n - 1
            while split <= j:
                t = order[split]
                b = min(BINS - 1, int((centre[t, best_axis] - clo[best_axis]) * scale))
                if b < best_bin:
                    split += 1
                else:
                    order[split] = order[j]
                    order[j] = t
                    j -= 1
        if split == a or split == a + n:
            split = a + n // 2
        child[node] = nodes
        for side in range(2):
            c = nodes + side
            start[c] = a if side == 0 else split
            count[c] = split - a if side == 0 else a + n - split
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
