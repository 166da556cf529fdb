"""How far points are from a mesh, and which of its triangles is nearest."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.tree import STACK_ROOM, Tree
from brickseat_core.kernels import inner_kernel, kernel

Vec = NDArray[np.float64]


def distances(tree: Tree, points: Vec) -> Vec:
    """(n,) metres from each of ``points`` (n, 3) to the nearest point of the mesh."""
    return np.asarray(nearest_kernel(tree, np.ascontiguousarray(points, dtype=np.float64))[0])


def nearest_triangles(tree: Tree, points: Vec) -> NDArray[np.int64]:
    """(n,) the triangle, by its original number, that is nearest to each of ``points`` (n, 3)."""
    return np.asarray(tree.order[nearest_kernel(tree, np.ascontiguousarray(points, dtype=np.float64))[1]])


@inner_kernel
def nearest_on_triangle(p, t, out):
    """Write the point of triangle ``t`` nearest to ``p`` into ``out`` (Ericson, Real-Time Collision Detection, 5.1.5)."""
    ab0, ab1, ab2 = t[1, 0] - t[0, 0], t[1, 1] - t[0, 1], t[1, 2] - t[0, 2]
    ac0, ac1, ac2 = t[2, 0] - t[0, 0], t[2, 1] - t[0, 1], t[2, 2] - t[0, 2]
    ap0, ap1, ap2 = p[0] - t[0, 0], p[1] - t[0, 1], p[2] - t[0, 2]
    d1 = ab0 * ap0 + ab1 * ap1 + ab2 * ap2
    d2 = ac0 * ap0 + ac1 * ap1 + ac2 * ap2
    v = w = 0.0
    if not (d1 <= 0.0 and d2 <= 0.0):
        bp0, bp1, bp2 = p[0] - t[1, 0], p[1] - t[1, 1], p[2] - t[1, 2]
        d3 = ab0 * bp0 + ab1 * bp1 + ab2 * bp2
        d4 = ac0 * bp0 + ac1 * bp1 + ac2 * bp2
        cp0, cp1, cp2 = p[0] - t[2, 0], p[1] - t[2, 1], p[2] - t[2, 2]
        d5 = ab0 * cp0 + ab1 * cp1 + ab2 * cp2
        d6 = ac0 * cp0 + ac1 * cp1 + ac2 * cp2
        va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
        if d3 >= 0.0 and d4 <= d3:
            v = 1.0
        elif d6 >= 0.0 and d5 <= d6:
            w = 1.0
        elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
            v = d1 / (d1 - d3)
        elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
            w = d2 / (d2 - d6)
        elif va <= 0.0 and d4 >= d3 and d5 >= d6:
            w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
            v = 1.0 - w
        else:
            total = va + vb + vc
            if total > 0.0:
                v, w = vb / total, vc / total
    out[0] = t[0, 0] + v * ab0 + w * ac0
    out[1] = t[0, 1] + v * ab1 + w * ac1
    out[2] = t[0, 2] + v * ab2 + w * ac2


@inner_kernel
def box_distance(tree, node, p):
    """Squared distance of a point to the box of a node."""
    total = 0.0
    for k in range(3):
        d = max(tree.lo[node, k] - p[k], p[k] - tree.hi[node, k], 0.0)
        total += d * d
    return total


@kernel
def nearest_kernel(tree, points):
    """(n,) metres from points (n, 3) to the nearest triangle of a tree, and (n,) which that is, in leaf order."""
    found = np.empty(points.shape[0])
    which = np.zeros(points.shape[0], np.int64)
    stack = np.empty(STACK_ROOM, np.int64)
    out = np.empty(3)
    for i in range(points.shape[0]):
        p = points[i]
        best = np.inf
        stack[0] = 0
        depth = 1
        while depth > 0:
            depth -= 1
            node = stack[depth]
            if box_distance(tree, node, p) >= best:
                continue
            child = np.int64(tree.child[node])
            if child >= 0:
                # The nearer child is looked at first: it is put on top.
                nearer = box_distance(tree, child, p) <= box_distance(tree, child + 1, p)
                stack[depth] = child + 1 if nearer else child
                stack[depth + 1] = child if nearer else child + 1
                depth += 2
                continue
            for t in range(tree.start[node], tree.start[node] + tree.length[node]):
                nearest_on_triangle(p, tree.corners[t], out)
                d = (p[0] - out[0]) ** 2 + (p[1] - out[1]) ** 2 + (p[2] - out[2]) ** 2
                if d < best:
                    best = d
                    which[i] = t
        found[i] = np.sqrt(best)
    return found, which
