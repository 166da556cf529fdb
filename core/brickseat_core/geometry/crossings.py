"""Where lines pass through a mesh: every crossing, sorted, with the side from which it is crossed."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.tree import STACK_ROOM, Tree
from brickseat_core.kernels import kernel

Vec = NDArray[np.float64]
MOST_CROSSINGS = 4096
"""Crossings of one line that are returned at most."""
SAME_CROSSING = 1e-9
"""Share of the mesh's size within which two crossings of one sense are one: a line through an edge meets two triangles."""


def intervals_inside(tree: Tree, origin: Vec, direction: Vec) -> Vec:
    """(k, 2) stretches of a line, as multiples of ``direction`` (3,) from ``origin`` (3,), that lie inside a closed mesh.

    Both ways along the line; the mesh faces outward.
    """
    found, entering = crossings_kernel(tree, np.asarray(origin, np.float64), np.asarray(direction, np.float64))
    order = np.argsort(found, kind="stable")
    same = SAME_CROSSING * float(np.abs(tree.hi[0] - tree.lo[0]).max()) / float(np.linalg.norm(direction))
    stretches: list[tuple[float, float]] = []
    depth, began, last = 0, 0.0, (-np.inf, 0)
    for i in order:
        t, sense = float(found[i]), 1 if entering[i] else -1
        if t - last[0] <= same and sense == last[1]:
            continue
        last = (t, sense)
        if depth == 0 and sense > 0:
            began = t
        depth = max(0, depth + sense)
        if depth == 0 and sense < 0:
            stretches.append((began, t))
    return np.array(stretches).reshape(-1, 2)


@kernel
def crossings_kernel(tree, origin, direction):
    """Multiples of ``direction`` at which a line meets triangles (at most ``MOST_CROSSINGS``), and whether it enters there."""
    found = np.empty(MOST_CROSSINGS)
    entering = np.empty(MOST_CROSSINGS, np.bool_)
    n = 0
    stack = np.empty(STACK_ROOM, np.int64)
    stack[0] = 0
    depth = 1
    while depth > 0:
        depth -= 1
        node = stack[depth]
        t0, t1 = -np.inf, np.inf
        for k in range(3):
            if direction[k] == 0.0:
                if origin[k] < tree.lo[node, k] or origin[k] > tree.hi[node, k]:
                    t1 = -np.inf
            else:
                a = (tree.lo[node, k] - origin[k]) / direction[k]
                b = (tree.hi[node, k] - origin[k]) / direction[k]
                t0, t1 = max(t0, min(a, b)), min(t1, max(a, b))
        if t1 < t0:
            continue
        child = np.int64(tree.child[node])
        if child >= 0:
            stack[depth] = child
            stack[depth + 1] = child + 1
            depth += 2
            continue
        for i in range(tree.start[node], tree.start[node] + tree.length[node]):
            t = tree.corners[i]
            e1 = t[1] - t[0]
            e2 = t[2] - t[0]
            p0 = direction[1] * e2[2] - direction[2] * e2[1]
            p1 = direction[2] * e2[0] - direction[0] * e2[2]
            p2 = direction[0] * e2[1] - direction[1] * e2[0]
            det = e1[0] * p0 + e1[1] * p1 + e1[2] * p2
            if det == 0.0:
                continue
            s = origin - t[0]
            b = (s[0] * p0 + s[1] * p1 + s[2] * p2) / det
            if b < 0.0 or b > 1.0:
                continue
            q0 = s[1] * e1[2] - s[2] * e1[1]
            q1 = s[2] * e1[0] - s[0] * e1[2]
            q2 = s[0] * e1[1] - s[1] * e1[0]
            c = (direction[0] * q0 + direction[1] * q1 + direction[2] * q2) / det
            if c < 0.0 or b + c > 1.0 or n == MOST_CROSSINGS:
                continue
            found[n] = (e2[0] * q0 + e2[1] * q1 + e2[2] * q2) / det
            # The determinant is minus the direction's share of the outward normal: positive where it runs inward.
            entering[n] = det > 0.0
            n += 1
    return found[:n], entering[:n]
