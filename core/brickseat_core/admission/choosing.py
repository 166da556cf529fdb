"""Choosing: candidates in their order, each unless it is in the way of one that was chosen before it."""

from enum import IntEnum

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.cells import NONE, bucket_of
from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.scene import Vec

SIDES = 27
"""Cells of a grid about one of them, and that one."""


class Chosen(IntEnum):
    """What became of a candidate."""

    ADMITTED = 0
    UNABLE = 1
    IN_THE_WAY = 2
    CROWDED = 3
    FULL = 4


def chosen(
    able: NDArray[np.bool_],
    keeps: NDArray[np.bool_],
    start: NDArray[np.int64],
    earlier: NDArray[np.int64],
    at: Vec,
    radius: Vec,
    given: int,
    in_plan: bool,
    most: int,
) -> NDArray[np.int64]:
    """(n,) what becomes of n candidates, ``Chosen``, until ``most`` of them are admitted.

    ``able``: (n,) whether it can stand at all. ``keeps``: (n,) whether it is admitted whoever is in its way, since only its place is kept.
    ``start`` (n + 1,), ``earlier``: of each the numbers of the earlier candidates that it cannot stand with. ``at`` (given + n, 3),
    ``radius`` (given + n,) metres: room that each keeps free; the first ``given`` have theirs already. ``in_plan``: circles lie
    level, and what lies higher or lower by more than the two radii is in nobody's way.
    """
    cell = 2.0 * float(radius.max(initial=0.0))
    found: NDArray[np.int64] = chosen_kernel(
        able, keeps, start, earlier, np.ascontiguousarray(at), radius, given, cell, in_plan, most
    )
    return found


def with_room(at: Vec, radius: Vec, in_plan: bool) -> NDArray[np.bool_]:
    """(n,) which of points ``at`` (n, 3) have their ``radius`` (n,) metres free of all that were given room earlier.

    ``in_plan``: as ``chosen`` takes it.
    """
    n = len(at)
    nobody = np.zeros(0, np.int64)
    became = chosen(
        np.ones(n, np.bool_), np.zeros(n, np.bool_), np.zeros(n + 1, np.int64), nobody, at, radius, 0, in_plan, n
    )
    return np.equal(became, Chosen.ADMITTED)


@kernel
def chosen_kernel(able, keeps, start, earlier, at, radius, given, cell, in_plan, most):
    """As ``chosen``; ``cell``: metres of a cell of the grid, as much as two of the widest need."""
    n = able.shape[0]
    total = given + n
    buckets = 16
    while buckets < 2 * total:
        buckets *= 2
    mask = buckets - 1
    head = np.full(buckets, NONE)
    following = np.full(total, NONE)
    became = np.zeros(n, np.int64)
    admitted = 0
    for i in range(total):
        k = i - given
        x = y = z = np.int64(0)
        if cell > 0.0:
            x = np.int64(np.floor(at[i, 0] / cell))
            y = np.int64(np.floor(at[i, 1] / cell))
            z = np.int64(np.floor(at[i, 2] / cell))
        if k >= 0:
            if admitted >= most:
                became[k] = 4
                continue
            if not able[k]:
                became[k] = 1
                continue
            if not keeps[k]:
                for place in range(start[k], start[k + 1]):
                    if became[earlier[place]] == 0:
                        became[k] = 2
                        break
                if became[k] == 0 and cell > 0.0 and crowded(at, radius, i, x, y, z, head, following, mask, in_plan):
                    became[k] = 3
                if became[k] != 0:
                    continue
            admitted += 1
        if cell > 0.0:
            b = bucket_of(x, y, z, mask)
            following[i] = head[b]
            head[b] = i
    return became


@inner_kernel
def crowded(at, radius, i, x, y, z, head, following, mask, in_plan):
    """Does the room of point ``i``, which lies in cell (x, y, z), meet that of one which is in the grid?"""
    for side in range(SIDES):
        j = head[bucket_of(x + side // 9 - 1, y + side // 3 % 3 - 1, z + side % 3 - 1, mask)]
        while j >= 0:
            dx, dy, dz = at[i, 0] - at[j, 0], at[i, 1] - at[j, 1], at[i, 2] - at[j, 2]
            room = radius[i] + radius[j]
            if in_plan:
                near = dx * dx + dz * dz < room * room and abs(dy) < room
            else:
                near = dx * dx + dy * dy + dz * dz < room * room
            if near:
                return True
            j = following[j]
    return False
