"""What leans is held by grip: the least friction with which the contacts of a piece can bear its weight.

A centre of mass over the support polygon proves balance only where all contacts look up. Elsewhere forces within
the friction cones have to add up to the weight, with no turning moment left (a non-negative least squares problem
in six equations; cones of sixteen sides).
"""

import numpy as np

from brickseat_core.contact.column_query import column_query_kernel
from brickseat_core.contact.features import near_features_kernel
from brickseat_core.contact.kernels.contact_region import spread_kernel
from brickseat_core.contact.kernels.flags import length_of
from brickseat_core.contact.kernels.least_squares import least_residue
from brickseat_core.kernels import inner_kernel, kernel, nested_kernel
from brickseat_core.scene import Vec

BACK_OFF = 3e-5
"""Metres a piece is moved off what it leans on before normals are read: in contact they have no direction."""
MOST_GRIP = 0.8
"""Friction that is assumed to be there when needed: wood on stone, clay on clay."""
BEYOND_FOOT = 1e-3
HOLDING_NORMAL = 0.5
CONE_SIDES = 16
GRIP_STEPS = 12
RESIDUE = 1e-6
MOST_POINTS = 24


def least_grip(points: Vec, normals: Vec, centre: Vec) -> float | None:
    """Least friction, up to ``MOST_GRIP``, with which contacts (n, 3) hold a weight at ``centre``; None if none does.

    ``normals``: (n, 3) unit, away from what stands.
    """
    grip = least_grip_kernel(points, normals, centre)
    return None if grip < 0.0 else float(grip)


@nested_kernel
def leaning_kernel(forest, placed, count, mover, origin, direction, skip, centre, foot, fall, near, far):
    """Is a piece whose weight lies outside its foot held by what it leans on?

    ``foot``: (n, 3) where it stands. ``fall``: (2,) unit, the direction along x and z that its weight pulls it in. ``near``, ``far``:
    metres within which contacts count; the second is asked when the first do not hold it, since in a heap a piece
    is often held by what it all but touches.

    Returns world points (n, 3), the rows touched there, and the least friction that holds it, -1 when none does.
    """
    shift = np.empty(3)
    shift[0], shift[1], shift[2] = -fall[0] - direction[0], -direction[1], -fall[1] - direction[2]
    shift *= BACK_OFF
    off = origin + shift
    margin = far + 2.0 * BACK_OFF
    query = column_query_kernel(forest, placed, count, mover, off, skip, margin)
    found, away, gaps, whose = near_features_kernel(query, margin)
    n = gaps.shape[0]
    end = -np.inf
    for i in range(foot.shape[0]):
        end = max(end, foot[i, 0] * fall[0] + foot[i, 2] * fall[1])
    points = np.empty((n, 3))
    normals = np.empty((n, 3))
    who = np.empty(n, np.int64)
    for within in (near, far):
        touching = 0
        # Held only by something beyond the foot, or by something that does not look up.
        hopeful = False
        for i in range(n):
            p, w = points[touching], normals[touching]
            for k in range(3):
                p[k] = off[k] - shift[k]
                w[k] = 0.0
                for c in range(3):
                    p[k] += found[i, c] * mover.frame[c, k]
                    w[k] += away[i, c] * mover.frame[c, k]
            if gaps[i] - (w[0] * shift[0] + w[1] * shift[1] + w[2] * shift[2]) > within:
                continue
            hopeful = hopeful or w[1] < HOLDING_NORMAL or p[0] * fall[0] + p[2] * fall[1] > end + BEYOND_FOOT
            who[touching] = query.rows[whose[i]]
            touching += 1
        if not hopeful:
            continue
        grip = least_grip_kernel(points[:touching], normals[:touching], centre)
        if grip >= 0.0:
            return points[:touching].copy(), who[:touching].copy(), grip
    return points[:0].copy(), who[:0].copy(), -1.0


@kernel
def few_of(points, normals):
    """Numbers of at most ``MOST_POINTS`` contacts that bear as well as all: spread over place and direction."""
    n = points.shape[0]
    if n <= MOST_POINTS:
        return np.arange(n)
    size = 1e-9
    for k in range(3):
        low, high = points[0, k], points[0, k]
        for i in range(n):
            low, high = min(low, points[i, k]), max(high, points[i, k])
        size = max(size, high - low)
    mixed = points / size + 0.5 * normals
    chosen = spread_kernel(mixed, MOST_POINTS)
    kept = np.empty(chosen.shape[0], np.int64)
    for j in range(chosen.shape[0]):
        least = np.inf
        for i in range(n):
            away = abs(mixed[i, 0] - chosen[j, 0]) + abs(mixed[i, 1] - chosen[j, 1]) + abs(mixed[i, 2] - chosen[j, 2])
            if away < least:
                least, kept[j] = away, i
    return kept


@inner_kernel
def cross(a, b, out):
    """Write the cross product of two vectors (3,) into ``out``."""
    out[0], out[1], out[2] = a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@kernel
def least_grip_kernel(points, normals, centre):
    """As ``least_grip``; -1 when no friction holds it."""
    kept = few_of(points, normals)
    n = kept.shape[0]
    arms = np.empty((n, 3))
    sides = np.empty((n, CONE_SIDES, 3))
    size = 1e-9
    axis = np.empty(3)
    across = np.empty(3)
    other = np.empty(3)
    for i in range(n):
        normal = normals[kept[i]]
        length = 0.0
        least = 0
        for k in range(3):
            arms[i, k] = points[kept[i], k] - centre[k]
            length += arms[i, k] * arms[i, k]
            axis[k] = 0.0
            if abs(normal[k]) < abs(normal[least]):
                least = k
        size = max(size, np.sqrt(length))
        axis[least] = 1.0
        cross(normal, axis, across)
        across /= length_of(across)
        cross(normal, across, other)
        for j in range(CONE_SIDES):
            turn = 2.0 * np.pi * j / CONE_SIDES
            for k in range(3):
                sides[i, j, k] = np.cos(turn) * across[k] + np.sin(turn) * other[k]
    wanted = np.zeros(6)
    wanted[1] = 1.0
    columns = np.empty((n * CONE_SIDES, 6))
    low, high = 0.0, MOST_GRIP
    friction = MOST_GRIP
    for step in range(GRIP_STEPS + 1):
        for i in range(n):
            arm = arms[i] / size
            normal = normals[kept[i]]
            for j in range(CONE_SIDES):
                column = columns[i * CONE_SIDES + j]
                for k in range(3):
                    column[k] = normal[k] + friction * sides[i, j, k]
                cross(arm, column[:3], column[3:])
        holds = least_residue(columns, wanted, RESIDUE) < RESIDUE
        if step == 0 and not holds:
            return -1.0
        if holds:
            high = friction
        else:
            low = friction
        friction = 0.5 * (low + high)
    return high
