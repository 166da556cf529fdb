"""The edges of a mesh: which faces meet at each, which are open, and which ways the sharp ones run."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.kernels import kernel

Vec = NDArray[np.float64]
Ints = NDArray[np.int64]
SHARP, SAME_EDGE_DIRECTION, MOST_EDGES, MOST_EDGE_DIRECTIONS = 0.9, 0.985, 256, 3
"""Cosines of the angle between two faces from which their edge is sharp, and between edges that run the same way; how many
edges, and ways of them, are looked at."""


class Edges(NamedTuple):
    """Every use of an edge by a face, those of one edge side by side.

    ``uses``: (n,) 3f + k for the edge of face f from its corner k to the next. ``forth``: (n,) whether it runs from the
    lower to the higher corner there. ``begins``: (e,) the first use of each edge.
    """

    uses: Ints
    forth: NDArray[np.bool_]
    begins: Ints

    def unmatched(self) -> int:
        """How many edges are open: a closed surface passes each as often one way as the other."""
        if not len(self.begins):
            return 0
        return int(np.count_nonzero(np.add.reduceat(np.where(self.forth, 1, -1), self.begins)))


def edges_of(faces: Ints) -> Edges:
    """The edges of ``faces`` (m, 3), corners numbered from 0; faces that use a corner twice have none."""
    if not len(faces):
        return Edges(np.empty(0, np.int64), np.empty(0, np.bool_), np.empty(0, np.int64))
    return Edges(*edges_kernel(faces, int(faces.max()) + 1))


def grouped(rows: Ints) -> tuple[Ints, Ints]:
    """(n,) the order that sorts ``rows`` (n, k) of small non-negative integers, and where each group of equals begins."""
    if not len(rows):
        return np.empty(0, np.int64), np.empty(0, np.int64)
    order, begins = grouped_kernel(rows, int(rows.max()) + 1)
    return order, begins


def sharp_directions(vertices: Vec, faces: NDArray[np.int32], edges: Edges) -> Vec:
    """(k, 3) unit ways that sharp edges run, at most ``MOST_EDGE_DIRECTIONS``: those of the longest edges together."""
    along = sharp_edges_kernel(vertices, faces, edges.uses, edges.begins)
    length = np.linalg.norm(along, axis=1)
    along = along[np.argsort(-length, kind="stable")[: min(MOST_EDGES, int((length > 0.0).sum()))]]
    found: list[Vec] = []
    while len(along) and len(found) < MOST_EDGE_DIRECTIONS:
        length = np.linalg.norm(along, axis=1)
        unit = along / length[:, None]
        same = np.abs(unit @ unit.T) > SAME_EDGE_DIRECTION
        most = int(np.argmax(same @ length))
        found.append(unit[np.argmax(same[most])])
        along = along[~same[most]]
    return np.array(found).reshape(-1, 3)


@kernel
def grouped_kernel(rows, top):
    """As ``grouped``, for numbers below ``top``: counting sort by one column after the other, last first.

    Linear whatever the mesh; a comparison sort of so many rows took most of the time that a mesh needs to be known.
    """
    n = rows.shape[0]
    order = np.arange(n)
    other = np.empty(n, np.int64)
    for column in range(rows.shape[1] - 1, -1, -1):
        place = np.zeros(top + 1, np.int64)
        for i in range(n):
            place[rows[i, column] + 1] += 1
        for v in range(top):
            place[v + 1] += place[v]
        for i in range(n):
            v = rows[order[i], column]
            other[place[v]] = order[i]
            place[v] += 1
        order, other = other, order
    groups = 0
    for i in range(n):
        for column in range(rows.shape[1]):
            if i == 0 or rows[order[i], column] != rows[order[i - 1], column]:
                other[groups] = i
                groups += 1
                break
    return order, other[:groups].copy()


@kernel
def edges_kernel(faces, top):
    """As ``edges_of``, for corners numbered below ``top``: ``uses``, ``forth`` and ``begins``."""
    ends = np.empty((3 * faces.shape[0], 2), np.int64)
    uses = np.empty(3 * faces.shape[0], np.int64)
    n = 0
    for f in range(faces.shape[0]):
        if faces[f, 0] == faces[f, 1] or faces[f, 1] == faces[f, 2] or faces[f, 2] == faces[f, 0]:
            continue
        for k in range(3):
            a, b = faces[f, k], faces[f, (k + 1) % 3]
            ends[n, 0], ends[n, 1], uses[n] = min(a, b), max(a, b), 3 * f + k
            n += 1
    order, begins = grouped_kernel(ends[:n].copy(), top)
    sorted_uses = np.empty(n, np.int64)
    forth = np.empty(n, np.bool_)
    for i in range(n):
        use = uses[order[i]]
        sorted_uses[i] = use
        forth[i] = faces[use // 3, use % 3] == ends[order[i], 0]
    return sorted_uses, forth, begins


@kernel
def sharp_edges_kernel(vertices, faces, uses, begins):
    """(k, 3) along every edge at which two faces following each other in ``uses`` meet sharply."""
    along = np.empty((uses.shape[0], 3))
    found = 0
    normals = np.zeros((2, 3))
    for e in range(begins.shape[0]):
        last = begins[e + 1] if e + 1 < begins.shape[0] else uses.shape[0]
        for i in range(begins[e], last):
            face, k = uses[i] // 3, uses[i] % 3
            a, b, c = vertices[faces[face, k]], vertices[faces[face, (k + 1) % 3]], vertices[faces[face, (k + 2) % 3]]
            mine, before = normals[i % 2], normals[(i + 1) % 2]
            total = 0.0
            for x in range(3):
                y, z = (x + 1) % 3, (x + 2) % 3
                mine[x] = (b[y] - a[y]) * (c[z] - a[z]) - (b[z] - a[z]) * (c[y] - a[y])
                total += mine[x] * mine[x]
            cosine = 0.0
            for x in range(3):
                mine[x] /= max(np.sqrt(total), 1e-30)
                cosine += mine[x] * before[x]
            if i > begins[e] and cosine < SHARP:
                for x in range(3):
                    along[found, x] = b[x] - a[x]
                found += 1
    return along[:found].copy()
