"""The arena: the trees of all meshes in one set of arrays, shared by every snapshot of a set.

Nothing that a snapshot uses is ever moved or written over. A mesh keeps its place for as long as some index holds its
``Span``; Python counts those references, and the room of a span that nobody holds is used again.
"""

import threading
import weakref
from bisect import insort
from collections import deque
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.kernels.mover import MovingMesh
from brickseat_core.geometry.lazy import lazy
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Vec

GROWTH = 1.25
"""Factor by which the arrays grow when they are full: they are copied then, and most sets bring their meshes at once."""


class Forest(NamedTuple):
    """The trees of all meshes, end to end; ``child`` and ``start`` count from the whole.

    ``lo``, ``hi``: (n, 3) boxes of nodes in the mesh's own coordinates. ``child``, ``start``, ``length``: (n,).
    ``corners``: (m, 3, 3). Between the spans lies room that nothing refers to.
    """

    lo: Vec
    hi: Vec
    child: NDArray[np.int32]
    start: NDArray[np.int32]
    length: NDArray[np.int32]
    corners: Vec


class Span:
    """Where one mesh lies in the arena: ``nodes`` from ``node0``, ``triangles`` from ``tri0``."""

    def __init__(self, mesh: Mesh, node0: int, tri0: int) -> None:
        self.mesh = mesh
        self.node0, self.nodes = node0, len(mesh.tree.child)
        self.tri0, self.triangles = tri0, len(mesh.tree.corners)

    @lazy
    def moving(self) -> MovingMesh:
        """What a kernel needs to move this mesh."""
        mesh = self.mesh
        outside = 0.0 if not mesh.health.closed else -1.0 if mesh.health.inward else 1.0
        return MovingMesh(
            self.node0,
            self.nodes,
            self.tri0,
            self.triangles,
            outside,
            *mesh.box,
            mesh.mass[1],
            mesh.probes,
        )


class Room:
    """Free runs of a long array: where the next entries go."""

    def __init__(self) -> None:
        self.end = 0
        self.free: list[tuple[int, int]] = []

    def take(self, length: int) -> int:
        """The first entry of a run of ``length``: the first gap that is large enough, else the end."""
        for number, (first, room) in enumerate(self.free):
            if room >= length:
                if room == length:
                    del self.free[number]
                else:
                    self.free[number] = (first + length, room - length)
                return first
        first = self.end
        self.end += length
        return first

    def give_back(self, first: int, length: int) -> None:
        """Free a run again; it grows together with the free runs beside it."""
        insort(self.free, (first, length))
        joined: list[tuple[int, int]] = []
        for begin, room in self.free:
            if joined and joined[-1][0] + joined[-1][1] == begin:
                joined[-1] = (joined[-1][0], joined[-1][1] + room)
            else:
                joined.append((begin, room))
        if joined and sum(joined[-1]) == self.end:
            self.end = joined.pop()[0]
        self.free = joined


class MeshArena:
    """Safe to use from several threads. ``forest`` is replaced when it grows; the one before it stays valid."""

    def __init__(self) -> None:
        self.forest = Forest(
            np.zeros((0, 3)),
            np.zeros((0, 3)),
            np.zeros(0, np.int32),
            np.zeros(0, np.int32),
            np.zeros(0, np.int32),
            np.zeros((0, 3, 3)),
        )
        self._spans: weakref.WeakValueDictionary[str, Span] = weakref.WeakValueDictionary()
        self._nodes, self._triangles = Room(), Room()
        # What was let go, by whichever thread let it go; it is taken back into the room under the lock.
        self._let_go: deque[tuple[int, int, int, int]] = deque()
        self._lock = threading.Lock()

    def __len__(self) -> int:
        """How many meshes it holds."""
        return len(self._spans)

    def span_of(self, mesh: Mesh) -> Span:
        """Where ``mesh`` lies; it is written there when it is new. Hold the span for as long as it is used."""
        found = self._spans.get(mesh.digest)
        if found is not None:
            return found
        mesh.tree  # noqa: B018  (built before the lock is taken)
        with self._lock:
            return self._spans.get(mesh.digest) or self._write(mesh)

    def reserve(self, meshes: Iterable[Mesh]) -> None:
        """Make room for all of ``meshes`` at once, whose trees are built already."""
        new = [mesh for mesh in {m.digest: m for m in meshes}.values() if mesh.digest not in self._spans]
        with self._lock:
            nodes = sum(len(mesh.tree.child) for mesh in new)
            triangles = sum(len(mesh.tree.corners) for mesh in new)
            self._grow(self._nodes.end + nodes, self._triangles.end + triangles)

    def _write(self, mesh: Mesh) -> Span:
        while self._let_go:
            node0, nodes, tri0, triangles = self._let_go.popleft()
            self._nodes.give_back(node0, nodes)
            self._triangles.give_back(tri0, triangles)
        tree = mesh.tree
        nodes, triangles = len(tree.child), len(tree.corners)
        node0, tri0 = self._nodes.take(nodes), self._triangles.take(triangles)
        if node0 + nodes > len(self.forest.child) or tri0 + triangles > len(self.forest.corners):
            self._grow(
                max(node0 + nodes, int(GROWTH * len(self.forest.child))),
                max(tri0 + triangles, int(GROWTH * len(self.forest.corners))),
            )
        forest = self.forest
        own, its = slice(node0, node0 + nodes), slice(tri0, tri0 + triangles)
        forest.lo[own], forest.hi[own] = tree.lo, tree.hi
        forest.child[own] = np.where(tree.child >= 0, tree.child + node0, -1)
        forest.start[own] = tree.start + tri0
        forest.length[own] = tree.length
        forest.corners[its] = tree.corners
        span = Span(mesh, node0, tri0)
        self._spans[mesh.digest] = span
        weakref.finalize(span, self._let_go.append, (node0, nodes, tri0, triangles)).atexit = False
        return span

    def _grow(self, nodes: int, triangles: int) -> None:
        old = self.forest
        more_nodes, more_triangles = max(0, nodes - len(old.child)), max(0, triangles - len(old.corners))
        if not more_nodes and not more_triangles:
            return

        def longer(array: NDArray[np.float64], more: int) -> Vec:
            return np.concatenate([array, np.zeros((more, *array.shape[1:]), array.dtype)])

        def longer_whole(array: NDArray[np.int32], more: int) -> NDArray[np.int32]:
            return np.concatenate([array, np.zeros(more, np.int32)])

        self.forest = Forest(
            longer(old.lo, more_nodes),
            longer(old.hi, more_nodes),
            longer_whole(old.child, more_nodes),
            longer_whole(old.start, more_nodes),
            longer_whole(old.length, more_nodes),
            longer(old.corners, more_triangles),
        )
