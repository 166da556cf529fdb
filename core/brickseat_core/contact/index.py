"""The scene's index: one tree per mesh, one row per piece, and the mover that is tried against them."""

import os
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Set, Vec

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


class Mover(NamedTuple):
    """A mesh turned into the frame of a direction, relative to its own position.

    ``frame``: (3, 3), rows u, v, w with w against the travel. ``tri``: (m, 3, 3). ``lo``, ``hi``: refitted
    boxes of its nodes. ``node0``, ``tri0``: where its tree begins in the forest. ``facing``: +1 / -1 when
    its outside is where its triangles turn anticlockwise / clockwise, 0 when it has no outside.
    """

    frame: Vec
    tri: Vec
    lo: Vec
    hi: Vec
    node0: int
    tri0: int
    facing: float


class Near(NamedTuple):
    """The pieces in a mover's column: their rows, their transforms into its frame, and their facing."""

    rows: NDArray[np.int64]
    matrix: Vec
    offset: Vec
    facing: Vec


class Body(NamedTuple):
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


@dataclass(frozen=True)
class MeshSpan:
    number: int
    node0: int
    nodes: int
    tri0: int
    triangles: int


def frame_along(direction: Vec) -> Vec:
    """(3, 3) right-handed frame with rows u, v, w and w = -direction; exact for axis directions."""
    return np.asarray(frame_kernel(np.asarray(direction, dtype=np.float64)))


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
        for piece in pieces:
            self.put(piece)
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
        span = self.span(piece.prop.mesh)
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
        placed = self.placed
        linear = piece.pose.linear
        placed.root[row] = span.node0
        placed.linear[row] = linear
        placed.inverse[row] = np.linalg.inv(linear)
        placed.origin[row] = piece.pose.origin
        placed.lo[row], placed.hi[row] = piece.world_box()
        placed.sense[row] = self._sense(piece)
        placed.closed[row] = piece.prop.mesh.health.closed
        return row

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


@kernel
def frame_kernel(direction):  # type: ignore[no-untyped-def]
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
def handedness(m):  # type: ignore[no-untyped-def]
    """Sign of the determinant of a (3, 3) matrix."""
    return np.sign(
        m[0, 0] * (m[1, 1] * m[2, 2] - m[1, 2] * m[2, 1])
        - m[0, 1] * (m[1, 0] * m[2, 2] - m[1, 2] * m[2, 0])
        + m[0, 2] * (m[1, 0] * m[2, 1] - m[1, 1] * m[2, 0])
    )


@kernel
def turned_kernel(frame, linear):  # type: ignore[no-untyped-def]
    """(3, 3) ``frame`` times ``linear``."""
    matrix = np.empty((3, 3))
    for a in range(3):
        for b in range(3):
            matrix[a, b] = frame[a, 0] * linear[0, b] + frame[a, 1] * linear[1, b] + frame[a, 2] * linear[2, b]
    return matrix


@kernel
def mover_kernel(forest, body, linear, frame):  # type: ignore[no-untyped-def]
    """The mover of a mesh at a pose of this linear part, in ``frame``."""
    matrix = turned_kernel(frame, linear)
    tri, lo, hi = turn_kernel(forest, body.node0, body.nodes, body.tri0, body.triangles, matrix)
    return Mover(frame, tri, lo, hi, body.node0, body.tri0, body.outside * handedness(linear))


@kernel
def turn_kernel(forest, node0, nodes, tri0, triangles, matrix):  # type: ignore[no-untyped-def]
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
def near_kernel(placed, rows, frame, origin, lo, hi, skip):  # type: ignore[no-untyped-def]
    found = np.empty(rows, np.int64)
    n = 0
    for r in range(rows):
        if placed.root[r] < 0 or r == skip:
            continue
        meets = True
        for c in range(2):
            middle, reach = 0.0, 0.0
            for k in range(3):
                middle += frame[c, k] * (0.5 * (placed.lo[r, k] + placed.hi[r, k]) - origin[k])
                reach += abs(frame[c, k]) * 0.5 * (placed.hi[r, k] - placed.lo[r, k])
            if middle - reach > hi[c] or middle + reach < lo[c]:
                meets = False
                break
        if meets:
            found[n] = r
            n += 1
    return found[:n].copy()


@kernel
def transforms_kernel(placed, rows, frame, origin):  # type: ignore[no-untyped-def]
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
        facing[i] = placed.sense[r] * handedness(placed.linear[r])
    return matrix, offset, facing


@kernel
def outline_kernel(body, linear, origin):  # type: ignore[no-untyped-def]
    """A body at a pose, in the world: its axis-aligned box (lo, hi), and its probes (2k, 3)."""
    lo = origin.copy()
    hi = origin.copy()
    probes = np.empty_like(body.probes)
    for k in range(3):
        for c in range(3):
            a, b = linear[k, c] * body.lo[c], linear[k, c] * body.hi[c]
            lo[k] += min(a, b)
            hi[k] += max(a, b)
    for i in range(probes.shape[0]):
        for k in range(3):
            probes[i, k] = origin[k]
            for c in range(3):
                probes[i, k] += linear[k, c] * body.probes[i, c]
    return lo, hi, probes
