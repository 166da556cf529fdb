"""Closed meshes as solids, and what is left of one when others are taken out of it.

Booleans: Manifold (a library for solids).
"""

import threading
from collections import OrderedDict
from collections.abc import Hashable

import manifold3d
import numpy as np

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Vec

MESHES_KEPT = 64
"""Cut meshes and silhouettes kept for when the same is asked for again: undo, a preview and then the move itself."""


class CannotCut(ValueError):
    """A hole that cannot be cut; says why, and what to do."""


class Kept:
    """What was computed last, by content. Threads may share it."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._found: OrderedDict[Hashable, object] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> object | None:
        """What is kept under ``key``."""
        with self._lock:
            if key in self._found:
                self._found.move_to_end(key)
            return self._found.get(key)

    def put(self, key: Hashable, value: object) -> None:
        """Keep a value; the one that was not asked for longest goes."""
        with self._lock:
            self._found[key] = value
            while len(self._found) > self._most:
                self._found.popitem(last=False)


_shells = Kept(MESHES_KEPT)


def shells_of(mesh: Mesh) -> list[tuple[manifold3d.Manifold | None, Vec]] | None:
    """The shells of a closed mesh as solids, each with its triangles (m, 3, 3); None where the mesh is open.

    A shell that is no solid by itself is None.
    """
    if not mesh.health.closed or mesh.health.inward:
        return None
    kept = _shells.get(mesh.digest)
    if isinstance(kept, list):
        return kept
    shells = []
    corners = mesh.vertices[mesh.faces]
    welded = mesh.welded
    for shell in range(int(mesh.shell_of.max()) + 1):
        mine = np.flatnonzero(mesh.shell_of == shell)
        numbers, faces = np.unique(welded[mine].ravel(), return_inverse=True)
        points = np.empty((len(numbers), 3))
        points[faces] = corners[mine].reshape(-1, 3)
        triangles = faces.reshape(-1, 3)
        distinct = (triangles != np.roll(triangles, 1, axis=1)).all(axis=1)
        solid = manifold3d.Manifold(
            manifold3d.Mesh64(np.ascontiguousarray(points), np.ascontiguousarray(triangles[distinct].astype(np.uint64)))
        )
        shells.append((solid if solid.status() == manifold3d.Error.NoError else None, corners[mine]))
    _shells.put(mesh.digest, shells)
    return shells


def without_prisms(mesh: Mesh, prisms: list[manifold3d.Manifold]) -> Mesh | None:
    """``mesh`` without these volumes; None where nothing is left, or a shell in the way is no solid."""
    shells = shells_of(mesh)
    assert shells is not None
    prism = manifold3d.Manifold.batch_boolean(prisms, manifold3d.OpType.Add) if len(prisms) > 1 else prisms[0]
    box = np.array(prism.bounding_box()).reshape(2, 3)
    vertices, faces, count = [], [], 0
    for solid, corners in shells:
        apart = (corners.min(axis=(0, 1)) > box[1]).any() or (corners.max(axis=(0, 1)) < box[0]).any()
        if apart or solid is None:
            points, triangles = corners.reshape(-1, 3), np.arange(3 * len(corners)).reshape(-1, 3)
        else:
            cut = (solid - prism).to_mesh64()
            points, triangles = np.asarray(cut.vert_properties)[:, :3], np.asarray(cut.tri_verts)
        vertices.append(points)
        faces.append(triangles.astype(np.int64) + count)
        count += len(points)
    triangles = np.concatenate(faces)
    if not len(triangles):
        return None
    return Mesh(np.ascontiguousarray(np.concatenate(vertices)), triangles.astype(np.int32))
