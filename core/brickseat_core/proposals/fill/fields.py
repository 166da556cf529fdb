"""Fields: at which heights a shape finds room, for each cell that it may begin at; and what each of these places costs.

Nothing is computed anew when a piece is added: each field gets what the piece blocks of it, and only the places near by are
judged again.
"""

from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import kernel
from brickseat_core.proposals.fill.shapes import Raster, Shape
from brickseat_core.proposals.fill.spans import Cells, block, free_cells
from brickseat_core.recipes.chance import channel
from brickseat_core.scene import Vec

LEAST_HEADROOM = 2e-6
"""Metres between what a shape stands on and what is above it, from which it may be put in at all."""
STANDING = 1e-6
"""Metres by which what a shape stands on may be above its foot, by rounding."""
APPRAISED, MOST_APPRAISALS = 64, 24
"""Places whose cost is computed in one go, twice as many each time, and how often that is done."""
SAMPLES = 40
"""Cells of a shape, and cells beside it, by which the cost of a place is computed."""
LOOKS_AT_A_TIME = 400_000
"""Cells of a shape over cells of a bay that are looked at in one call: what is asked meanwhile whether it goes on is asked often enough."""
BESIDE = 2
"""Cells beside a new piece whose places are judged again: what touches its sides is seen one cell away."""


class Taste(NamedTuple):
    """What makes a place dear. ``void``: room lost below, ``touch``: how much it is worth to stand beside something, both against a mean height.
    ``back``: how much worse a place right at the front is than one at the back, ``left``: the same across. ``noise``: chance."""

    void: float
    touch: float
    back: float
    left: float
    noise: float
    seed: np.uint64


class Costs(NamedTuple):
    """(nx, nz) of the lowest free place of each cell: its ``height``, inf where there is none, the ``headroom`` over it in metres, and
    what it ``cost``s where ``known`` says so; elsewhere what it costs at least."""

    height: Vec
    headroom: Vec
    cost: Vec
    known: NDArray[np.bool_]


class Sample(NamedTuple):
    """What the cost of a place is computed by: (m, 2) ``cells`` of a shape with their ``bottoms`` (m,), and (k, 2) ``sides``, cells beside it,
    with the ``middles`` (k,) of its heights there."""

    cells: NDArray[np.int64]
    bottoms: Vec
    sides: NDArray[np.int64]
    middles: Vec


class Field:
    """Where a ``shape`` may stand. ``blocked``: by the cell that it begins at, the heights at which it has no room.

    ``height``, ``headroom``: (nx, nz) of the lowest free place there, inf where there is none. ``cost``: what it costs where ``known``
    says so; elsewhere what it costs at least.
    """

    def __init__(
        self,
        shape: Shape,
        columns: Cells,
        number: int,
        taste: Taste,
        unit: float,
        toward: Vec,
        check_budget: Callable[[], None],
    ) -> None:
        """``check_budget``: raises GivenUp where the budget says so."""
        self.shape, self.taste = shape, taste
        self._columns, self._unit, self._toward = columns, unit, toward
        self._seed = np.uint64(channel(int(taste.seed), number))
        bottom, top = shape.raster.bottom, shape.raster.top
        wx, wz = bottom.shape
        nx, nz = max(0, columns.many.shape[0] - wx + 1), max(0, columns.many.shape[1] - wz + 1)
        self.blocked = free_cells(nx, nz)
        self._costs = Costs(
            np.full((nx, nz), np.inf), np.zeros((nx, nz)), np.full((nx, nz), np.inf), np.zeros((nx, nz), np.bool_)
        )
        self.height, self.headroom, self.cost, self.known = self._costs
        cells = spread(np.argwhere(bottom <= top))
        self._sample = Sample(cells, bottom[cells[:, 0], cells[:, 1]], *map(spread, sides_of(bottom, top)))
        if self.height.size:
            rows = max(1, LOOKS_AT_A_TIME // (nz * bottom.size))
            for begin in range(0, nx, rows):
                check_budget()
                block_columns_kernel(*self.blocked, *columns, bottom, top, begin, min(nx, begin + rows))
            self._level(0, nx, 0, nz)

    def add(self, body: Raster) -> None:
        """Block what a body that now stands takes, and look at the places near it again."""
        nx, nz = self.height.shape
        if not self.height.size:
            return
        raster = self.shape.raster
        block_body_kernel(*self.blocked, raster.bottom, raster.top, body.bottom, body.top, body.i, body.j)
        (wx, wz), (bx, bz) = raster.bottom.shape, body.bottom.shape
        i0, i1 = max(0, body.i - wx - BESIDE + 1), min(nx, body.i + bx + BESIDE)
        j0, j1 = max(0, body.j - wz - BESIDE + 1), min(nz, body.j + bz + BESIDE)
        self._level(i0, i1, j0, j1)

    def _level(self, i0: int, i1: int, j0: int, j1: int) -> None:
        """The lowest places of the cells from (``i0``, ``j0``) up to (``i1``, ``j1``), and what they cost at least."""
        extent = self.shape.raster.bottom.shape
        level_kernel(
            self.blocked,
            self._costs,
            (i0, i1, j0, j1),
            extent,
            self.shape.centre,
            self._unit,
            self._toward,
            self.taste,
            self._seed,
        )

    def appraise(self, cells: NDArray[np.int64]) -> None:
        """Find what the places of ``cells`` (n,), counted row by row, really cost."""
        cost_kernel(self._columns, self._costs, cells, self._sample, self._unit, self.taste)

    def close(self, i: int, j: int) -> None:
        """A place where it does not come to stand; until something beside it changes."""
        self.cost[i, j] = np.inf


def spread(rows: NDArray[Any]) -> NDArray[Any]:
    """At most ``SAMPLES`` of some ``rows`` (n, k), evenly taken: a cost need not be exact to the last cell."""
    if len(rows) <= SAMPLES:
        return np.ascontiguousarray(rows)
    return np.ascontiguousarray(rows[np.linspace(0, len(rows) - 1, SAMPLES).round().astype(np.int64)])


def sides_of(bottom: Vec, top: Vec) -> tuple[NDArray[np.int64], Vec]:
    """(n, 2) cells right beside a shape, one for each side of a cell of it that looks out, and (n,) the middle heights there."""
    wx, wz = bottom.shape
    inside = np.zeros((wx + 2, wz + 2), np.bool_)
    inside[1:-1, 1:-1] = bottom <= top
    cells, middles = [], []
    for a, b in np.argwhere(bottom <= top).tolist():
        for c, d in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            if not inside[a + c + 1, b + d + 1]:
                cells.append((a + c, b + d))
                middles.append(0.5 * (bottom[a, b] + top[a, b]))
    return np.array(cells, np.int64).reshape(-1, 2), np.array(middles)


def cheapest(fields: list[Field], many: int, check_budget: Callable[[], None]) -> list[tuple[Field, int, int]]:
    """The ``many`` cheapest places of several fields: the field, and the cell. ``check_budget``: as for a field.

    The true cost of a place takes longer than a lower bound of it: it is computed only for those that may be among the cheapest.
    """
    starts = np.cumsum([0, *(field.cost.size for field in fields)])
    for more in range(MOST_APPRAISALS):
        check_budget()
        costs = np.concatenate([field.cost.ravel() for field in fields])
        known = np.concatenate([field.known.ravel() for field in fields])
        order = lowest(costs, max(many, APPRAISED << more))
        unknown = order[~known[order]]
        # Among the first ones all have to be known.
        if known[order[:many]].all() or not len(unknown):
            break
        for field, start, end in zip(fields, starts[:-1], starts[1:], strict=True):
            mine = unknown[(unknown >= start) & (unknown < end)] - start
            if len(mine):
                check_budget()
                field.appraise(mine)
    found = []
    for place in order[:many].tolist():
        if not np.isfinite(costs[place]):
            break
        n = int(np.searchsorted(starts, place, side="right")) - 1
        i, j = divmod(place - int(starts[n]), fields[n].cost.shape[1])
        found.append((fields[n], i, j))
    return found


def lowest(costs: Vec, many: int) -> NDArray[np.int64]:
    """(k,) the places of the ``many`` lowest of ``costs`` (n,), in their order; of equals the first, which a partition alone does not promise."""
    if len(costs) > many:
        worst = np.partition(costs, many - 1)[many - 1]
        order = np.flatnonzero(costs <= worst) if np.isfinite(worst) else np.flatnonzero(np.isfinite(costs))
    else:
        order = np.flatnonzero(np.isfinite(costs))
    return np.asarray(order[np.argsort(costs[order], kind="stable")][:many])


@kernel
def block_columns_kernel(lo, hi, count, column_lo, column_hi, column_count, bottom, top, begin, end):
    """Block the heights at which a shape of ``bottom`` and ``top`` (wx, wz), beginning at each cell of the rows from ``begin`` up to
    ``end``, meets what is blocked in a column."""
    wx, wz = bottom.shape
    for i in range(begin, end):
        for j in range(count.shape[1]):
            for a in range(wx):
                for b in range(wz):
                    if bottom[a, b] > top[a, b]:
                        continue
                    for k in range(column_count[i + a, j + b]):
                        low = column_lo[i + a, j + b, k] - top[a, b]
                        high = column_hi[i + a, j + b, k] - bottom[a, b]
                        block(lo, hi, count, i, j, low, high)


@kernel
def block_body_kernel(lo, hi, count, bottom, top, body_bottom, body_top, i0, j0):
    """Block the heights at which a shape meets a body whose cells begin at (``i0``, ``j0``): the hull of those of all cells they share."""
    wx, wz = bottom.shape
    bx, bz = body_bottom.shape
    for i in range(max(0, i0 - wx + 1), min(count.shape[0], i0 + bx)):
        for j in range(max(0, j0 - wz + 1), min(count.shape[1], j0 + bz)):
            low, high = np.inf, -np.inf
            for a in range(max(0, i0 - i), min(wx, i0 + bx - i)):
                for b in range(max(0, j0 - j), min(wz, j0 + bz - j)):
                    c, d = i + a - i0, j + b - j0
                    if bottom[a, b] > top[a, b] or body_bottom[c, d] > body_top[c, d]:
                        continue
                    low = min(low, body_bottom[c, d] - top[a, b])
                    high = max(high, body_top[c, d] - bottom[a, b])
            if low <= high:
                block(lo, hi, count, i, j, low, high)


@kernel
def chance_kernel(seed, i, j):
    """In [0, 1), of a seed and a cell (splitmix64)."""
    z = seed + np.uint64(0xD1B54A32D192ED03) * np.uint64(i + 1) + np.uint64(0x8CB92BA72F3D8DD7) * np.uint64(j + 1)
    for _ in range(2):
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        z = z ^ (z >> np.uint64(31))
    return float(z >> np.uint64(11)) * 2.0**-53


@kernel
def level_kernel(blocked, costs, span, extent, centre, unit, toward, taste, seed):
    """The lowest place of each cell of ``span`` (from i and up to it, and j), and what it costs where nothing is lost below it and all of
    its sides are touched.

    ``blocked``: Cells. ``costs``: Costs. ``extent``: cells of the shape along x and z. ``centre``: height of its centre of mass over the
    origin. ``unit``: a mean height. ``toward``: (2,) the way to the front along x and z. ``taste``: Taste.
    """
    lo, hi, count = blocked
    height, headroom, cost, known = costs
    i0, i1, j0, j1 = span
    wx, wz = extent
    nx, nz = count.shape
    for i in range(i0, i1):
        for j in range(j0, j1):
            cost[i, j] = height[i, j] = np.inf
            headroom[i, j] = 0.0
            known[i, j] = False
            for k in range(count[i, j]):
                above = lo[i, j, k + 1] if k + 1 < count[i, j] else np.inf
                if hi[i, j, k] == np.inf:
                    break
                if above - hi[i, j, k] >= LEAST_HEADROOM:
                    height[i, j], headroom[i, j] = hi[i, j, k], above - hi[i, j, k]
                    break
            if height[i, j] == np.inf:
                continue
            x, z = (i + 0.5 * wx) / (nx + wx), (j + 0.5 * wz) / (nz + wz)
            front = toward[0] * (x - 0.5) + toward[1] * (z - 0.5)
            aside = toward[1] * (x - 0.5) - toward[0] * (z - 0.5)
            cost[i, j] = (height[i, j] + centre) / unit + taste.back * front + taste.left * aside - taste.touch
            if taste.noise > 0.0:
                cost[i, j] += taste.noise * chance_kernel(seed, i, j)


@kernel
def cost_kernel(columns, costs, places, sample, unit, taste):
    """What ``places`` (n,), counted row by row, really cost: more for room that is lost below, and for sides that nothing touches.

    ``columns``: Cells of the bay. ``costs``: Costs. ``sample``: Sample. ``unit``: a mean height. ``taste``: Taste.
    """
    column_lo, column_hi, column_count = columns
    height, _, cost, known = costs
    cells, bottoms, sides, middles = sample
    nx, nz = column_count.shape
    for n in range(places.shape[0]):
        i, j = places[n] // height.shape[1], places[n] % height.shape[1]
        y = height[i, j]
        void = 0.0
        for m in range(cells.shape[0]):
            c, d = i + cells[m, 0], j + cells[m, 1]
            foot = y + bottoms[m]
            for k in range(column_count[c, d] - 1, -1, -1):
                if column_hi[c, d, k] <= foot + STANDING:
                    if column_hi[c, d, k] > -np.inf:
                        void += foot - column_hi[c, d, k]
                    break
        alone = 0
        for m in range(sides.shape[0]):
            c, d = i + sides[m, 0], j + sides[m, 1]
            if c < 0 or d < 0 or c >= nx or d >= nz:
                continue
            at = y + middles[m]
            touches = False
            for k in range(column_count[c, d]):
                if column_lo[c, d, k] <= at <= column_hi[c, d, k]:
                    touches = True
                    break
            if not touches:
                alone += 1
        cost[i, j] += taste.void * void / (cells.shape[0] * unit) + taste.touch * alone / max(1, sides.shape[0])
        known[i, j] = True
