"""Blocked heights, cell by cell: a few merged intervals each, and how triangles are written into them.

All in the frame of a grid: x and z across, y up. A cell's intervals are sorted and apart; where there is no more room the two
that are nearest to each other become one, so that what is blocked stays blocked.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import inner_kernel, kernel, nested_inner_kernel
from brickseat_core.scene import Vec

ROOM = 8
"""Intervals a cell has at most."""
MOST_CORNERS = 9
"""Corners of a triangle that was cut by the four sides of a cell: one more for each."""
WITHIN = 1e-9
"""Metres by which what is cut to a cell stays off its sides: a face in a side belongs to neither cell."""
OFF_X, OFF_Z = 0.01234, -0.00789
"""Shares of a cell by which the line that stands for it is off its middle, where the edges of regular meshes run."""
MOST_CROSSINGS = 64
SLACK = 5e-6
STEEP = 0.02
"""Cosine to the level below which a face is a wall."""


class Cells(NamedTuple):
    """The cells of a grid. ``lo``, ``hi``: (nx, nz, ROOM + 1) ends of the blocked intervals; ``many``: (nx, nz) how many."""

    lo: Vec
    hi: Vec
    many: NDArray[np.int64]


def free_cells(nx: int, nz: int) -> Cells:
    """Cells in which nothing is blocked."""
    return Cells(np.zeros((nx, nz, ROOM + 1)), np.zeros((nx, nz, ROOM + 1)), np.zeros((nx, nz), np.int64))


@inner_kernel
def block(lo, hi, count, i, j, low, high):
    """Block the heights from ``low`` to ``high`` of a cell."""
    n = count[i, j]
    first = 0
    while first < n and hi[i, j, first] < low:
        first += 1
    last = first
    while last < n and lo[i, j, last] <= high:
        low, high = min(low, lo[i, j, last]), max(high, hi[i, j, last])
        last += 1
    # Those from ``first`` up to ``last`` become one.
    if last == first:
        for k in range(n, first, -1):
            lo[i, j, k], hi[i, j, k] = lo[i, j, k - 1], hi[i, j, k - 1]
        n += 1
    elif last > first + 1:
        gone = last - first - 1
        for k in range(last, n):
            lo[i, j, k - gone], hi[i, j, k - gone] = lo[i, j, k], hi[i, j, k]
        n -= gone
    lo[i, j, first], hi[i, j, first] = low, high
    if n > ROOM:
        nearest, least = 0, np.inf
        for k in range(n - 1):
            if lo[i, j, k + 1] - hi[i, j, k] < least:
                nearest, least = k, lo[i, j, k + 1] - hi[i, j, k]
        hi[i, j, nearest] = hi[i, j, nearest + 1]
        for k in range(nearest + 1, n - 1):
            lo[i, j, k], hi[i, j, k] = lo[i, j, k + 1], hi[i, j, k + 1]
        n -= 1
    count[i, j] = n


@nested_inner_kernel
def cut_at(source, n, axis, bound, sign, out):
    """The corners of a polygon (n, 3) on one side of a plane across an axis, those beyond ``bound`` for a ``sign`` of +1, written into
    ``out``; how many they are.

    Sutherland and Hodgman, "Reentrant polygon clipping", 1974.
    """
    kept = 0
    for k in range(n):
        m = k + 1 if k + 1 < n else 0
        a, b = source[k, axis], source[m, axis]
        if sign * (a - bound) >= 0.0:
            for c in range(3):
                out[kept, c] = source[k, c]
            kept += 1
        if (a < bound < b) or (b < bound < a):
            f = (bound - a) / (b - a)
            for c in range(3):
                out[kept, c] = source[k, c] + f * (source[m, c] - source[k, c])
            kept += 1
    return kept


@nested_inner_kernel
def cut_to_slab(source, n, axis, low, high, work, out):
    """The corners of a polygon (n, 3) cut to ``low`` … ``high`` along an axis, written into ``out``; how many they are."""
    return cut_at(work, cut_at(source, n, axis, low, 1.0, work), axis, high, -1.0, out)


@kernel
def block_surface_kernel(lo, hi, count, triangles, x0, z0, h, walls):
    """Block what ``triangles`` (n, 3, 3) reach in each cell of size ``h`` from (``x0``, ``z0``) on. ``walls``: those that stand
    upright, too. What looks down is taken ``SLACK`` metres higher than it is: so what fits under it exactly is proposed."""
    nx, nz = count.shape
    strip, piece, work = np.empty((MOST_CORNERS, 3)), np.empty((MOST_CORNERS, 3)), np.empty((MOST_CORNERS, 3))
    for t in range(triangles.shape[0]):
        s = triangles[t]
        ux, uy, uz = s[1, 0] - s[0, 0], s[1, 1] - s[0, 1], s[1, 2] - s[0, 2]
        vx, vy, vz = s[2, 0] - s[0, 0], s[2, 1] - s[0, 1], s[2, 2] - s[0, 2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        if not walls and abs(y) <= STEEP * np.sqrt(x * x + y * y + z * z):
            continue
        slack = SLACK if y < 0.0 else 0.0
        left, right = min(s[0, 0], s[1, 0], s[2, 0]), max(s[0, 0], s[1, 0], s[2, 0])
        near, far = min(s[0, 2], s[1, 2], s[2, 2]), max(s[0, 2], s[1, 2], s[2, 2])
        i0, i1 = max(0, int(np.floor((left - x0) / h))), min(nx - 1, int(np.floor((right - x0) / h)))
        j0, j1 = max(0, int(np.floor((near - z0) / h))), min(nz - 1, int(np.floor((far - z0) / h)))
        for i in range(i0, i1 + 1):
            n = cut_to_slab(s, 3, 0, x0 + i * h + WITHIN, x0 + (i + 1) * h - WITHIN, work, strip)
            if n == 0:
                continue
            for j in range(j0, j1 + 1):
                m = cut_to_slab(strip, n, 2, z0 + j * h + WITHIN, z0 + (j + 1) * h - WITHIN, work, piece)
                if m == 0:
                    continue
                low, high = piece[0, 1], piece[0, 1]
                for k in range(1, m):
                    low, high = min(low, piece[k, 1]), max(high, piece[k, 1])
                block(lo, hi, count, i, j, low + slack, high + slack)


@kernel
def crossings_kernel(triangles, x0, z0, h, nx, nz):
    """Where the upright line of each cell goes through ``triangles``: (nx, nz, k) heights from the lowest up, with signs
    (+1 into a solid whose faces look outward, on the way up), and (nx, nz) how many. What finds no room is left out."""
    heights, signs = np.empty((nx, nz, MOST_CROSSINGS)), np.empty((nx, nz, MOST_CROSSINGS), np.int8)
    count = np.zeros((nx, nz), np.int64)
    for t in range(triangles.shape[0]):
        s = triangles[t]
        area = (s[1, 0] - s[0, 0]) * (s[2, 2] - s[0, 2]) - (s[2, 0] - s[0, 0]) * (s[1, 2] - s[0, 2])
        if area == 0.0:
            continue
        left, right = min(s[0, 0], s[1, 0], s[2, 0]), max(s[0, 0], s[1, 0], s[2, 0])
        near, far = min(s[0, 2], s[1, 2], s[2, 2]), max(s[0, 2], s[1, 2], s[2, 2])
        i0, i1 = max(0, int(np.floor((left - x0) / h)) - 1), min(nx - 1, int(np.floor((right - x0) / h)) + 1)
        j0, j1 = max(0, int(np.floor((near - z0) / h)) - 1), min(nz - 1, int(np.floor((far - z0) / h)) + 1)
        for i in range(i0, i1 + 1):
            x = x0 + (i + 0.5 + OFF_X) * h
            for j in range(j0, j1 + 1):
                z = z0 + (j + 0.5 + OFF_Z) * h
                a = ((s[1, 0] - x) * (s[2, 2] - z) - (s[2, 0] - x) * (s[1, 2] - z)) / area
                b = ((s[2, 0] - x) * (s[0, 2] - z) - (s[0, 0] - x) * (s[2, 2] - z)) / area
                c = 1.0 - a - b
                if a < 0.0 or b < 0.0 or c < 0.0 or count[i, j] == MOST_CROSSINGS:
                    continue
                y = a * s[0, 1] + b * s[1, 1] + c * s[2, 1]
                k = count[i, j]
                while k > 0 and heights[i, j, k - 1] > y:
                    heights[i, j, k], signs[i, j, k] = heights[i, j, k - 1], signs[i, j, k - 1]
                    k -= 1
                # Seen from above, a face that looks up turns clockwise in x and z.
                heights[i, j, k], signs[i, j, k] = y, 1 if area > 0.0 else -1
                count[i, j] += 1
    return heights, signs, count


@kernel
def block_inside_kernel(lo, hi, count, triangles, x0, z0, h, sense):
    """Block the inside of a solid of ``triangles``, found by the winding number of the line of each cell (Jacobson, Kavan and
    Sorkine-Hornung, "Robust inside-outside segmentation", 2013). ``sense``: -1 where its faces look inward."""
    nx, nz = count.shape
    heights, signs, many = crossings_kernel(triangles, x0, z0, h, nx, nz)
    for i in range(nx):
        for j in range(nz):
            winding = 0
            for k in range(many[i, j] - 1):
                winding += sense * signs[i, j, k]
                if winding > 0:
                    block(lo, hi, count, i, j, heights[i, j, k] + SLACK, heights[i, j, k + 1])


@kernel
def block_outside_kernel(lo, hi, count, triangles, x0, z0, h, sense):
    """Block all that is not inside the solid of ``triangles``, as ``block_inside_kernel`` finds it."""
    nx, nz = count.shape
    heights, signs, many = crossings_kernel(triangles, x0, z0, h, nx, nz)
    for i in range(nx):
        for j in range(nz):
            winding, low = 0, -np.inf
            for k in range(many[i, j]):
                was = winding
                winding += sense * signs[i, j, k]
                if was <= 0 < winding:
                    block(lo, hi, count, i, j, low, heights[i, j, k])
                elif winding <= 0 < was:
                    low = heights[i, j, k]
            block(lo, hi, count, i, j, low, np.inf)


@kernel
def extents_kernel(triangles, x0, z0, h, nx, nz):
    """Lowest and highest heights (nx, nz) that ``triangles`` reach in each cell; the first above the second where none does."""
    lo, hi = np.empty((nx, nz, ROOM + 1)), np.empty((nx, nz, ROOM + 1))
    count = np.zeros((nx, nz), np.int64)
    block_surface_kernel(lo, hi, count, triangles, x0, z0, h, True)
    bottom, top = np.full((nx, nz), np.inf), np.full((nx, nz), -np.inf)
    for i in range(nx):
        for j in range(nz):
            if count[i, j]:
                bottom[i, j], top[i, j] = lo[i, j, 0], hi[i, j, count[i, j] - 1]
    return bottom, top


@kernel
def block_ground_kernel(lo, hi, count, triangles, x0, z0, h):
    """Block all below the highest place at which the line of each cell meets the ground."""
    nx, nz = count.shape
    heights, _, many = crossings_kernel(triangles, x0, z0, h, nx, nz)
    for i in range(nx):
        for j in range(nz):
            if many[i, j]:
                block(lo, hi, count, i, j, -np.inf, heights[i, j, many[i, j] - 1])


@kernel
def block_body_cells_kernel(lo, hi, count, i0, j0, bottom, top):
    """Block the cells that a body reaches, from cell (``i0``, ``j0``) on; those off the grid are left out."""
    for a in range(max(0, -i0), min(bottom.shape[0], count.shape[0] - i0)):
        for b in range(max(0, -j0), min(bottom.shape[1], count.shape[1] - j0)):
            if bottom[a, b] <= top[a, b]:
                block(lo, hi, count, i0 + a, j0 + b, bottom[a, b], top[a, b])
