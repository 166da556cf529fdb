"""Elbow room: circles in plan that may not meet, given to points in the order in which they are laid."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import kernel
from brickseat_core.proposals.scatter.darts import NONE, bucket_of
from brickseat_core.scene import Vec


def with_elbow_room(at: Vec, radius: Vec, before: Vec, before_radius: Vec, in_plan: bool) -> NDArray[np.bool_]:
    """(n,) which of points ``at`` (n, 3) have their ``radius`` (n,) free of all that were given room earlier, and of
    ``before`` (m, 3) with ``before_radius`` (m,).

    ``in_plan``: the circles lie level; what lies higher or lower by more than the two radii is in nobody's way.
    """
    widest = 2.0 * max(float(radius.max(initial=0.0)), float(before_radius.max(initial=0.0)))
    if widest <= 0.0:
        return np.ones(len(at), np.bool_)
    points = np.ascontiguousarray(np.concatenate([before, at]))
    radii = np.concatenate([before_radius, radius])
    return np.asarray(elbow_kernel(points, radii, len(before), widest, in_plan))


def clear_of_boxes(at: Vec, radius: Vec, lo: Vec, hi: Vec) -> NDArray[np.bool_]:
    """(n,) whether circles of ``radius`` (n,) metres about points (n, 3) keep off boxes from ``lo`` to ``hi`` (m, 3)."""
    clear = np.ones(len(at), np.bool_)
    for low, high in zip(lo, hi, strict=True):
        aside = np.maximum(np.maximum(low - at, at - high), 0.0)
        clear &= (np.hypot(aside[:, 0], aside[:, 2]) >= radius) | (aside[:, 1] >= radius)
    return clear


def clear_of_rooms(at: Vec, radius: Vec, feet: Vec, room: Vec) -> NDArray[np.bool_]:
    """(n,) whether points (n, 3), with room of ``radius`` (n,) metres of their own, lie in none of the ``room`` (m,) about ``feet`` (m, 3)."""
    clear = np.ones(len(at), np.bool_)
    for foot, own in zip(feet, room, strict=True):
        away, both = np.hypot(at[:, 0] - foot[0], at[:, 2] - foot[2]), radius + own
        clear &= (away >= both) | (np.abs(at[:, 1] - foot[1]) >= both) | (own <= 0.0)
    return clear


@kernel
def elbow_kernel(points, radii, given, cell, in_plan):
    """As ``with_elbow_room``: the first ``given`` of ``points`` (n, 3) have their room already."""
    n = points.shape[0]
    buckets = 16
    while buckets < 2 * n:
        buckets *= 2
    mask = buckets - 1
    head = np.full(buckets, NONE)
    following = np.full(n, NONE)
    free = np.ones(n, np.bool_)
    for i in range(n):
        x = np.int64(np.floor(points[i, 0] / cell))
        y = np.int64(np.floor(points[i, 1] / cell))
        z = np.int64(np.floor(points[i, 2] / cell))
        if i >= given:
            for at in range(27):
                j = head[bucket_of(x + at // 9 - 1, y + at // 3 % 3 - 1, z + at % 3 - 1, mask)]
                while j >= 0:
                    dx, dy, dz = points[i, 0] - points[j, 0], points[i, 1] - points[j, 1], points[i, 2] - points[j, 2]
                    room = radii[i] + radii[j]
                    if in_plan:
                        near = dx * dx + dz * dz < room * room and abs(dy) < room
                    else:
                        near = dx * dx + dy * dy + dz * dz < room * room
                    if near:
                        free[i] = False
                        break
                    j = following[j]
                if not free[i]:
                    break
        if free[i]:
            b = bucket_of(x, y, z, mask)
            following[i] = head[b]
            head[b] = i
    return free[given:].copy()
