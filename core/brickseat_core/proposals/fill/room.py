"""The room in a bay: what stands in it and about it, cell by cell, and the walls that nothing may pass."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import NamedTuple

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.proposals.fill.bay import Bay
from brickseat_core.proposals.fill.shapes import Raster, Shape, body_raster, box_raster, is_boxy, without_hollows
from brickseat_core.proposals.fill.snapping import Snapping, wall_planes
from brickseat_core.proposals.fill.spans import (
    Cells,
    block_body_cells_kernel,
    block_ground_kernel,
    block_inside_kernel,
    block_outside_kernel,
    block_surface_kernel,
    free_cells,
)
from brickseat_core.scene import Piece, Pose, Prop, Vec

WALLS = "the walls of the bay"
NONE = np.zeros((0, 3, 3))
ABOUT = 1e-3
"""Metres about the bay in which what stands is looked at."""
CELLS_AT_A_TIME = 50_000
"""Cells that are looked at in one call: what is asked meanwhile whether it goes on is asked often enough."""


class Body(NamedTuple):
    """What stands on the grid: all the cells that it reaches; those that count for boxes; and all of them as if its hollows were filled."""

    cautious: Raster
    square: Raster
    closed: Raster

    def as_for(self, shape: Shape, nest: bool) -> Raster:
        """Its cells as they count for a shape. ``nest``: whether that may stand in hollows."""
        return self.square if shape.boxy else self.cautious if nest else self.closed

    def up_to_the_ceiling(self) -> "Body":
        """The same, with all room above it."""
        return Body(*(r._replace(top=np.where(r.bottom <= r.top, np.inf, r.top)) for r in self))


class Room:
    """A bay on a set, being filled. ``index``: a fork of its own. ``h``: size of a cell of the grid.

    Two pictures are kept of what is blocked. ``cautious`` blocks all that anything reaches, for shapes of any kind. ``square`` puts walls
    and boxes on the nearest lines, for boxes, which are brought up to them exactly.
    """

    def __init__(self, index: SceneIndex, bay: Bay, h: float, check_budget: Callable[[], None]) -> None:
        """``check_budget``: raises GivenUp where the budget says so."""
        self.index, self.bay, self.h = index, bay, h
        self._check_budget = check_budget
        walls = bay.walls()
        self._keep_out_rows: list[int] = []
        self._wall_in(Piece(WALLS, WALLS, Prop(WALLS, WALLS, walls), Pose((0.0, 0.0, 0.0)), "bearer"))
        # The cells begin at the bay itself, where real walls stand mostly.
        vertices = bay.solid.vertices @ bay.turn
        self.lo, self.hi = vertices.min(axis=0), vertices.max(axis=0)
        extent = self.hi - self.lo
        nx, nz = (max(1, int(np.ceil(extent[k] / h - 1e-3))) for k in (0, 2))
        self.cautious, self.square = free_cells(nx, nz), free_cells(nx, nz)
        triangles = np.ascontiguousarray((walls.vertices @ bay.turn)[walls.faces])
        for cells, upright in ((self.cautious, True), (self.square, False)):
            for slab, grid in self._slabs(cells):
                block_outside_kernel(*slab, triangles, *grid, -1)
                block_surface_kernel(*slab, triangles, *grid, upright)
        self._stand_in()

    @property
    def grid(self) -> tuple[float, float, float]:
        """Where its cells begin along x and z, and their size."""
        return float(self.lo[0]), float(self.lo[2]), self.h

    def _slabs(self, cells: Cells) -> Iterator[tuple[Cells, tuple[float, float, float]]]:
        """All of ``cells`` a few rows at a time, each time with the grid that begins at them: what is looked at in one go stays small.

        Raises GivenUp.
        """
        x0, z0, h = self.grid
        nx, nz = cells.many.shape
        rows = max(1, CELLS_AT_A_TIME // nz)
        for begin in range(0, nx, rows):
            self._check_budget()
            end = begin + rows
            yield Cells(cells.lo[begin:end], cells.hi[begin:end], cells.many[begin:end]), (x0 + begin * h, z0, h)

    def _wall_in(self, piece: Piece) -> None:
        """Something that nothing may pass, and that bears nothing."""
        row = self.index.put(piece)
        # A closed thing about the bay is a room from now on: its inside is free.
        self.index.judge_senses()
        # It is not to be taken for a solid: what is inside it stands free.
        self.index.placed.sense[row] = 0.0
        self._keep_out_rows.append(row)

    def _stand_in(self) -> None:
        """Write what stands in the bay into the cells."""
        planes = [wall_planes(self.bay.in_frame)]
        # The walls of the bay look inward for who is inside.
        planes[0][:, 2] *= -1.0
        placed = self.index.placed
        boxes = []
        for key, piece in self.index.pieces.items():
            row = self.index.row[key]
            if row in self._keep_out_rows:
                continue
            self._check_budget()
            whole = self._in_frame(piece) if self._may_reach_in(piece) else NONE
            triangles = self._near(whole)
            if not len(triangles):
                continue
            mesh = self.index.mesh_of(piece)
            basis = self.bay.turn.T @ piece.pose.linear
            planes.append(wall_planes(triangles))
            if placed.sense[row] > 0.0 and is_boxy(mesh, basis):
                vertices = mesh.used_vertices @ basis.T + self.bay.turn.T @ piece.pose.origin
                boxes.append((vertices.min(axis=0), vertices.max(axis=0)))
            sense = placed.sense[row] * (1.0 if np.linalg.det(piece.pose.linear) > 0.0 else -1.0)
            for cells, upright in ((self.cautious, True), (self.square, False)):
                for slab, grid in self._slabs(cells):
                    block_surface_kernel(*slab, triangles, *grid, upright)
                    if mesh.health.closed and placed.sense[row] != 0.0:
                        # Its whole shape: where a line goes in may be far above or below the bay.
                        block_inside_kernel(*slab, whole, *grid, int(sense))
                    elif placed.sense[row] != 0.0:
                        block_ground_kernel(*slab, triangles, *grid)
        self.snapping = Snapping(np.concatenate(planes))
        for lo, hi in boxes:
            self.snapping.add(lo, hi)

    def _in_frame(self, piece: Piece) -> Vec:
        """(n, 3, 3) the triangles of a piece in the frame of the bay."""
        mesh = self.index.mesh_of(piece)
        return np.ascontiguousarray((piece.pose.apply(mesh.vertices) @ self.bay.turn)[mesh.faces])

    def _may_reach_in(self, piece: Piece) -> bool:
        """Whether the box of a piece reaches into that of the bay."""
        (lo, hi), (bay_lo, bay_hi) = self.index.box_of(piece), self.bay.solid.box
        return bool((hi >= bay_lo - ABOUT).all() and (lo <= bay_hi + ABOUT).all())

    def _near(self, triangles: Vec) -> Vec:
        """(n, 3, 3) those of ``triangles`` (m, 3, 3), in the frame of the bay, whose boxes reach into its box."""
        lo, hi = triangles.min(axis=1), triangles.max(axis=1)
        near = ((hi >= self.lo - ABOUT) & (lo <= self.hi + ABOUT)).all(axis=1)
        return np.ascontiguousarray(triangles[near])

    def leave_free(self, front: Vec, metres: float) -> None:
        """Leave so much room free along the open side. ``front``: (3,) in the frame."""
        if metres <= 0.0:
            return
        axis = int(np.argmax(np.abs(front)))
        for cells in (self.cautious, self.square):
            many = cells.many.shape[0 if axis == 0 else 1]
            start = self.lo[axis]
            lines = start + self.h * np.arange(many)
            limit = (self.hi[axis] - metres) if front[axis] > 0.0 else (start + metres)
            chosen = lines + self.h > limit + 1e-9 if front[axis] > 0.0 else lines < limit - 1e-9
            some = (chosen, slice(None)) if axis == 0 else (slice(None), chosen)
            cells.lo[(*some, 0)], cells.hi[(*some, 0)], cells.many[some] = -np.inf, np.inf, 1

    def body_of(self, piece: Piece, shape: Shape | None) -> Body:
        """The cells of a piece. ``shape``: what it is a copy of, where it stands as that has it."""
        body = body_raster(self._in_frame(piece), *self.grid)
        if shape is None or not shape.boxy:
            return Body(body, body, without_hollows(body))
        corner = self.bay.turn.T @ piece.pose.origin
        lo, hi = corner + shape.lo, corner + shape.hi
        self.snapping.add(lo, hi)
        return Body(body, box_raster(lo, hi, *self.grid), body)

    def take(self, body: Body) -> None:
        """Block the cells of a body that stands from now on."""
        for cells, raster in ((self.cautious, body.cautious), (self.square, body.square)):
            block_body_cells_kernel(*cells, raster.i, raster.j, raster.bottom, raster.top)

    def keep_free(self, piece: Piece) -> None:
        """The room of a piece that was taken out: nothing may reach into it or stand on it."""
        self._wall_in(piece)

    @contextmanager
    def without_walls(self) -> Iterator[SceneIndex]:
        """What really stands: the walls of the bay bear nothing."""
        roots = self.index.placed.root
        held = [(row, int(roots[row])) for row in self._keep_out_rows]
        for row, _ in held:
            roots[row] = -1
        try:
            yield self.index
        finally:
            for row, root in held:
                self.index.placed.root[row] = root

    def columns(self, shape: Shape) -> Cells:
        """What is blocked, as it counts for a shape."""
        return self.square if shape.boxy else self.cautious
