"""The scene's index: a snapshot of what stands in a set, one row per piece, ready to be asked."""

import os
from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.arena import Forest, MeshArena, Span
from brickseat_core.contact.boxes import meeting
from brickseat_core.contact.kernels.mover import (
    Mover,
    MovingMesh,
    Near,
    frame_along,
    mover_kernel,
    near_kernel,
    transforms_kernel,
)
from brickseat_core.contact.kernels.placed_rows import place_kernel
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Bodies, Piece, Pose, Triple, Vec

SHEET, SOLID, GROUND = 0, 1, 2
ROOM_MARGIN = 1e-3
"""Metres by which what stands within a room may stand out of it."""
UPRIGHT = 0.95
"""Share of an open mesh seen from above that faces one way, from which it is a height field."""
HEAVY_MESH = 5_000
"""Triangles from which the tree of a mesh is worth a thread."""
MOVERS_HELD = 4
"""Meshes that were moved last and stand nowhere (ghosts, formations): they keep their place in the arena."""
LEAST_PART = 1e-9
"""Part of a unit direction along an axis below which nothing travels along that axis."""
REACH_MARGIN = 1e-3
"""Metres by which reaches are wider than what is measured: more than rounding and than what a leaning piece is moved to be measured."""


class Placed(NamedTuple):
    """One row per piece. ``sense`` is +1 / -1 where its outside is known (solids, ground), else 0; ``closed``
    says which are solids and which are ground. ``root``: (n,) its tree's root in the forest, -1 for a free row."""

    root: NDArray[np.int64]
    linear: Vec
    inverse: Vec
    origin: Vec
    lo: Vec
    hi: Vec
    sense: Vec
    closed: NDArray[np.bool_]


def prebuild_trees(meshes: Iterable[Mesh]) -> None:
    """Build the trees of ``meshes`` and judge their health, the heavy ones side by side on all cores.

    Of a small mesh most of that is Python's, of which only one thread runs at a time: to take turns would cost more.
    """

    def build(mesh: Mesh) -> None:
        mesh.tree, mesh.health, mesh.digest  # noqa: B018

    heavy = []
    for mesh in meshes:
        if len(mesh.faces) >= HEAVY_MESH:
            heavy.append(mesh)
        else:
            build(mesh)
    if not heavy:
        return
    with ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1)) as pool:
        for done in [pool.submit(build, mesh) for mesh in heavy]:
            done.result()


class SceneIndex:
    """Everything that stands in a set, ready to be asked.

    ``bodies``: the joined pieces of each, by key. ``derived``: by key of a piece, the mesh it has instead of its prop's,
    as a wall that something was cut into. ``held``: keys of the pieces that are stuck to what they touch, so that they need no balance.
    None of them is ever changed in place.

    A move is computed on a ``fork``, which may be changed freely: the snapshot it was taken from stays as it is, and
    whoever reads that one needs no lock.
    """

    def __init__(
        self,
        pieces: Iterable[Piece] = (),
        arena: MeshArena | None = None,
        bodies: Bodies | None = None,
        derived: Mapping[str, Mesh] | None = None,
        held: frozenset[str] = frozenset(),
    ) -> None:
        self.held = held
        self.arena = arena if arena is not None else MeshArena()
        self.bodies: Bodies = bodies or {}
        self.derived: Mapping[str, Mesh] = derived or {}
        self._movers: tuple[Span, ...] = ()
        self._last: tuple[Span, Pose, Triple, Mover] | None = None
        self._spans: list[Span | None] = []
        self.keys: list[str | None] = []
        self.row: dict[str, int] = {}
        self.pieces: dict[str, Piece] = {}
        self._bearer = np.zeros(0, np.bool_)
        self._doubtful = np.zeros(0, np.bool_)
        self._reach = np.zeros((0, 2, 3))
        self._free: list[int] = []
        self.placed = empty_rows()
        pieces = list(pieces)
        meshes = {id(m): m for m in map(self.mesh_of, pieces)}.values()
        prebuild_trees(meshes)
        self.arena.reserve(meshes)
        self._place([(self._row_for(piece)[0], piece) for piece in pieces])
        self.judge_senses()

    def fork(self) -> "SceneIndex":
        """A snapshot of its own, which costs a copy of the rows; the trees are shared."""
        other = SceneIndex.__new__(SceneIndex)
        other.arena = self.arena
        other.bodies, other.derived, other.held = self.bodies, self.derived, self.held
        other._movers, other._last = self._movers, self._last
        other._spans, other._free = list(self._spans), list(self._free)
        other.keys, other.row, other.pieces = list(self.keys), dict(self.row), dict(self.pieces)
        other._bearer, other._doubtful = self._bearer.copy(), self._doubtful.copy()
        other._reach = self._reach.copy()
        other.placed = Placed._make(column.copy() for column in self.placed)
        return other

    @property
    def forest(self) -> Forest:
        """The trees of all meshes."""
        return self.arena.forest

    @property
    def bearers(self) -> int:
        """How many bearers stand here."""
        count = len(self.keys)
        return int((self._bearer[:count] & (self.placed.root[:count] >= 0)).sum())

    def mesh_of(self, piece: Piece) -> Mesh:
        """The mesh that ``piece`` is drawn, measured and seated by."""
        return self.derived.get(piece.key) or piece.prop.mesh

    def box_of(self, piece: Piece) -> tuple[Vec, Vec]:
        """Axis-aligned box of a piece in the world, (lo, hi) of (3,) metres, whether it stands here or not."""
        return world_box(self.mesh_of(piece), piece.pose)

    def boxes_of(self, keys: Iterable[str]) -> Vec:
        """(n, 2, 3) axis-aligned boxes of standing pieces in the world."""
        rows = [self.row[key] for key in keys]
        return np.stack([self.placed.lo[rows], self.placed.hi[rows]], axis=1)

    def centre_of_mass(self, piece: Piece) -> Vec:
        """(3,) centre of mass of a piece in the world."""
        return piece.pose.apply(self.mesh_of(piece).mass[1])

    def probes_of(self, piece: Piece) -> Vec:
        """(2k, 3) world points of a piece, two on each of its shells."""
        return piece.pose.apply(self.mesh_of(piece).probes)

    def span(self, mesh: Mesh) -> Span:
        """Where the tree of ``mesh`` lies in the forest; it is written there when it is new."""
        for held in self._movers:
            if held.mesh is mesh:
                return held
        found = self.arena.span_of(mesh)
        self._movers = (found, *self._movers[: MOVERS_HELD - 1])
        return found

    def put(self, piece: Piece) -> int:
        """Add a piece, or move the one of the same key. Returns its row."""
        self.put_all([piece])
        return self.row[piece.key]

    def put_all(self, pieces: Iterable[Piece]) -> None:
        """As ``put``, of many in one go.

        What has the shape and role that it had keeps its sense: it is judged among all others when a set is opened or
        a change is made (``judge_senses``), not while a piece is tried here and there.
        """
        standing = [(*self._row_for(piece), piece) for piece in pieces]
        self._place([(row, piece) for row, _, piece in standing])
        self._judge([row for row, same, _ in standing if not same and self._doubtful[row]])

    def _row_for(self, piece: Piece) -> tuple[int, bool]:
        """The row of a piece, and whether what stood there had its shape and role."""
        row = self.row.get(piece.key)
        old = self.pieces.get(piece.key)
        if row is None:
            if self._free:
                row = self._free.pop()
            else:
                row = len(self.keys)
                self.keys.append(None)
                self._spans.append(None)
                if row >= len(self.placed.root):
                    room = max(16, 2 * row)
                    self.placed = Placed._make(with_room(column, room) for column in self.placed)
                    self.placed.root[row:] = -1
                    self._bearer, self._doubtful = with_room(self._bearer, room), with_room(self._doubtful, room)
                    self._reach = with_room(self._reach, room)
            self.row[piece.key] = row
            self.keys[row] = piece.key
        self.pieces[piece.key] = piece
        held = self._spans[row]
        same = old is not None and old.role == piece.role and held is not None and held.mesh is self.mesh_of(piece)
        return row, same

    def _place(self, standing: list[tuple[int, Piece]]) -> None:
        """Write the rows of pieces, all in one go: a set is opened with thousands."""
        if not standing:
            return
        placed = self.placed
        rows = np.array([row for row, _ in standing])
        meshes = [self.mesh_of(piece) for _, piece in standing]
        linear = np.array([piece.pose.basis for _, piece in standing], np.float64).reshape(-1, 3, 3)
        origin = np.array([piece.pose.position for _, piece in standing], np.float64)
        lo, hi = np.array([mesh.box[0] for mesh in meshes]), np.array([mesh.box[1] for mesh in meshes])
        place_kernel(placed, rows, linear, origin, lo, hi)
        spans = [self._span_at(row, mesh) for (row, _), mesh in zip(standing, meshes, strict=True)]
        placed.root[rows] = [span.node0 for span in spans]
        placed.closed[rows] = [mesh.health.closed for mesh in meshes]
        self._bearer[rows] = [piece.role == "bearer" for _, piece in standing]
        direction = np.array([piece.direction for _, piece in standing], np.float64)
        sink = np.array([piece.sink for _, piece in standing], np.float64)
        self._reach[rows] = reach_of(placed.lo[rows], placed.hi[rows], direction, sink)
        plain = np.array([mesh.health.closed and not mesh.health.inward for mesh in meshes])
        # What is closed and faces outward is solid whatever stands about it; the others are judged.
        placed.sense[rows[plain]] = 1.0
        self._doubtful[rows] = ~plain

    def _span_at(self, row: int, mesh: Mesh) -> Span:
        held = self._spans[row]
        if held is None or held.mesh is not mesh:
            held = self._spans[row] = self.arena.span_of(mesh)
        return held

    def remove(self, key: str) -> None:
        """Take a piece away. Raises KeyError when there is none of that key."""
        row = self.row.pop(key)
        del self.pieces[key]
        self.keys[row] = None
        self._spans[row] = None
        self.placed.root[row] = -1
        self._free.append(row)

    def follow(
        self,
        pieces: Mapping[str, Piece | None],
        bodies: Bodies | None = None,
        derived: Mapping[str, Mesh] | None = None,
        held: frozenset[str] | None = None,
    ) -> list[tuple[Vec, Vec]]:
        """Bring the index up to a change. ``pieces``: what came or moved, by key; None for what went.

        ``bodies``, ``derived``, ``held``: as they are after it; as they were by default.

        Returns the (lo, hi) boxes in which fits may be others now: of all that came, moved or went, as it was and as it
        is, and of what is judged anew because of it, as ground that has become an awning.
        """
        was = self.derived
        now = was if derived is None else derived
        reshaped = {key for key in was.keys() | now.keys() if was.get(key) is not now.get(key)}
        pieces = {**{key: self.pieces[key] for key in reshaped if key in self.pieces}, **pieces}
        boxes = [self._drawn_in(self.pieces[key]) for key in pieces if key in self.pieces]
        self.derived = now
        if bodies is not None:
            boxes += [self.box_of(self.pieces[k]) for k in newly_joined(self.bodies, bodies) if k in self.pieces]
            self.bodies = bodies
        if held is not None:
            boxes += [self.box_of(self.pieces[k]) for k in self.held ^ held if k in self.pieces]
            self.held = held
        for key, piece in pieces.items():
            if piece is None and key in self.pieces:
                self.remove(key)
        came = [piece for piece in pieces.values() if piece is not None]
        self.put_all(came)
        boxes += [self._drawn_in(piece) for piece in came]
        before = self.placed.sense.copy()
        self.judge_senses()
        for row in np.flatnonzero(self.placed.sense != before):
            boxes.append(self._drawn_in(self.pieces[self.keys[row] or ""]))
        return boxes

    def _drawn_in(self, piece: Piece) -> tuple[Vec, Vec]:
        """The box of a piece; of what may be ground with all below and above it, where something may be buried."""
        lo, hi = self.box_of(piece)
        if piece.role == "bearer" and not self.mesh_of(piece).health.closed:
            lo[1], hi[1] = -np.inf, np.inf
        return lo, hi

    def affected_by(self, boxes: Iterable[tuple[Vec, Vec]] | Vec, tolerance: float) -> list[str]:
        """Keys of the props whose verdict may be another one when something that is drawn in one of ``boxes`` ((lo, hi) of (3,) metres)
        came, went or moved: those whose reach meets one of them.

        The only place that says who is a neighbour. What is joined is judged as one, so that it is affected as one.
        ``tolerance``: of the set, in metres; a piece leans on what is within it.
        """
        drawn = boxes if isinstance(boxes, np.ndarray) else np.array(list(boxes), np.float64).reshape(-1, 2, 3)
        count = len(self.keys)
        rows = np.flatnonzero((self.placed.root[:count] >= 0) & ~self._bearer[:count])
        if not len(drawn) or not len(rows):
            return []
        margin = REACH_MARGIN + tolerance
        reach = self._reach[rows]
        met = set(rows[meeting(reach[:, 0] - margin, reach[:, 1] + margin, drawn[:, 0], drawn[:, 1])].tolist())
        for body in dict.fromkeys(self.bodies.values()):
            members = [self.pieces[key] for key in body if key in self.pieces]
            own = [self.row[p.key] for p in members if p.role == "prop"]
            if len(members) > 1 and not met.issuperset(own):
                whole = self._reach_of_body(members)
                touched = meeting(whole[:, 0] - margin, whole[:, 1] + margin, drawn[:, 0], drawn[:, 1]).any()
                met.update(own if touched or not met.isdisjoint(own) else ())
        return [key for key, row in self.row.items() if row in met] if met else []

    def drawn_near(self, boxes: Iterable[tuple[Vec, Vec]], within: float) -> list[str]:
        """Keys of the pieces that are drawn within ``within`` metres of one of ``boxes`` ((lo, hi) of (3,) metres).

        Who lies beside something, not whose verdict it changes.
        """
        asked = np.array(list(boxes), np.float64).reshape(-1, 2, 3)
        rows = np.array(list(self.row.values()), np.int64)
        met = meeting(self.placed.lo[rows] - within, self.placed.hi[rows] + within, asked[:, 0], asked[:, 1])
        return [key for key, hit in zip(self.row, met.tolist(), strict=True) if hit]

    def _reach_of_body(self, members: list[Piece]) -> Vec:
        """(k, 2, 3) the reaches of joined pieces as one, which is measured along the direction of each."""
        rows = [self.row[p.key] for p in members]
        lo, hi = self.placed.lo[rows].min(axis=0), self.placed.hi[rows].max(axis=0)
        directions = np.array(list(dict.fromkeys(p.direction for p in members)), np.float64)
        sink = np.full(len(directions), max(p.sink for p in members))
        many = (len(directions), 3)
        return reach_of(np.broadcast_to(lo, many), np.broadcast_to(hi, many), directions, sink)

    def kind(self, piece: Piece) -> int:
        """SHEET, SOLID or GROUND, as the piece that stands here was judged."""
        sense = self.placed.sense[self.row[piece.key]]
        if sense == 0.0:
            return SHEET
        return SOLID if self.mesh_of(piece).health.closed else GROUND

    def judge_senses(self) -> None:
        """Tell rooms from solids turned inside out, and ground from awnings, of all that stands.

        A closed mesh facing inward is a room when something stands wholly within it (its inside is free),
        otherwise a solid with flipped faces. An open height field is ground (nothing belongs below it)
        unless another bearer lies under it.
        """
        self._judge(np.flatnonzero(self._doubtful & (self.placed.root >= 0)))

    def _judge(self, rows: Iterable[int]) -> None:
        placed = self.placed
        for row in rows:
            piece = self.pieces[self.keys[row] or ""]
            mesh = self.mesh_of(piece)
            if mesh.health.closed:
                within = (placed.lo >= placed.lo[row] - ROOM_MARGIN) & (placed.hi <= placed.hi[row] + ROOM_MARGIN)
                inside = within.all(axis=1) & (placed.root >= 0)
                inside[row] = False
                sense = 0.0 if inside.any() else -1.0
            elif piece.role == "bearer" and abs(mesh.uprightness) > UPRIGHT:
                sense = 1.0 if mesh.uprightness > 0 else -1.0
                across = (placed.lo < placed.hi[row]) & (placed.hi > placed.lo[row])
                below = (placed.root >= 0) & self._bearer & (placed.hi[:, 1] < placed.lo[row, 1])
                sense = 0.0 if (below & across[:, 0] & across[:, 2]).any() else sense
            else:
                sense = 0.0
            placed.sense[row] = sense

    def mover(self, mesh: Mesh, pose: Pose, frame: Vec) -> Mover:
        """``mesh`` at ``pose``, in ``frame`` (3, 3) and relative to the pose's position."""
        moving = self.moving_mesh(mesh)
        return Mover(*mover_kernel(self.forest, moving, pose.linear, frame))

    def mover_along(self, mesh: Mesh, pose: Pose, direction: Triple) -> Mover:
        """``mesh`` in the frame of its direction; the last one again when it is only carried along, not turned."""
        last, span = self._last, self.span(mesh)
        if last is not None and last[0] is span and last[1].basis == pose.basis and last[2] == direction:
            return last[3]
        made = self.mover(mesh, pose, frame_along(np.asarray(direction)))
        self._last = (span, pose, direction, made)
        return made

    def moving_mesh(self, mesh: Mesh) -> MovingMesh:
        """What a kernel needs to make a mover of ``mesh``."""
        return self.span(mesh).moving

    def with_moving_mesh(self, mesh: Mesh) -> tuple[Forest, Placed, int, MovingMesh]:
        """What kernels that move ``mesh`` begin with: the trees, with its own among them, what stands, and its moving."""
        moving = self.moving_mesh(mesh)
        return self.forest, self.placed, len(self.keys), moving

    def near(self, mover: Mover, origin: Vec, skip: int = -1, margin: float = 0.0) -> Near:
        """All pieces whose box comes within ``margin`` metres of the mover's column, without row ``skip``."""
        lo, hi = mover.lo[0] - margin, mover.hi[0] + margin
        rows = near_kernel(self.placed, len(self.keys), mover.frame, origin, lo, hi, skip)
        return Near(rows, *transforms_kernel(self.placed, rows, mover.frame, origin))

    def only(self, mover: Mover, origin: Vec, rows: Iterable[int]) -> Near:
        """Just these rows, whether or not they are in the column."""
        chosen = np.array(list(rows), dtype=np.int64)
        return Near(chosen, *transforms_kernel(self.placed, chosen, mover.frame, origin))


def reach_of(lo: Vec, hi: Vec, direction: Vec, sink: Vec) -> Vec:
    """(n, 2, 3) the reaches of pieces drawn in boxes from ``lo`` to ``hi`` (n, 3), seated along ``direction`` (n, 3) unit and meant to be
    embedded ``sink`` (n,) metres.

    A piece is measured raised by its sink, and looked at from there on along its direction, however far.
    """
    raised = -sink[:, None] * direction
    low, high = np.minimum(lo, lo + raised), np.maximum(hi, hi + raised)
    low = np.where(direction < -LEAST_PART, -np.inf, low)
    high = np.where(direction > LEAST_PART, np.inf, high)
    return np.stack([low, high], axis=1)


def newly_joined(before: Bodies, after: Bodies) -> set[str]:
    """Keys of the pieces that are joined to others than before."""
    return {key for key in before.keys() | after.keys() if before.get(key) != after.get(key)}


def world_box(mesh: Mesh, pose: Pose) -> tuple[Vec, Vec]:
    """Axis-aligned box in the world, (lo, hi) of (3,) metres, of a mesh at a pose."""
    lo, hi = mesh.box
    centre = pose.apply(0.5 * (lo + hi))
    half_extent = np.abs(pose.linear) @ (0.5 * (hi - lo))
    return centre - half_extent, centre + half_extent


def empty_rows() -> Placed:
    """No row at all."""
    matrices, vectors = np.zeros((0, 3, 3)), np.zeros((0, 3))
    return Placed(
        np.zeros(0, np.int64), matrices, matrices, vectors, vectors, vectors, np.zeros(0), np.zeros(0, np.bool_)
    )


def with_room(column: NDArray[np.generic], room: int) -> NDArray:  # type: ignore[type-arg]
    """A column (n, ...) made (``room``, ...): the new rows are zero."""
    longer = np.zeros((room, *column.shape[1:]), column.dtype)
    longer[: len(column)] = column
    return longer
