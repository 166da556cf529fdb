"""Rays through the tree of one mesh, in its own coordinates: what they meet first, and what they cross."""

import numpy as np

from brickseat_core.geometry.tree import STACK_ROOM
from brickseat_core.kernels import inner_kernel, kernel

ASLANT = (0.00123, 1.0, 0.00217)
"""All but upwards: straight up it would meet the very edges of things modelled about an axis."""
ROUNDED_UP = 1.0 + 4.0 * 2.0**-53
"""A positive product times this is no smaller than what it would be without rounding."""


@inner_kernel
def ray_triangle(forest, t, origin, direction):
    """Distance along the ray (-1 for a miss) and normal · direction (Möller and Trumbore, 1997)."""
    ax, ay, az = forest.corners[t, 0, 0], forest.corners[t, 0, 1], forest.corners[t, 0, 2]
    e1x, e1y, e1z = forest.corners[t, 1, 0] - ax, forest.corners[t, 1, 1] - ay, forest.corners[t, 1, 2] - az
    e2x, e2y, e2z = forest.corners[t, 2, 0] - ax, forest.corners[t, 2, 1] - ay, forest.corners[t, 2, 2] - az
    dx, dy, dz = direction[0], direction[1], direction[2]
    px, py, pz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
    det = e1x * px + e1y * py + e1z * pz
    if det == 0.0:
        return -1.0, 0.0
    share = 1.0 / det
    sx, sy, sz = origin[0] - ax, origin[1] - ay, origin[2] - az
    b = (sx * px + sy * py + sz * pz) * share
    if b < 0.0 or b > 1.0:
        return -1.0, 0.0
    qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
    c = (dx * qx + dy * qy + dz * qz) * share
    if c < 0.0 or b + c > 1.0:
        return -1.0, 0.0
    return (e2x * qx + e2y * qy + e2z * qz) * share, -det


@inner_kernel
def misses_box(lo, hi, box, o, inverse, best):
    """Does a ray miss a box of ``lo``, ``hi`` (n, 3), or meet it only beyond ``best``? (Slabs: Kay and Kajiya, 1986.)

    ``o``: (3,) where the ray begins; ``inverse``: (3,) one over its direction. What the rounding of the inverse takes off is
    given to the far end (Ize, "Robust BVH Ray Traversal", 2013).
    """
    t0, t1 = 0.0, best
    for k in range(3):
        if abs(inverse[k]) == np.inf:
            if o[k] < lo[box, k] or o[k] > hi[box, k]:
                return True
        else:
            a = (lo[box, k] - o[k]) * inverse[k]
            b = (hi[box, k] - o[k]) * inverse[k]
            t0 = max(t0, min(a, b))
            t1 = min(t1, max(a, b) * ROUNDED_UP)
    return t1 < t0


@kernel
def first_on_tree(forest, root, o, d, best):
    """Nearest triangle of a tree that a ray (o, d) in its own coordinates meets before ``best``; -1 for none."""
    which = -1
    inverse = (1.0 / d[0], 1.0 / d[1], 1.0 / d[2])
    stack = np.empty(STACK_ROOM, np.int32)
    stack[0] = root
    depth = 1
    while depth > 0:
        depth -= 1
        node = stack[depth]
        if misses_box(forest.lo, forest.hi, node, o, inverse, best):
            continue
        child = forest.child[node]
        if child >= 0:
            # Open the nearer child first: it is pushed last.
            axis = 0
            spread = -1.0
            for k in range(3):
                gap = abs(forest.lo[child, k] + forest.hi[child, k] - forest.lo[child + 1, k] - forest.hi[child + 1, k])
                if gap > spread:
                    spread = gap
                    axis = k
            first = forest.lo[child, axis] + forest.hi[child, axis] <= (
                forest.lo[child + 1, axis] + forest.hi[child + 1, axis]
            )
            if first == (d[axis] > 0.0):
                stack[depth] = child + 1
                stack[depth + 1] = child
            else:
                stack[depth] = child
                stack[depth + 1] = child + 1
            depth += 2
            continue
        for t in range(forest.start[node], forest.start[node] + forest.length[node]):
            distance, _ = ray_triangle(forest, t, o, d)
            if 0.0 <= distance < best:
                best = distance
                which = t
    return best, which


@kernel
def crossings(forest, root, origin, direction, least):
    """Sum of signs of the crossings of a ray (local coordinates) beyond ``least`` lengths of its direction: +1 leaving, -1 entering."""
    inverse = (1.0 / direction[0], 1.0 / direction[1], 1.0 / direction[2])
    stack = np.empty(STACK_ROOM, np.int32)
    stack[0] = root
    depth = 1
    total = 0
    while depth > 0:
        depth -= 1
        node = stack[depth]
        if misses_box(forest.lo, forest.hi, node, origin, inverse, np.inf):
            continue
        if forest.child[node] >= 0:
            stack[depth] = forest.child[node]
            stack[depth + 1] = forest.child[node] + 1
            depth += 2
            continue
        for t in range(forest.start[node], forest.start[node] + forest.length[node]):
            distance, facing = ray_triangle(forest, t, origin, direction)
            if distance > least:
                total += 1 if facing > 0.0 else -1
    return total


@kernel
def points_inside_kernel(tree, points):
    """(n,) whether points lie inside a closed mesh, whichever direction its faces look."""
    found = np.zeros(points.shape[0], np.bool_)
    # Not along an axis: edges of modelled things are.
    direction = np.array([0.0123, 1.0, 0.0217])
    for i in range(points.shape[0]):
        # In its own coordinates a metre may be anything: what lies beyond the point at all counts.
        found[i] = crossings(tree, np.int64(0), points[i], direction, 0.0) != 0
    return found
