"""Where a mover touches: the parts of its surface whose gap lies within a band."""

import numpy as np

from brickseat_core.contact.kernels.interval import POLYGON_ROOM, overlap_polygon
from brickseat_core.contact.kernels.pairs import back_to_back, mover_triangle, triangle_in_frame
from brickseat_core.kernels import kernel
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


@kernel
def contact_region_kernel(query, pairs, low, high):
    """Corners of the parts of the surfaces whose gap along the direction lies in [low, high] metres.

    ``pairs``: (n, 3) of triangles, as ``blocking_pairs`` finds them. Returns (n, 3) points in the mover's frame, and (n,)
    the places in the query's rows of what is touched there.
    """
    mover, facing = query.mover, query.facing
    points = np.empty((64, 3))
    who = np.empty(64, np.int64)
    found = 0
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    out = np.empty((POLYGON_ROOM, 4))
    work = np.empty((POLYGON_ROOM, 3))
    for pair in range(pairs.shape[0]):
        i = pairs[pair, 2]
        triangle_in_frame(query.forest, pairs[pair, 1], query.matrix, query.offset, i, s)
        mover_triangle(mover, pairs[pair, 0], t)
        if back_to_back(t, s, mover.facing, facing[i]):
            continue
        corners = overlap_polygon(t, s, FLUSH_WIDTH, out, work)
        if found + 3 * corners > points.shape[0]:
            room = 2 * points.shape[0] + 3 * corners
            more = np.empty((room, 3))
            more_who = np.empty(room, np.int64)
            for c in range(found):
                more_who[c] = who[c]
                for k in range(3):
                    more[c, k] = points[c, k]
            points = more
            who = more_who
        for c in range(corners):
            d = (c + 1) % corners
            g = out[c, 3]
            h = out[d, 3]
            if low <= g <= high:
                for k in range(3):
                    points[found, k] = out[c, k]
                who[found] = i
                found += 1
            for end in range(2):
                level = low if end == 0 else high
                if (g < level < h) or (h < level < g):
                    f = (level - g) / (h - g)
                    for k in range(3):
                        points[found, k] = out[c, k] + f * (out[d, k] - out[c, k])
                    who[found] = i
                    found += 1
    return points[:found].copy(), who[:found].copy()


@kernel
def spread_kernel(points, most):
    """At most so many of the ``points`` (n, 3): the farthest from their middle, then from those chosen."""
    n = points.shape[0]
    if n <= 1:
        return points
    chosen = np.empty((most, 3))
    distance = np.full(n, np.inf)
    last = np.zeros(3)
    for i in range(n):
        last += points[i]
    last /= n
    found = 0
    while found < most:
        far = -1.0
        which = 0
        for i in range(n):
            dx, dy, dz = points[i, 0] - last[0], points[i, 1] - last[1], points[i, 2] - last[2]
            away = dx * dx + dy * dy + dz * dz
            # The middle is only where the search begins; it is not one of the points.
            distance[i] = away if found <= 1 else min(distance[i], away)
            if distance[i] > far:
                far = distance[i]
                which = i
        if found > 0 and far <= CONTACT_EPSILON * CONTACT_EPSILON:
            break
        chosen[found] = points[which]
        last = chosen[found]
        found += 1
    return chosen[:found].copy()
