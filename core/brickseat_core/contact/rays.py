"""What a ray meets first: the surface under the pointer."""

import math
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import determinant
from brickseat_core.geometry.rays import first_on_tree, misses_box
from brickseat_core.kernels import kernel
from brickseat_core.scene import Vec, cross


@dataclass(frozen=True)
class Hit:
    """``row`` of the piece, ``distance`` along the (unit) ray in metres, ``point`` and unit face ``normal``
    facing the ray, both (3,) in the world, and the ``triangle`` of the forest."""

    row: int
    distance: float
    point: Vec
    normal: Vec
    triangle: int


def first_hit(index: SceneIndex, origin: Vec, direction: Vec, skip: int = -1, only: int = -1) -> Hit | None:
    """First surface met by a ray; both sides of a surface count. None when it meets nothing.

    ``skip``: a row that it passes through; ``only``: the one row that it may meet, any by default.
    """
    direction = np.asarray(direction, dtype=np.float64)
    direction = direction / math.hypot(*direction)
    row, distance, triangle = first_hit_kernel(
        index.forest, index.placed, len(index.keys), np.asarray(origin, dtype=np.float64), direction, skip, only
    )
    if row < 0 or not math.isfinite(distance):
        return None
    linear = index.placed.linear[row]
    corners = index.forest.corners[triangle] @ linear.T
    normal = cross(corners[1] - corners[0], corners[2] - corners[0])
    normal /= math.hypot(*normal)
    if normal @ direction > 0:
        normal = -normal
    return Hit(int(row), float(distance), origin + distance * direction, normal, int(triangle))


@kernel
def hits_on_row_kernel(forest, placed, row, origins, direction, from_within):
    """What parallel rays from ``origins`` (n, 3) along unit ``direction`` (3,) meet first of one row: points (k, 3) and
    unit face normals (k, 3) facing the rays, of those that meet it.

    ``from_within``: whether a ray that meets a face of a solid from its inside counts as meeting it.
    """
    n = origins.shape[0]
    points = np.empty((n, 3))
    normals = np.empty((n, 3))
    linear = placed.linear[row]
    outside = placed.sense[row] * determinant(linear)
    corners = np.empty((3, 3))
    met = 0
    o = np.empty(3)
    d = np.empty(3)
    for i in range(n):
        for c in range(3):
            o[c] = 0.0
            d[c] = 0.0
            for k in range(3):
                o[c] += placed.inverse[row, c, k] * (origins[i, k] - placed.origin[row, k])
                d[c] += placed.inverse[row, c, k] * direction[k]
        near, triangle = first_on_tree(forest, placed.root[row], o, d, np.inf)
        if triangle < 0:
            continue
        for v in range(3):
            for c in range(3):
                corners[v, c] = 0.0
                for k in range(3):
                    corners[v, c] += linear[c, k] * forest.corners[triangle, v, k]
        ux, uy, uz = corners[1, 0] - corners[0, 0], corners[1, 1] - corners[0, 1], corners[1, 2] - corners[0, 2]
        vx, vy, vz = corners[2, 0] - corners[0, 0], corners[2, 1] - corners[0, 1], corners[2, 2] - corners[0, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = math.sqrt(nx * nx + ny * ny + nz * nz)
        along = nx * direction[0] + ny * direction[1] + nz * direction[2]
        if not from_within and outside * along > 0.0:
            continue
        if along > 0.0:
            length = -length
        normals[met, 0], normals[met, 1], normals[met, 2] = nx / length, ny / length, nz / length
        for c in range(3):
            points[met, c] = origins[i, c] + near * direction[c]
        met += 1
    return points[:met], normals[:met]


@kernel
def first_hit_kernel(forest, placed, rows, origin, direction, skip, only):
    """The row met first (-1: none), the distance in metres, and the triangle."""
    best = np.inf
    who = -1
    which = -1
    inverse = (1.0 / direction[0], 1.0 / direction[1], 1.0 / direction[2])
    o = np.empty(3)
    d = np.empty(3)
    for r in range(rows):
        if placed.root[r] < 0 or r == skip or (only >= 0 and r != only):
            continue
        if misses_box(placed.lo, placed.hi, r, origin, inverse, best):
            continue
        for c in range(3):
            o[c] = 0.0
            d[c] = 0.0
            for k in range(3):
                o[c] += placed.inverse[r, c, k] * (origin[k] - placed.origin[r, k])
                d[c] += placed.inverse[r, c, k] * direction[k]
        near, triangle = first_on_tree(forest, placed.root[r], o, d, best)
        if triangle >= 0:
            best, who, which = near, r, triangle
    return who, best, which
