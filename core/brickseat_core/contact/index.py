"""The scene's index: one tree per mesh, one row per piece."""

import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.mover import Body, Mover, Near, frame_along, mover_kernel, near_kernel, transforms_kernel
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Set, Triple, Vec

SHEET, SOLID, GROUND = 0, 1, 2


class Forest(NamedTuple):
    """The trees of all meshes, end to end; ``child`` and ``start`` count from the whole."""

    lo: Vec
    hi: Vec
    child: NDArray[np.int32]
    start: NDArray[np.int32]
    length: NDArray[np.int32]
    corners: Vec


class Placed(NamedTuple):
    """One row per piece. ``sense`` is +1 / -1 where its outside is known (solids, ground), else 0; ``closed``
    tells solids from ground."""

    root: NDArray[np.int64]
    linear: Vec
    inverse: Vec
    origin: Vec
    lo: Vec
    hi: Vec
    sense: Vec
    closed: NDArray[np.bool_]


@dataclass(frozen=True)
class MeshSpan:
    number: int
    node0: int
    nodes: int
    tri0: int
    triangles: int


def plant(meshes: Iterable[Mesh]) -> None:
    """Build the trees of ``meshes`` and judge their health, side by side."""
    with ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1)) as pool:
        for mesh in meshes:
            pool.submit(lambda mesh: mesh.tree, mesh)
            pool.submit(lambda mesh: mesh.health, mesh)


class SceneIndex:
    """Everything that stands in a set, ready to be asked. Kept up to date piece by piece."""

    def __init__(self, pieces: Iterable[Piece] = ()) -> None:
        self._spans: dict[int, MeshSpan] = {}
        self._bodies: dict[int, Body] = {}
        self._last: tuple[Mesh, Pose, Triple, Mover] | None = None
        self._meshes: list[Mesh] = []
        self.keys: list[str | None] = []
        self.row: dict[str, int] = {}
        self.pieces: dict[str, Piece] = {}
        self._rooms: list[int] = []
        self._forest: Forest | None = None
        self._free: list[int] = []
        self._grow(16)
        pieces = list(pieces)
        plant({id(piece.prop.mesh): piece.prop.mesh for piece in pieces}.values())
        self.put_all(pieces)
        self.judge_senses()

    @classmethod
    def of(cls, dressed: Set) -> "SceneIndex":
        return cls(dressed.pieces.values())

    def _grow(self, room: int) -> None:
        def larger(old: NDArray[np.float64], shape: tuple[int, ...]) -> Vec:
            new = np.zeros(shape)
            new[: len(old)] = old
            return new

        if not hasattr(self, "placed"):
            empty = np.zeros((0, 3))
            self.placed = Placed(
                np.zeros(0, np.int64),
                np.zeros((0, 3, 3)),
                np.zeros((0, 3, 3)),
                empty,
                empty,
                empty,
                np.zeros(0),
                np.zeros(0, np.bool_),
            )
        old = self.placed
        root = np.full(room, -1, np.int64)
        root[: len(old.root)] = old.root
        closed = np.zeros(room, np.bool_)
        closed[: len(old.closed)] = old.closed
        self.placed = Placed(
            root,
            larger(old.linear, (room, 3, 3)),
            larger(old.inverse, (room, 3, 3)),
            larger(old.origin, (room, 3)),
            larger(old.lo, (room, 3)),
            larger(old.hi, (room, 3)),
            larger(old.sense, (room,)),
            closed,
        )

    @property
    def forest(self) -> Forest:
        if self._forest is None:
            trees = [mesh.tree for mesh in self._meshes]
            spans = [self._spans[id(mesh)] for mesh in self._meshes]
            pairs = list(zip(trees, spans, strict=True))
            self._forest = Forest(
                np.concatenate([t.lo for t in trees]),
                np.concatenate([t.hi for t in trees]),
                np.concatenate([np.where(t.child >= 0, t.child + s.node0, -1).astype(np.int32) for t, s in pairs]),
                np.concatenate([(t.start + s.tri0).astype(np.int32) for t, s in pairs]),
                np.concatenate([t.length for t in trees]),
                np.concatenate([t.corners for t in trees]),
            )
        return self._forest

    def span(self, mesh: Mesh) -> MeshSpan:
        """Where the tree of ``mesh`` lies in the forest; it is planted when it is new."""
        found = self._spans.get(id(mesh))
        if found is None:
            last = self._spans[id(self._meshes[-1])] if self._meshes else MeshSpan(-1, 0, 0, 0, 0)
            found = MeshSpan(
                last.number + 1,
                last.node0 + last.nodes,
                len(mesh.tree.child),
                last.tri0 + last.triangles,
                len(mesh.tree.corners),
            )
            self._spans[id(mesh)] = found
            self._meshes.append(mesh)
            self._forest = None
        return found

    def put(self, piece: Piece) -> int:
        """Add a piece, or move the one of the same key. Returns its row."""
        row = self._row_for(piece)
        self._place([(row, piece)])
        return row

    def put_all(self, pieces: Iterable[Piece]) -> None:
        """As ``put``, of many in one go."""
        self._place([(self._row_for(piece), piece) for piece in pieces])

    def _row_for(self, piece: Piece) -> int:
        row = self.row.get(piece.key)
        if row is None:
            if self._free:
                row = self._free.pop()
            else:
                row = len(self.keys)
                self.keys.append(None)
                if row >= len(self.placed.root):
                    self._grow(2 * row)
            self.row[piece.key] = row
            self.keys[row] = piece.key
        self.pieces[piece.key] = piece
        return row

    def _place(self, standing: list[tuple[int, Piece]]) -> None:
        """Write the rows of pieces, all in one go: a set is opened with thousands."""
        if not standing:
            return
        placed = self.placed
        rows = np.array([row for row, _ in standing])
        meshes = [piece.prop.mesh for _, piece in standing]
        linear = np.stack([piece.pose.linear for _, piece in standing])
        origin = np.stack([piece.pose.origin for _, piece in standing])
        boxes = np.array([mesh.box for mesh in meshes])
        middle = np.einsum("nij,nj->ni", linear, 0.5 * (boxes[:, 0] + boxes[:, 1])) + origin
        extent = np.einsum("nij,nj->ni", np.abs(linear), 0.5 * (boxes[:, 1] - boxes[:, 0]))
        placed.root[rows] = [self.span(mesh).node0 for mesh in meshes]
        placed.linear[rows] = linear
        placed.inverse[rows] = np.linalg.inv(linear)
        placed.origin[rows] = origin
        placed.lo[rows], placed.hi[rows] = middle - extent, middle + extent
        placed.sense[rows] = [self._sense(piece) for _, piece in standing]
        placed.closed[rows] = [mesh.health.closed for mesh in meshes]

    def remove(self, key: str) -> None:
        row = self.row.pop(key)
        del self.pieces[key]
        self.keys[row] = None
        self.placed.root[row] = -1
        self._free.append(row)

    @contextmanager
    def visiting(self, mesh: Mesh) -> Iterator[None]:
        """``mesh`` has a tree in the forest for as long as this lasts, and leaves no trace of it."""
        before = self.forest
        self.span(mesh)
        try:
            yield
        finally:
            while self._meshes[-1] is not mesh:
                # Planted meanwhile, by a move that put something new: its pieces are gone again.
                self._uproot()
            self._uproot()
            self._forest = before

    def _uproot(self) -> None:
        last = id(self._meshes.pop())
        del self._spans[last]
        self._bodies.pop(last, None)
        self._last = None

    def _sense(self, piece: Piece) -> float:
        mesh = piece.prop.mesh
        if mesh.health.closed:
            return -1.0 if mesh.health.inward else 1.0
        if piece.role == "bearer" and abs(mesh.uprightness) > 0.95:
            return 1.0 if mesh.uprightness > 0 else -1.0
        return 0.0

    def kind(self, piece: Piece) -> int:
        sense = self.placed.sense[self.row[piece.key]]
        if sense == 0.0:
            return SHEET
        return SOLID if piece.prop.mesh.health.closed else GROUND

    def judge_senses(self) -> None:
        """Tell rooms from solids turned inside out, and ground from awnings.

        A closed mesh facing inward is a room when something stands wholly within it (its inside is free),
        otherwise a solid with flipped faces. An open height field is ground (nothing belongs below it)
        unless another bearer lies under it.
        """
        placed = self.placed
        for key, piece in self.pieces.items():
            row = self.row[key]
            health = piece.prop.mesh.health
            placed.sense[row] = sense = self._sense(piece)
            if sense == 0.0 or (health.closed and not health.inward):
                continue
            others = np.array([r for k, r in self.row.items() if k != key], dtype=np.int64)
            if not len(others):
                continue
            if health.closed:
                within = (placed.lo[others] >= placed.lo[row] - 1e-3) & (placed.hi[others] <= placed.hi[row] + 1e-3)
                if within.all(axis=1).any():
                    placed.sense[row] = 0.0
            else:
                bearers = np.array([self.pieces[self.keys[r] or ""].role == "bearer" for r in others])
                below = placed.hi[others, 1] < placed.lo[row, 1]
                across = (placed.lo[others] < placed.hi[row]) & (placed.hi[others] > placed.lo[row])
                if (bearers & below & across[:, 0] & across[:, 2]).any():
                    placed.sense[row] = 0.0

    def mover(self, mesh: Mesh, pose: Pose, frame: Vec) -> Mover:
        """``mesh`` at ``pose``, in ``frame`` and relative to the pose's position."""
        body = self.body(mesh)
        return Mover(*mover_kernel(self.forest, body, pose.linear, frame))

    def mover_along(self, mesh: Mesh, pose: Pose, direction: Triple) -> Mover:
        """``mesh`` in the frame of its direction; the last one again when it is only carried along, not turned."""
        last = self._last
        if last is not None and last[0] is mesh and last[1].basis == pose.basis and last[2] == direction:
            return last[3]
        made = self.mover(mesh, pose, frame_along(np.asarray(direction)))
        self._last = (mesh, pose, direction, made)
        return made

    def body(self, mesh: Mesh) -> Body:
        """What a kernel needs to make a mover of ``mesh``."""
        found = self._bodies.get(id(mesh))
        if found is None:
            span = self.span(mesh)
            outside = 0.0 if not mesh.health.closed else -1.0 if mesh.health.inward else 1.0
            found = self._bodies[id(mesh)] = Body(
                span.node0, span.nodes, span.tri0, span.triangles, outside, *mesh.box, mesh.mass[1], mesh.probes
            )
        return found

    def with_body(self, mesh: Mesh) -> tuple[Forest, Placed, int, Body]:
        """What kernels that move ``mesh`` begin with: the trees, with its own among them, what stands, and its body."""
        body = self.body(mesh)
        return self.forest, self.placed, len(self.keys), body

    def near(self, mover: Mover, origin: Vec, skip: int = -1, margin: float = 0.0) -> Near:
        """All pieces whose box comes within ``margin`` metres of the mover's column, without row ``skip``."""
        lo, hi = mover.lo[0] - margin, mover.hi[0] + margin
        rows = near_kernel(self.placed, len(self.keys), mover.frame, origin, lo, hi, skip)
        return Near(rows, *transforms_kernel(self.placed, rows, mover.frame, origin))

    def only(self, mover: Mover, origin: Vec, rows: Iterable[int]) -> Near:
        """Just these rows, whether or not they are in the column."""
        chosen = np.array(list(rows), dtype=np.int64)
        return Near(chosen, *transforms_kernel(self.placed, chosen, mover.frame, origin))
