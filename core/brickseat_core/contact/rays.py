"""What a ray meets first: the surface under the pointer."""

import math
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import ray_triangle
from brickseat_core.kernels import kernel
from brickseat_core.scene import Vec


@dataclass(frozen=True)
class Hit:
    """``row`` of the piece, ``distance`` along the (unit) ray in metres, ``point`` and unit face ``normal``
    facing the ray, both (3,) in the world, and the ``triangle`` of the forest."""

    row: int
    distance: float
    point: Vec
    normal: Vec
    triangle: int


def first_hit(index: SceneIndex, origin: Vec, direction: Vec, skip: int = -1) -> Hit | None:
    """First surface met by a ray; both sides of a surface count. None when it meets nothing."""
    direction = np.asarray(direction, dtype=np.float64)
    direction = direction / np.linalg.norm(direction)
    row, distance, triangle = first_hit_kernel(
        index.forest, index.placed, len(index.keys), np.asarray(origin, dtype=np.float64), direction, skip
    )
    if row < 0 or not math.isfinite(distance):
        return None
    linear = index.placed.linear[row]
    corners = index.forest.corners[triangle] @ linear.T
    normal = np.cross(corners[1] - corners[0], corners[2] - corners[0])
    normal /= np.linalg.norm(normal)
    if normal @ direction > 0:
        normal = -normal
    return Hit(int(row), float(distance), origin + distance * direction, normal, int(triangle))


@kernel
def first_hit_kernel(forest, placed, rows, origin, direction, skip):  # type: ignore[no-untyped-def]
    best = np.inf
    who = -1
    which = -1
    stack = np.empty(128, np.int32)
    o = np.empty(3)
    d = np.empty(3)
    for r in range(rows):
        if placed.root[r] < 0 or r == skip:
            continue
        t0, t1 = 0.0, best
        for k in range(3):
            if direction[k] == 0.0:
                if origin[k] < placed.lo[r, k] or origin[k] > placed.hi[r, k]:
                    t1 = -1.0
            else:
                a = (placed.lo[r, k] - origin[k]) / direction[k]
                b = (placed.hi[r, k] - origin[k]) / direction[k]
                t0 = max(t0, min(a, b))
                t1 = min(t1, max(a, b))
        if t1 < t0:
            continue
        for c in range(3):
            o[c] = 0.0
            d[c] = 0.0
            for k in range(3):
                o[c] += placed.inverse[r, c, k] * (origin[k] - placed.origin[r, k])
                d[c] += placed.inverse[r, c, k] * direction[k]
        stack[0] = placed.root[r]
        depth = 1
        while depth > 0:
            depth -= 1
            node = stack[depth]
            t0, t1 = 0.0, best
            for k in range(3):
                if d[k] == 0.0:
                    if o[k] < forest.lo[node, k] or o[k] > forest.hi[node, k]:
                        t1 = -1.0
                else:
                    a = (forest.lo[node, k] - o[k]) / d[k]
                    b = (forest.hi[node, k] - o[k]) / d[k]
                    t0 = max(t0, min(a, b))
                    t1 = min(t1, max(a, b))
            if t1 < t0:
                continue
            child = forest.child[node]
            if child >= 0:
                # Open the nearer child first: it is pushed last.
                axis = 0
                spread = -1.0
                for k in range(3):
                    gap = abs(
                        forest.lo[child, k] + forest.hi[child, k] - forest.lo[child + 1, k] - forest.hi[child + 1, k]
                    )
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
                    who = r
                    which = t
    return who, best, which
