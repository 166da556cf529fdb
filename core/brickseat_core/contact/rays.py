"""What a ray meets first: the surface under the pointer."""

import math
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.mover import determinant
from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.meshes.tree import STACK_ROOM
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
def hits_on_row_kernel(forest, placed, row, origins, direction, from_within):  # type: ignore[no-untyped-def]
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


@inner_kernel
def ray_triangle(forest, t, origin, direction):  # type: ignore[no-untyped-def]
    """Distance along the ray (-1 for a miss) and normal · direction (Möller and Trumbore, 1997)."""
    ax, ay, az = forest.corners[t, 0, 0], forest.corners[t, 0, 1], forest.corners[t, 0, 2]
    e1x, e1y, e1z = forest.corners[t, 1, 0] - ax, forest.corners[t, 1, 1] - ay, forest.corners[t, 1, 2] - az
    e2x, e2y, e2z = forest.corners[t, 2, 0] - ax, forest.corners[t, 2, 1] - ay, forest.corners[t, 2, 2] - az
    dx, dy, dz = direction[0], direction[1], direction[2]
    px, py, pz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
    det = e1x * px + e1y * py + e1z * pz
    if det == 0.0:
        return -1.0, 0.0
    sx, sy, sz = origin[0] - ax, origin[1] - ay, origin[2] - az
    b = (sx * px + sy * py + sz * pz) / det
    if b < 0.0 or b > 1.0:
        return -1.0, 0.0
    qx, qy, qz = sy * e1z - sz * e1y, sz * e1x - sx * e1z, sx * e1y - sy * e1x
    c = (dx * qx + dy * qy + dz * qz) / det
    if c < 0.0 or b + c > 1.0:
        return -1.0, 0.0
    return (e2x * qx + e2y * qy + e2z * qz) / det, -det


@inner_kernel
def misses_box(lo, hi, o, d, best):  # type: ignore[no-untyped-def]
    """Does a ray (o, d) miss a box, or meet it only beyond ``best``? (Slabs: Kay and Kajiya, 1986.)"""
    t0, t1 = 0.0, best
    for k in range(3):
        if d[k] == 0.0:
            if o[k] < lo[k] or o[k] > hi[k]:
                return True
        else:
            a = (lo[k] - o[k]) / d[k]
            b = (hi[k] - o[k]) / d[k]
            t0 = max(t0, min(a, b))
            t1 = min(t1, max(a, b))
    return t1 < t0


@kernel
def first_on_tree(forest, root, o, d, best):  # type: ignore[no-untyped-def]
    """Nearest triangle of a tree that a ray (o, d) in its own coordinates meets before ``best``; -1 for none."""
    which = -1
    stack = np.empty(STACK_ROOM, np.int32)
    stack[0] = root
    depth = 1
    while depth > 0:
        depth -= 1
        node = stack[depth]
        if misses_box(forest.lo[node], forest.hi[node], o, d, best):
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
def first_hit_kernel(forest, placed, rows, origin, direction, skip, only):  # type: ignore[no-untyped-def]
    """The row met first (-1: none), the distance in metres, and the triangle."""
    best = np.inf
    who = -1
    which = -1
    o = np.empty(3)
    d = np.empty(3)
    for r in range(rows):
        if placed.root[r] < 0 or r == skip or (only >= 0 and r != only):
            continue
        if misses_box(placed.lo[r], placed.hi[r], origin, direction, best):
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
