"""Shapes: a prop in one size, on one side and in one turn, as the cells of a grid see it."""

from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from brickseat_core.budget import Budget
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.sides import resting_sides
from brickseat_core.placing.frames import PLUMB, shortest_rotation
from brickseat_core.proposals.fill.spans import extents_kernel
from brickseat_core.recipes.chance import chances
from brickseat_core.recipes.fill_schema import FillRule
from brickseat_core.scene import Vec, rotation_about

BOXY = 0.97
"""Share of its axis-aligned box that a shape takes, from which it is a box."""
MOST_SIDES = 6
FREE_TURNS = 24
MOST_TURNS = 24
"""Turns a prop is tried in at most."""
SIZES = 5
"""Sizes out of a range without steps: equal ones share their shapes."""
MOST_SIZES = 12
SAME_HEIGHT = 1e-7
"""Metres within which two shapes are the same cell by cell."""


class Raster(NamedTuple):
    """Lowest and highest heights (wx, wz) in the cells of a body from cell (``i``, ``j``) on; the first above the second where it is not."""

    i: int
    j: int
    bottom: Vec
    top: Vec


class Shape(NamedTuple):
    """``prop``: its number in the recipe. ``size``: its factor. ``basis``: (3, 3) in the frame of the grid. ``lo``, ``hi``: its box there
    about its origin. ``boxy``: whether it is a box. ``centre``: height of its centre of mass over its origin. ``raster``: from
    its least corner on, heights over its origin."""

    prop: int
    size: float
    basis: Vec
    lo: Vec
    hi: Vec
    boxy: bool
    centre: float
    raster: Raster


def sizes_of(rule: FillRule) -> list[float]:
    """The sizes that a prop may have, the least first."""
    low, high = rule.size
    if high == low:
        return [low]
    if rule.size_step > 0.0:
        many = int(np.floor((high - low) / rule.size_step + 1e-9)) + 1
        # Too many of them to try each: some, evenly from the least to the largest.
        some = np.unique(np.round(np.linspace(0, many - 1, min(many, MOST_SIZES))).astype(np.int64)).tolist()
        return [low + rule.size_step * k for k in some]
    return [float(size) for size in np.linspace(low, high, SIZES)]


def turns_of(rule: FillRule, seed: int) -> list[float]:
    """Degrees about the vertical that a prop may have; where any will do, ``FREE_TURNS`` of them, by chance not square."""
    if rule.turn_step_deg == 0.0:
        phase = float(chances(np.zeros(1, np.int64), seed, "turns", rule.identity)[0])
        return [(k + phase) * 360.0 / FREE_TURNS for k in range(FREE_TURNS)]
    many = max(1, int(np.ceil(360.0 / rule.turn_step_deg - 1e-9)))
    turns = [rule.turn_step_deg * k for k in range(many)]
    return turns if many <= MOST_TURNS else [turns[k * many // MOST_TURNS] for k in range(MOST_TURNS)]


def sides_of(mesh: Mesh, rule: FillRule) -> list[Vec]:
    """(3, 3) rotations that bring each side that it may stand on down."""
    if rule.sides == "base":
        return [np.eye(3)]
    found = [tidy(shortest_rotation(np.array(side.down), -PLUMB)) for side in resting_sides(mesh)[:MOST_SIDES]]
    return found or [np.eye(3)]


def tidy(rotation: Vec) -> Vec:
    """A rotation without the rounding of right angles."""
    whole = np.round(rotation)
    return np.where(np.abs(rotation - whole) < 1e-12, whole, rotation) + 0.0


def box_at(mesh: Mesh, basis: Vec) -> tuple[Vec, Vec]:
    """The axis-aligned box (lo, hi) of a mesh at a basis, about its origin: of its corners, not of its own box."""
    vertices = mesh.used_vertices @ basis.T
    return vertices.min(axis=0), vertices.max(axis=0)


def is_boxy(mesh: Mesh, basis: Vec) -> bool:
    """Whether a mesh at a basis all but fills its axis-aligned box."""
    lo, hi = box_at(mesh, basis)
    extent = hi - lo
    volume = abs(mesh.mass[0] * float(np.linalg.det(basis)))
    return mesh.health.closed and volume > BOXY * float(np.prod(extent))


def bases_of_rule(mesh: Mesh, rule: FillRule, seed: int) -> list[Vec]:
    """(3, 3) bases of size 1 that a prop may have, in the frame of the grid."""
    sides = sides_of(mesh, rule)
    turns = turns_of(rule, seed)
    return [tidy(rotation_about(PLUMB, np.radians(turn)) @ side) for side in sides for turn in turns]


def shapes_of(
    mesh: Mesh, prop: int, bases: Iterable[Vec], size: float, h: float, room: Vec, budget: Budget
) -> list[Shape]:
    """The shapes of a prop in one size at ``bases``, those that are the same cell by cell once. ``h``: size of a cell. ``room``: (3,) metres
    that one may be wide, high and long: what is larger is not made. Raises GivenUp."""
    found: list[Shape] = []
    seen: set[tuple[object, ...]] = set()
    for unit in bases:
        budget.check()
        lo, hi = box_at(mesh, size * unit)
        if (hi - lo > room).any():
            continue
        shape = shape_of(mesh, prop, size, size * unit, h)
        raster = shape.raster
        cells = np.where(np.isfinite(raster.bottom), np.round(raster.bottom / SAME_HEIGHT), 0.0)
        tops = np.where(np.isfinite(raster.top), np.round(raster.top / SAME_HEIGHT), 0.0)
        same = (raster.bottom.shape, cells.tobytes(), tops.tobytes())
        if same not in seen:
            seen.add(same)
            found.append(shape)
    return found


def shape_of(mesh: Mesh, prop: int, size: float, basis: Vec, h: float) -> Shape:
    """One shape, its cells of size ``h`` from its least corner on.

    A box has only so many cells as it covers wholly: it is brought up to what stands beside it afterwards. All else has each
    cell that it reaches.
    """
    lo, hi = box_at(mesh, basis)
    centre = float((basis @ mesh.mass[1])[1])
    boxy = is_boxy(mesh, basis)
    if boxy:
        wx, wz = (max(1, int(np.floor((hi[k] - lo[k]) / h + 1e-6))) for k in (0, 2))
        raster = Raster(0, 0, np.full((wx, wz), lo[1]), np.full((wx, wz), hi[1]))
    else:
        wx, wz = (max(1, int(np.ceil((hi[k] - lo[k]) / h - 1e-6))) for k in (0, 2))
        triangles = np.ascontiguousarray((mesh.vertices @ basis.T)[mesh.faces])
        raster = Raster(0, 0, *extents_kernel(triangles, lo[0], lo[2], h, wx, wz))
    return Shape(prop, size, basis, lo, hi, boxy, centre, raster)


def without_hollows(raster: Raster) -> Raster:
    """A raster each of whose cells reaches up as far as the whole: nothing comes to stand in it."""
    top = np.where(raster.bottom <= raster.top, raster.top[np.isfinite(raster.top)].max(), raster.top)
    return Raster(raster.i, raster.j, raster.bottom, top)


def body_raster(triangles: Vec, x0: float, z0: float, h: float) -> Raster:
    """The cells that ``triangles`` (n, 3, 3) of a body reach, where it stands on a grid from (``x0``, ``z0``) on."""
    lo, hi = triangles.min(axis=(0, 1)), triangles.max(axis=(0, 1))
    i, j = int(np.floor((lo[0] - x0) / h)), int(np.floor((lo[2] - z0) / h))
    wx, wz = int(np.floor((hi[0] - x0) / h)) - i + 1, int(np.floor((hi[2] - z0) / h)) - j + 1
    return Raster(i, j, *extents_kernel(triangles, x0 + i * h, z0 + j * h, h, wx, wz))


def box_raster(lo: Vec, hi: Vec, x0: float, z0: float, h: float) -> Raster:
    """The cells of a box that stands on a grid, its sides at the nearest lines: two boxes with room between them find it."""
    i, j = round((lo[0] - x0) / h), round((lo[2] - z0) / h)
    wx, wz = max(1, round((hi[0] - x0) / h) - i), max(1, round((hi[2] - z0) / h) - j)
    return Raster(i, j, np.full((wx, wz), lo[1]), np.full((wx, wz), hi[1]))
