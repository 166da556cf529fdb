"""Meshes as the columns of a table, so that one call of a kernel can move many pieces of several meshes."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.kernels.mover import MovingMesh
from brickseat_core.kernels import nested_kernel
from brickseat_core.scene import Vec


class MeshTable(NamedTuple):
    """The ``MovingMesh`` of each of m meshes: (m, 4) ``places`` (node0, nodes, tri0, triangles), (m,) ``outside``, (m, 3) ``lo``, ``hi``
    and ``centre``, and the probes of all end to end, those of each from ``probe0`` (m + 1,) on."""

    places: NDArray[np.int64]
    outside: Vec
    lo: Vec
    hi: Vec
    centre: Vec
    probes: Vec
    probe0: NDArray[np.int64]


def mesh_table(meshes: list[MovingMesh]) -> MeshTable:
    """The table of one mesh at least."""
    return MeshTable(
        np.array([m[:4] for m in meshes], np.int64),
        np.array([m.outside for m in meshes]),
        np.array([m.lo for m in meshes]),
        np.array([m.hi for m in meshes]),
        np.array([m.centre for m in meshes]),
        np.concatenate([m.probes for m in meshes]),
        np.concatenate([[0], np.cumsum([len(m.probes) for m in meshes])]).astype(np.int64),
    )


@nested_kernel
def mesh_at(table, i):
    """The ``i``-th ``MovingMesh`` of a table."""
    node0, nodes, tri0, triangles = table.places[i, 0], table.places[i, 1], table.places[i, 2], table.places[i, 3]
    probes = table.probes[table.probe0[i] : table.probe0[i + 1]]
    outside, lo, hi, centre = table.outside[i], table.lo[i], table.hi[i], table.centre[i]
    return MovingMesh(node0, nodes, tri0, triangles, outside, lo, hi, centre, probes)
