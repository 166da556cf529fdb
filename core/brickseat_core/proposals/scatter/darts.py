"""Darts thrown at a surface: a candidate stays where no point lies within a radius of it, in the order in which they come.

A hash grid over space finds the points near a candidate.
"""

import numpy as np

from brickseat_core.geometry.cells import NONE, bucket_of
from brickseat_core.kernels import inner_kernel, kernel

OPPOSED = -0.5
"""Cosine between the normals of two points below which they lie on two sides of something thin, and do not crowd each other."""


@inner_kernel
def crowded(p, q, normal, other, i, j, square):
    """Does ``q[j]`` lie within the radius, given ``square``, of ``p[i]``, on the same side of what they lie on?"""
    dx, dy, dz = p[i, 0] - q[j, 0], p[i, 1] - q[j, 1], p[i, 2] - q[j, 2]
    if dx * dx + dy * dy + dz * dz >= square:
        return False
    return normal[i, 0] * other[j, 0] + normal[i, 1] * other[j, 1] + normal[i, 2] * other[j, 2] > OPPOSED


@kernel
def darts_kernel(points, normals, candidates, candidate_normals, order, radius):
    """Which candidates stay, in their ``order``: none has a point or an earlier one within ``radius`` metres.

    ``points``, ``normals``: (n, 3) what lies already. ``candidates``, ``candidate_normals``: (m, 3). ``order``: (m,) all
    of their numbers. Returns (k,) numbers of those that stay.
    """
    n, m = points.shape[0], candidates.shape[0]
    buckets = 16
    # Most candidates do not stay. A small table is read sooner than a large one.
    while buckets < n + m // 2:
        buckets *= 2
    mask = buckets - 1
    head = np.full(buckets, NONE, np.int32)
    # Points come first, then the candidates that stay: one chain for both.
    following = np.full(n + m, NONE, np.int32)
    square = radius * radius
    for i in range(n):
        x, y, z = (
            np.int64(np.floor(points[i, 0] / radius)),
            np.int64(np.floor(points[i, 1] / radius)),
            np.int64(np.floor(points[i, 2] / radius)),
        )
        b = bucket_of(x, y, z, mask)
        following[i] = head[b]
        head[b] = i
    stay = np.empty(m, np.int64)
    found = 0
    for k in range(m):
        c = order[k]
        x, y, z = (
            np.int64(np.floor(candidates[c, 0] / radius)),
            np.int64(np.floor(candidates[c, 1] / radius)),
            np.int64(np.floor(candidates[c, 2] / radius)),
        )
        free = True
        # Its own cell first: there most of those that do not stay meet a neighbour.
        for cell in range(28):
            if cell == 0:
                b = bucket_of(x, y, z, mask)
            elif cell == 14:
                continue
            else:
                at = cell - 1
                b = bucket_of(x + at // 9 - 1, y + at // 3 % 3 - 1, z + at % 3 - 1, mask)
            j = head[b]
            while j >= 0:
                if j < n:
                    near = crowded(candidates, points, candidate_normals, normals, c, j, square)
                else:
                    near = crowded(candidates, candidates, candidate_normals, candidate_normals, c, j - n, square)
                if near:
                    free = False
                    break
                j = following[j]
            if not free:
                break
        if free:
            b = bucket_of(x, y, z, mask)
            following[n + c] = head[b]
            head[b] = n + c
            stay[found] = c
            found += 1
    return stay[:found].copy()
