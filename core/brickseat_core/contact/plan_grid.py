"""A grid over the plan of what stands: which rows lie over a rectangle of it, without looking at all of them.

To ask one piece, all rows are read in less time than the grid takes to be made; it is made where many pieces are asked.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.index import Placed
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Vec

CELLS_PER_ROW = 2
"""Cells for each row at most: more of them would be empty."""
WIDE_CELLS = 32
"""A row that covers more cells than this is kept apart, and returned wherever is asked."""
CELL_WIDTH = 1.5
"""Side of a cell over the middle width of the rows."""


class PlanGrid(NamedTuple):
    """``corner``: (2,) least x and z in metres. ``cell``: side of a cell in metres. ``across``: (2,) cells along x and z, none
    where there is no grid. ``start``: (cells + 1,) where the ``rows`` of each cell begin. ``wide``: rows in no cell."""

    corner: Vec
    cell: float
    across: NDArray[np.int64]
    start: NDArray[np.int64]
    rows: NDArray[np.int64]
    wide: NDArray[np.int64]


def no_grid() -> PlanGrid:
    """The grid of those who look at all rows."""
    return all_wide(np.zeros(0, np.int64))


def all_wide(rows: NDArray[np.int64]) -> PlanGrid:
    """A grid without cells: every one of ``rows`` (n,) is returned wherever is asked."""
    none = np.zeros(0, np.int64)
    return PlanGrid(np.zeros(2), 1.0, np.zeros(2, np.int64), np.zeros(1, np.int64), none, rows)


def plan_grid(placed: Placed, count: int) -> PlanGrid:
    """The grid of the first ``count`` rows."""
    rows = np.flatnonzero(placed.root[:count] >= 0)
    lo, hi = placed.lo[rows][:, [0, 2]], placed.hi[rows][:, [0, 2]]
    bounded = np.isfinite(lo).all(axis=1) & np.isfinite(hi).all(axis=1)
    if not bounded.any():
        return all_wide(rows)
    width = (hi - lo).max(axis=1)
    middle = float(np.median(width[bounded]))
    narrow = bounded & (width <= WIDE_CELLS * max(middle, 1e-9))
    corner, end = lo[narrow].min(axis=0), hi[narrow].max(axis=0)
    extent = np.maximum(end - corner, 1e-9)
    cell = max(CELL_WIDTH * middle, float(np.sqrt(extent[0] * extent[1] / (CELLS_PER_ROW * len(rows)))), 1e-9)
    # A long thin strip of little things would have more cells than rows.
    cell = max(cell, float(extent.max()) / (CELLS_PER_ROW * len(rows)))
    across = (extent / cell).astype(np.int64) + 1
    return PlanGrid(corner, cell, across, *sorted_into_cells(placed, rows, narrow, corner, cell, across))


def rows_over(grid: PlanGrid, placed: Placed, lo: Vec, hi: Vec) -> NDArray[np.int64]:
    """Rows, each once and in rising order, that may lie over the rectangle from ``lo`` to ``hi`` ((2,) x and z in metres).

    All that do are among them; others of the same cells are, too. ``grid``: of these rows as they are.
    """
    found: NDArray[np.int64] = rows_over_kernel(grid, placed, float(lo[0]), float(hi[0]), float(lo[1]), float(hi[1]))
    return found


@nested_kernel
def cells_of(corner, cell, across, axis, low, high):
    """First and last cell along x (0) or z (1) over which a stretch lies; it is cut to the grid."""
    last = across[axis] - 1
    first = np.int64(min(max(np.floor((low - corner[axis]) / cell), 0.0), float(last)))
    end = np.int64(min(max(np.floor((high - corner[axis]) / cell), 0.0), float(last)))
    return first, end


@kernel
def sorted_into_cells(placed, rows, narrow, corner, cell, across):
    """``start``, ``rows`` and ``wide`` of a grid: a counting sort of ``rows`` by the cells that each lies over."""
    n = rows.shape[0]
    reach = np.empty((n, 4), np.int64)
    start = np.zeros(across[0] * across[1] + 1, np.int64)
    wide = np.empty(n, np.int64)
    apart = 0
    for i in range(n):
        r = rows[i]
        a, b, c, d = np.int64(0), np.int64(-1), np.int64(0), np.int64(-1)
        if narrow[i]:
            a, b = cells_of(corner, cell, across, 0, placed.lo[r, 0], placed.hi[r, 0])
            c, d = cells_of(corner, cell, across, 1, placed.lo[r, 2], placed.hi[r, 2])
            if (b - a + 1) * (d - c + 1) > WIDE_CELLS:
                a, b = np.int64(0), np.int64(-1)
        if b < a:
            wide[apart] = r
            apart += 1
        reach[i, 0], reach[i, 1], reach[i, 2], reach[i, 3] = a, b, c, d
        for x in range(a, b + 1):
            for z in range(c, d + 1):
                start[x * across[1] + z + 1] += 1
    for k in range(start.shape[0] - 1):
        start[k + 1] += start[k]
    sorted_rows = np.empty(start[-1], np.int64)
    place = start.copy()
    for i in range(n):
        for x in range(reach[i, 0], reach[i, 1] + 1):
            for z in range(reach[i, 2], reach[i, 3] + 1):
                k = x * across[1] + z
                sorted_rows[place[k]] = rows[i]
                place[k] += 1
    return start, sorted_rows, wide[:apart].copy()


@kernel
def rows_over_kernel(grid, placed, x0, x1, z0, z1):
    """As ``rows_over``."""
    if grid.across[0] == 0:
        return grid.wide.copy()
    a, b = cells_of(grid.corner, grid.cell, grid.across, 0, x0, x1)
    c, d = cells_of(grid.corner, grid.cell, grid.across, 1, z0, z1)
    most = grid.wide.shape[0]
    for x in range(a, b + 1):
        for z in range(c, d + 1):
            k = x * grid.across[1] + z
            most += grid.start[k + 1] - grid.start[k]
    found = np.empty(most, np.int64)
    n = grid.wide.shape[0]
    found[:n] = grid.wide
    for x in range(a, b + 1):
        for z in range(c, d + 1):
            k = x * grid.across[1] + z
            for place in range(grid.start[k], grid.start[k + 1]):
                r = grid.rows[place]
                # A row lies in several of the cells: it is returned in the first of them that is asked.
                first_x, _ = cells_of(grid.corner, grid.cell, grid.across, 0, placed.lo[r, 0], placed.hi[r, 0])
                first_z, _ = cells_of(grid.corner, grid.cell, grid.across, 1, placed.lo[r, 2], placed.hi[r, 2])
                if x == max(a, first_x) and z == max(c, first_z):
                    found[n] = r
                    n += 1
    # Most are few: put in order one by one.
    for i in range(1, n):
        r = found[i]
        j = i
        while j > 0 and found[j - 1] > r:
            found[j] = found[j - 1]
            j -= 1
        found[j] = r
    return found[:n].copy()
