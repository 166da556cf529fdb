"""Is a point inside a solid, or under the ground? Signed crossings of a ray straight up."""

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import first_on_tree, misses_box, ray_triangle
from brickseat_core.kernels import kernel
from brickseat_core.meshes.tree import STACK_ROOM
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON

MOST_PARTS = 32
"""Closed parts of one solid that are passed through on the direction out."""


def holds_point(index: SceneIndex, row: int, points: Vec) -> bool:
    """Whether the piece in ``row`` has a shell in its inside; ``points``: (2k, 3) world probes, two a shell."""
    return bool(holds_point_kernel(index.forest, index.placed, row, np.ascontiguousarray(points)))


@kernel
def crossings(forest, root, origin, direction):  # type: ignore[no-untyped-def]
    """Sum of signs of the crossings of a ray (local coordinates): +1 leaving, -1 entering."""
    stack = np.empty(STACK_ROOM, np.int32)
    stack[0] = root
    depth = 1
    total = 0
    while depth > 0:
        depth -= 1
        node = stack[depth]
        if misses_box(forest.lo[node], forest.hi[node], origin, direction, np.inf):
            continue
        if forest.child[node] >= 0:
            stack[depth] = forest.child[node]
            stack[depth + 1] = forest.child[node] + 1
            depth += 2
            continue
        for t in range(forest.start[node], forest.start[node] + forest.length[node]):
            distance, facing = ray_triangle(forest, t, origin, direction)
            if distance > CONTACT_EPSILON:
                total += 1 if facing > 0.0 else -1
    return total


@kernel
def exit_distance(forest, root, sense, origin, direction):  # type: ignore[no-untyped-def]
    """How far a point inside a solid goes along a ray (local coordinates) before it is outside.

    Solids are often built of closed parts that touch or overlap: where one ends, the next may go on.
    """
    point = origin.copy()
    travel = 0.0
    for _ in range(MOST_PARTS):
        out, met = first_on_tree(forest, root, point, direction, np.inf)
        if met < 0:
            break
        travel += out
        step = out + 2.0 * CONTACT_EPSILON
        for k in range(3):
            point[k] += step * direction[k]
        if sense * crossings(forest, root, point, direction) <= 0.0:
            break
        travel += 2.0 * CONTACT_EPSILON
    return travel


@kernel
def holds(forest, placed, row, x, y, z):  # type: ignore[no-untyped-def]
    """Is a world point inside the piece in ``row``, or under it when it is ground?"""
    if x < placed.lo[row, 0] or x > placed.hi[row, 0] or z < placed.lo[row, 2] or z > placed.hi[row, 2]:
        return False
    if y > placed.hi[row, 1]:
        return False
    dx, dy, dz = x - placed.origin[row, 0], y - placed.origin[row, 1], z - placed.origin[row, 2]
    local = np.empty(3)
    up = np.empty(3)
    for c in range(3):
        local[c] = placed.inverse[row, c, 0] * dx + placed.inverse[row, c, 1] * dy + placed.inverse[row, c, 2] * dz
        # A little aslant: straight up it would meet the very edges of things modelled about an axis.
        up[c] = 0.00123 * placed.inverse[row, c, 0] + placed.inverse[row, c, 1] + 0.00217 * placed.inverse[row, c, 2]
    return placed.sense[row] * crossings(forest, placed.root[row], local, up) > 0.0


@kernel
def holds_point_kernel(forest, placed, row, points):  # type: ignore[no-untyped-def]
    """Does the piece of ``row`` hold a pair of ``points`` (n, 3), which come two by two?"""
    if placed.sense[row] == 0.0:
        return False
    for i in range(0, points.shape[0], 2):
        if holds(forest, placed, row, points[i, 0], points[i, 1], points[i, 2]) and holds(
            forest, placed, row, points[i + 1, 0], points[i + 1, 1], points[i + 1, 2]
        ):
            return True
    return False


@kernel
def containers_kernel(forest, placed, rows, initially_intersecting, own, lo, hi, probes):  # type: ignore[no-untyped-def]
    """Which of ``rows`` hold a moving of box (lo, hi) wholly inside, and which may stand wholly inside it.

    ``initially_intersecting``: rows left out, since the moving cuts their surface. ``own``: the moving's own row, or -1.
    """
    n = rows.shape[0]
    containers = np.zeros(n, np.bool_)
    contained = np.zeros(n, np.bool_)
    for i in range(n):
        r = rows[i]
        if initially_intersecting[i]:
            continue
        if placed.sense[r] != 0.0:
            # The box of what is turned is wider than itself: it need only reach into that of the other.
            within = lo[1] < placed.hi[r, 1]
            if placed.closed[r]:
                for k in range(3):
                    within = within and lo[k] <= placed.hi[r, k] and hi[k] >= placed.lo[r, k]
            if within and holds_point_kernel(forest, placed, r, probes):
                containers[i] = True
                continue
        if own >= 0 and placed.sense[own] != 0.0:
            within = True
            for k in range(3):
                within = within and placed.lo[r, k] >= lo[k] and placed.hi[r, k] <= hi[k]
            contained[i] = within
    return containers, contained


@kernel
def points_inside_kernel(tree, points):  # type: ignore[no-untyped-def]
    """(n,) whether points lie inside a closed mesh, whichever direction its faces look."""
    found = np.zeros(points.shape[0], np.bool_)
    # Not along an axis: edges of modelled things are.
    direction = np.array([0.0123, 1.0, 0.0217])
    for i in range(points.shape[0]):
        found[i] = crossings(tree, np.int64(0), points[i], direction) != 0
    return found
