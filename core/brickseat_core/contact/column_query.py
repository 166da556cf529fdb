"""A query: one mover among the pieces near it, all that a kernel needs to know of both, in the frame of the travel."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.arena import Forest
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import Mover, Near, near_kernel, transforms_kernel
from brickseat_core.contact.kernels.pairs import Axes, axes_kernel
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Vec


class Query(NamedTuple):
    """``rows``: (n,) the pieces near the mover; ``roots``: (n,) where their trees begin. ``matrix`` (n, 3, 3), ``offset``
    (n, 3): from the coordinates of each into the mover's frame. ``facing``: (n,) +1 / -1 where their outside is known
    there, else 0. ``axes``: as they see it."""

    forest: Forest
    mover: Mover
    rows: NDArray[np.int64]
    roots: NDArray[np.int64]
    matrix: Vec
    offset: Vec
    facing: Vec
    axes: Axes


def query_of(index: SceneIndex, mover: Mover, near: Near) -> Query:
    """The query of ``mover`` among the pieces ``near`` it."""
    found: Query = query_kernel(index.forest, index.placed, mover, near.rows, near.matrix, near.offset, near.facing)
    return found


@kernel
def query_kernel(forest, placed, mover, rows, matrix, offset, facing):
    """As ``query_of``."""
    axes = axes_kernel(placed, rows, mover, matrix, offset)
    roots = np.empty(rows.shape[0], np.int64)
    for i in range(rows.shape[0]):
        roots[i] = placed.root[rows[i]]
    return Query(forest, mover, rows, roots, matrix, offset, facing, axes)


@nested_kernel
def column_query_kernel(forest, placed, count, mover, origin, skip, margin):
    """The query of ``mover``, whose pose has this origin, among all of ``count`` rows whose box comes within ``margin``
    metres of its column, without row ``skip``."""
    rows = near_kernel(placed, count, mover.frame, origin, mover.lo[0] - margin, mover.hi[0] + margin, skip)
    matrix, offset, facing = transforms_kernel(placed, rows, mover.frame, origin)
    return query_kernel(forest, placed, mover, rows, matrix, offset, facing)


@nested_kernel
def row_query_kernel(query, i):
    """The same query of the ``i``-th of its rows alone."""
    j = i + 1
    axes = Axes(query.axes.back[i:j], query.axes.over[i:j], query.axes.away[i:j])
    matrix, offset, facing = query.matrix[i:j], query.offset[i:j], query.facing[i:j]
    return Query(query.forest, query.mover, query.rows[i:j], query.roots[i:j], matrix, offset, facing, axes)


@nested_kernel
def raised_query_kernel(query, lift):
    """The same query of the mover raised by ``lift`` metres against its travel."""
    mover, axes = query.mover, query.axes
    offset = query.offset.copy()
    away = axes.away.copy()
    for i in range(offset.shape[0]):
        offset[i, 2] -= lift
        for k in range(3):
            away[i, k] -= mover.own[k, 2] * lift
    raised = Axes(axes.back, axes.over, away)
    return Query(query.forest, mover, query.rows, query.roots, query.matrix, offset, query.facing, raised)
