"""The mover: a mesh that is tried against what stands, in the frame of its direction, and what lies in its column."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import inner_kernel, kernel, nested_kernel
from brickseat_core.scene import Vec


class Mover(NamedTuple):
    """A mesh turned into the frame of a direction, relative to its own position.

    ``frame``: (3, 3), rows u, v, w with w against the travel. ``tri``: (m, 3, 3). ``lo``, ``hi``: refitted
    boxes of its nodes. ``node0``, ``tri0``: where its tree begins in the forest. ``facing``: +1 / -1 when
    its outside is where its triangles turn anticlockwise / clockwise, 0 when it has no outside. ``own``: (3, 3) turns
    vectors of the frame into those of the mesh itself.
    """

    frame: Vec
    tri: Vec
    lo: Vec
    hi: Vec
    node0: int
    tri0: int
    facing: float
    own: Vec


class Near(NamedTuple):
    """The pieces in a mover's column: their rows, their transforms into its frame, and their facing."""

    rows: NDArray[np.int64]
    matrix: Vec
    offset: Vec
    facing: Vec


class MovingMesh(NamedTuple):
    """What kernels know of a mesh that moves: its place in the forest, where its outside is (+1, -1 when it is turned
    inside out, 0 when it is open), and in its own coordinates its box, its centre of mass and its probes."""

    node0: int
    nodes: int
    tri0: int
    triangles: int
    outside: float
    lo: Vec
    hi: Vec
    centre: Vec
    probes: Vec


def frame_along(direction: Vec) -> Vec:
    """(3, 3) right-handed frame with rows u, v, w and w = -direction; exact for axis directions."""
    return np.asarray(frame_kernel(np.asarray(direction, dtype=np.float64)))


@kernel
def frame_kernel(direction):
    """As ``frame_along``."""
    frame = np.empty((3, 3))
    u, v, w = frame[0], frame[1], frame[2]
    length = np.sqrt(direction[0] ** 2 + direction[1] ** 2 + direction[2] ** 2)
    least = 0
    for k in range(3):
        # Adding zero turns -0.0 into 0.0, so that equal frames are equal bit for bit.
        w[k] = -direction[k] / length + 0.0
        if abs(w[k]) < abs(w[least]):
            least = k
    for k in range(3):
        u[k] = (1.0 if k == least else 0.0) - w[k] * w[least]
    length = np.sqrt(u[0] ** 2 + u[1] ** 2 + u[2] ** 2)
    for k in range(3):
        u[k] = u[k] / length + 0.0
    for k in range(3):
        i, j = (k + 1) % 3, (k + 2) % 3
        v[k] = w[i] * u[j] - w[j] * u[i] + 0.0
    return frame


@inner_kernel
def determinant(m):
    """Of a (3, 3) matrix."""
    return (
        m[0, 0] * (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1])
        - m[0, 1] * (m[1, 0] * m[2, 2] - m[1, 2] * m[2, 0])
        + m[0, 2] * (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0])
    )


@kernel
def turned_kernel(frame, linear):
    """(3, 3) ``frame`` times ``linear``."""
    matrix = np.empty((3, 3))
    for a in range(3):
        for b in range(3):
            matrix[a, b] = frame[a, 0] * linear[0, b] + frame[a, 1] * linear[1, b] + frame[a, 2] * linear[2, b]
    return matrix


@kernel
def inverse_kernel(m):
    """(3, 3) inverse of ``m``, by its adjugate; not finite when there is none."""
    out = np.empty((3, 3))
    for a in range(3):
        for b in range(3):
            i, j, k, n = (b + 1) % 3, (b + 2) % 3, (a + 1) % 3, (a + 2) % 3
            out[a, b] = m[i, k] * m[j, n] - m[i, n] * m[j, k]
    return out / determinant(m)


@kernel
def mover_kernel(forest, moving, linear, frame):
    """The mover of a mesh at a pose of this linear part, in ``frame``."""
    matrix = turned_kernel(frame, linear)
    tri, lo, hi = turn_kernel(forest, moving.node0, moving.nodes, moving.tri0, moving.triangles, matrix)
    own = inverse_kernel(matrix)
    return Mover(frame, tri, lo, hi, moving.node0, moving.tri0, moving.outside * np.sign(determinant(linear)), own)


@kernel
def turn_kernel(forest, node0, nodes, tri0, triangles, matrix):
    """The triangles (n, 3, 3) of a mesh in another frame, and the boxes of its tree's nodes about them."""
    tri = np.empty((triangles, 3, 3))
    for i in range(triangles):
        for k in range(3):
            x, y, z = forest.corners[tri0 + i, k, 0], forest.corners[tri0 + i, k, 1], forest.corners[tri0 + i, k, 2]
            for c in range(3):
                tri[i, k, c] = matrix[c, 0] * x + matrix[c, 1] * y + matrix[c, 2] * z
    lo = np.empty((nodes, 3))
    hi = np.empty((nodes, 3))
    for n in range(nodes - 1, -1, -1):
        child = forest.child[node0 + n]
        for c in range(3):
            if child >= 0:
                left = child - node0
                lo[n, c] = min(lo[left, c], lo[left + 1, c])
                hi[n, c] = max(hi[left, c], hi[left + 1, c])
            else:
                low, high = np.inf, -np.inf
                first = forest.start[node0 + n] - tri0
                for t in range(first, first + forest.length[node0 + n]):
                    for k in range(3):
                        low = min(low, tri[t, k, c])
                        high = max(high, tri[t, k, c])
                lo[n, c] = low
                hi[n, c] = high
    return tri, lo, hi


@kernel
def in_world_kernel(points, linear, origin):
    """(n, 3) points of a mesh that stands at a pose, in the world."""
    out = np.empty((points.shape[0], 3))
    for i in range(points.shape[0]):
        for k in range(3):
            out[i, k] = origin[k]
            for c in range(3):
                out[i, k] += linear[k, c] * points[i, c]
    return out


@kernel
def out_of_frame_kernel(points, frame, origin):
    """(n, 3) points of a frame (rows u, v, w) about ``origin``, in the world."""
    out = np.empty((points.shape[0], 3))
    for i in range(points.shape[0]):
        for k in range(3):
            out[i, k] = points[i, 0] * frame[0, k] + points[i, 1] * frame[1, k] + points[i, 2] * frame[2, k] + origin[k]
    return out


@inner_kernel
def in_column(placed, r, frame, origin, lo, hi):
    """Does the box of row ``r`` meet the column of a mover's box, which goes from ``lo`` to ``hi`` along u and v?"""
    for c in range(2):
        middle, half_extent = 0.0, 0.0
        for k in range(3):
            middle += frame[c, k] * (0.5 * (placed.lo[r, k] + placed.hi[r, k]) - origin[k])
            half_extent += abs(frame[c, k]) * 0.5 * (placed.hi[r, k] - placed.lo[r, k])
        if middle - half_extent > hi[c] or middle + half_extent < lo[c]:
            return False
    return True


@kernel
def near_kernel(placed, rows, frame, origin, lo, hi, skip):
    """Rows whose box meets the column of a mover's box, all but row ``skip``."""
    found = np.empty(rows, np.int64)
    n = 0
    for r in range(rows):
        if placed.root[r] >= 0 and r != skip and in_column(placed, r, frame, origin, lo, hi):
            found[n] = r
            n += 1
    return found[:n].copy()


@nested_kernel
def near_among_kernel(placed, candidates, frame, origin, lo, hi, skip):
    """As ``near_kernel``, of those rows alone that are ``candidates`` (n,)."""
    found = np.empty(candidates.shape[0], np.int64)
    n = 0
    for r in candidates:
        if placed.root[r] >= 0 and r != skip and in_column(placed, r, frame, origin, lo, hi):
            found[n] = r
            n += 1
    return found[:n].copy()


@kernel
def transforms_kernel(placed, rows, frame, origin):
    """Of each row: its transform into the frame ((n, 3, 3) and (n, 3)) and its facing there ((n,))."""
    n = rows.shape[0]
    matrix = np.empty((n, 3, 3))
    offset = np.empty((n, 3))
    facing = np.empty(n)
    for i in range(n):
        r = rows[i]
        for a in range(3):
            total = 0.0
            for k in range(3):
                total += frame[a, k] * (placed.origin[r, k] - origin[k])
            offset[i, a] = total
            for b in range(3):
                cell = 0.0
                for k in range(3):
                    cell += frame[a, k] * placed.linear[r, k, b]
                matrix[i, a, b] = cell
        facing[i] = placed.sense[r] * np.sign(determinant(placed.linear[r]))
    return matrix, offset, facing


@kernel
def outline_kernel(moving, linear, origin):
    """A moving at a pose, in the world: its axis-aligned box (lo, hi), and its probes (2k, 3)."""
    lo = origin.copy()
    hi = origin.copy()
    for k in range(3):
        for c in range(3):
            a, b = linear[k, c] * moving.lo[c], linear[k, c] * moving.hi[c]
            lo[k] += min(a, b)
            hi[k] += max(a, b)
    return lo, hi, in_world_kernel(moving.probes, linear, origin)
