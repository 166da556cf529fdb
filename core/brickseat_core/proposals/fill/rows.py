"""Rows: round pieces of one kind stand straight behind each other, or each in the gap of the row before; whichever holds more.

Rows in the gaps are the densest packing of equal circles in the plane (Lagrange; Thue, 1910). Within walls they may hold fewer.
"""

import math

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import maximum_filter

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.fill.fields import Field
from brickseat_core.proposals.fill.shapes import Shape
from brickseat_core.scene import Vec

ROUND = 0.02
"""Share of its radius by which a round outline may be nearer to its middle: a regular one of 16 corners is."""
ROUNDING = 1e-9
"""Metres by which what just fits may be too long by rounding."""
SAME_FLOOR = 1e-3
"""Metres within which places are on one floor."""
MOST_IN_ROWS = 20_000


def radius_of(mesh: Mesh, shape: Shape) -> float | None:
    """The radius of a shape that is round seen from above, its middle that of its box; None where it is not round."""
    if shape.boxy:
        return None
    plan = (mesh.used_vertices @ shape.basis.T)[:, [0, 2]] - 0.5 * (shape.lo + shape.hi)[[0, 2]]
    directions = np.linspace(0.0, 2.0 * np.pi, 64, endpoint=False)
    reach = (plan @ np.array([np.cos(directions), np.sin(directions)])).max(axis=0)
    radius = float(np.linalg.norm(plan, axis=1).max())
    return radius if float(reach.min()) >= (1.0 - ROUND) * radius else None


def fullest_rows(open_: NDArray[np.bool_], lo: Vec, hi: Vec, start: Vec, radius: float, h: float, away: Vec) -> Vec:
    """(n, 2) least corners along x and z of the rows that hold most on the lowest floor of a bay, the first row first; straight ones where
    others hold no more.

    ``open_``: as ``places_on_floor`` gives it, whose cells of ``h`` metres begin at ``start`` (2,). ``lo``, ``hi``: (2,) the box that is
    filled, along x and z. ``away``: (2,) unit, along an axis, from the row that is placed first to the last one.
    """
    best: Vec = np.empty((0, 2))
    if not open_.size:
        return best
    depth, across = (0, 1) if away[0] else (1, 0)
    for offset in (False, True):
        for along in (across, depth):
            corners = lo + lattice(hi - lo, radius, along, offset) - radius
            if away[depth] < 0.0:
                corners[:, depth] = lo[depth] + hi[depth] - 2.0 * radius - corners[:, depth]
            cells = np.round((corners - start) / h).astype(np.int64)
            i, j = np.clip(cells, 0, np.array(open_.shape) - 1).T
            found = corners[(np.abs(cells - np.stack([i, j], axis=1)) <= 1).all(axis=1) & open_[i, j]]
            if len(found) > len(best):
                far = np.round(found @ away / (0.1 * radius))
                best = found[np.lexsort((found[:, across], far))]
    return best


def places_on_floor(field: Field) -> NDArray[np.bool_]:
    """(nx, nz) whether a shape that begins in a cell, or in one beside it, finds room on the lowest floor."""
    height = field.height
    if not np.isfinite(height).any():
        return np.zeros(height.shape, np.bool_)
    floor: NDArray[np.bool_] = height <= float(height.min()) + SAME_FLOOR
    return np.asarray(maximum_filter(floor, size=3, mode="constant"))


def lattice(extent: Vec, radius: float, along: int, offset: bool) -> Vec:
    """(n, 2) middles of circles in a rectangle from 0 to ``extent`` (2,), in rows along an axis that follow each other along the other.

    ``offset``: each row stands in the gaps of the one before, as near to it as that allows.
    """
    wide, deep = float(extent[along]) + ROUNDING, float(extent[1 - along]) + ROUNDING
    if min(wide, deep) < 2.0 * radius:
        return np.empty((0, 2))
    # Where a row leaves less than a radius free, the next one is moved by a radius and holds one less.
    step = math.sqrt(3.0) * radius if offset else 2.0 * radius
    rows = []
    for k in range(min(MOST_IN_ROWS, int((deep - 2.0 * radius) / step) + 1)):
        start = radius * (2.0 if offset and k % 2 else 1.0)
        many = min(MOST_IN_ROWS, int((wide - start - radius) / (2.0 * radius)) + 1) if wide >= start + radius else 0
        row = np.full((many, 2), radius + k * step)
        row[:, along] = start + 2.0 * radius * np.arange(many)
        rows.append(row)
        if sum(map(len, rows)) >= MOST_IN_ROWS:
            break
    return np.concatenate(rows)
