"""Is a point inside a solid, or under the ground? Signed crossings of a ray straight up."""

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.rays import ASLANT, crossings
from brickseat_core.kernels import kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON


def holds_point(index: SceneIndex, row: int, points: Vec) -> bool:
    """Whether the piece in ``row`` has a shell in its inside; ``points``: (2k, 3) world probes, two a shell."""
    return bool(holds_point_kernel(index.forest, index.placed, row, np.ascontiguousarray(points)))


@kernel
def holds(forest, placed, row, x, y, z):
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
        up[c] = 0.0
        for k in range(3):
            up[c] += placed.inverse[row, c, k] * ASLANT[k]
    return placed.sense[row] * crossings(forest, placed.root[row], local, up, CONTACT_EPSILON) > 0.0


@kernel
def holds_point_kernel(forest, placed, row, points):
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
def containers_kernel(forest, placed, rows, initially_intersecting, own, lo, hi, probes):
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
