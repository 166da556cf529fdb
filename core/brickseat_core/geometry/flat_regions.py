"""The flat regions of a mesh, the loops that border them, and the circles among those."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.edges import Edges
from brickseat_core.geometry.sharp_lines import SHARP_COSINE, edge_faces, face_normals

Vec = NDArray[np.float64]
Ints = NDArray[np.int64]
FLAT_COSINE = float(np.cos(np.radians(2.0)))
"""Cosine of the angle up to which neighbouring faces belong to one flat region."""
FLATNESS = 0.002
"""Share of the mesh's size by which the corners of a flat region may be off its plane."""
LEAST_CIRCLE = 8
"""Corners that a loop has at least to be taken for a circle."""
ROUND = 0.02
"""Share of its radius by which the corners of a circle may be off it."""


class Circle(NamedTuple):
    """``centre`` (3,), ``radius`` in metres, and unit ``normal`` (3,) of a round border."""

    centre: Vec
    radius: float
    normal: Vec


class FlatRegion(NamedTuple):
    """``faces`` (k,) of one plane, with their ``area`` in m², unit ``normal`` (3,) and ``centre`` (3,) of area.

    ``loops``: the corners (n, 3) of each border. ``sharpness``: share of the border where the faces beyond turn away.
    """

    faces: Ints
    area: float
    normal: Vec
    centre: Vec
    loops: tuple[Vec, ...]
    sharpness: float


def flat_regions(corners: Vec, welded: Ints, edges: Edges, least_area: float) -> list[FlatRegion]:
    """The flat regions of at least so many m², the largest first. Triangles ``corners`` (m, 3, 3), numbered by place in
    ``welded`` (m, 3)."""
    normals = face_normals(corners)
    first, one, other = edge_faces(edges)
    bend = np.einsum("ij,ij->i", normals[one], normals[other])
    flat = (other >= 0) & (bend > FLAT_COSINE)
    m = len(corners)
    # Imported where they are used: whoever only checks a set does not wait for them.
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    graph = coo_array((np.ones(int(flat.sum())), (one[flat], other[flat])), shape=(m, m))
    _, label = connected_components(graph, directed=False)
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    total = np.bincount(label, weights=area)
    size = float(np.ptp(corners.reshape(-1, 3), axis=0).max())
    found: list[FlatRegion] = []
    for number in np.argsort(-total, kind="stable"):
        if total[number] < least_area:
            break
        faces = np.flatnonzero(label == number)
        normal = (normals[faces] * area[faces, None]).sum(axis=0)
        length = float(np.linalg.norm(normal))
        if length < 0.9 * total[number]:
            continue
        normal /= length
        centre = (corners[faces].mean(axis=1) * area[faces, None]).sum(axis=0) / total[number]
        if np.abs((corners[faces] - centre) @ normal).max() > FLATNESS * size:
            continue
        border = (label[one] == number) != ((other >= 0) & (label[other] == number))
        found.append(
            FlatRegion(
                faces,
                float(total[number]),
                normal,
                centre,
                tuple(loops_of(first[border], corners, welded)),
                sharpness_of(first[border], corners, bend[border], other[border]),
            )
        )
    return found


def sharpness_of(uses: Ints, corners: Vec, bend: Vec, other: Ints) -> float:
    """Share of the length of border edges that is open or turns by more than what counts as sharp.

    ``uses``: (k,) edges, three times the face plus the corner at which each begins. ``corners``: (m, 3, 3) of the triangles.
    ``bend``: (k,) cosines between the faces on both sides. ``other``: (k,) face across, -1 where it is open.
    """
    a = corners[uses // 3, uses % 3]
    b = corners[uses // 3, (uses % 3 + 1) % 3]
    length = np.linalg.norm(b - a, axis=1)
    sharp = (other < 0) | (bend < SHARP_COSINE)
    return float(length[sharp].sum() / max(float(length.sum()), 1e-300))


def loops_of(uses: Ints, corners: Vec, welded: Ints) -> list[Vec]:
    """The closed borders that edges make, each as its corners (n, 3) in order."""
    a, b = welded[uses // 3, uses % 3], welded[uses // 3, (uses % 3 + 1) % 3]
    place = {int(n): corners[f, k] for n, f, k in zip(a, uses // 3, uses % 3, strict=True)}
    place.update({int(n): corners[f, (k + 1) % 3] for n, f, k in zip(b, uses // 3, uses % 3, strict=True)})
    at: dict[int, list[int]] = {}
    for number, pair in enumerate(zip(a.tolist(), b.tolist(), strict=True)):
        for vertex in pair:
            at.setdefault(vertex, []).append(number)
    done = [False] * len(uses)
    found: list[Vec] = []
    for start in range(len(uses)):
        if done[start]:
            continue
        done[start] = True
        begin, vertex = int(a[start]), int(b[start])
        loop = [begin, vertex]
        # Each step takes an edge that was not taken yet.
        while vertex != begin:
            edge = next((e for e in at[vertex] if not done[e]), None)
            if edge is None:
                break
            done[edge] = True
            vertex = int(b[edge]) if int(a[edge]) == vertex else int(a[edge])
            loop.append(vertex)
        if vertex == begin:
            found.append(np.array([place[v] for v in loop[:-1]]))
    return found


def circle_of(loop: Vec, normal: Vec) -> Circle | None:
    """The circle that a border (n, 3) in a plane with unit ``normal`` runs along; None where it is none.

    Least squares on the squared distances (Kåsa, 1976).
    """
    if len(loop) < LEAST_CIRCLE:
        return None
    middle = loop.mean(axis=0)
    axis = np.zeros(3)
    axis[int(np.argmin(np.abs(normal)))] = 1.0
    u = np.cross(normal, axis)
    u /= np.linalg.norm(u)
    v = np.cross(normal, u)
    flat = np.stack([(loop - middle) @ u, (loop - middle) @ v], axis=1)
    solution, _, rank, _ = np.linalg.lstsq(
        np.column_stack([2.0 * flat, np.ones(len(flat))]), (flat**2).sum(axis=1), rcond=None
    )
    if rank < 3:
        return None
    centre, radius = solution[:2], float(np.sqrt(max(0.0, solution[2] + solution[:2] @ solution[:2])))
    if radius <= 0.0 or np.abs(np.linalg.norm(flat - centre, axis=1) - radius).max() > ROUND * radius:
        return None
    return Circle(middle + centre[0] * u + centre[1] * v, radius, normal)
