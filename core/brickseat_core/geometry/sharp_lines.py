"""The sharp lines of a mesh: straight stretches of edges where its faces meet at an angle, and the corners they end in."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.edges import Edges

Vec = NDArray[np.float64]
Ints = NDArray[np.int64]
SHARP_COSINE = float(np.cos(np.radians(20.0)))
"""Cosine of the angle between two faces from which their edge is sharp."""
STRAIGHT_COSINE = float(np.cos(np.radians(1.0)))
"""Cosine of the angle up to which two edges that follow each other are one line."""
CURVE_COSINE = float(np.cos(np.radians(35.0)))
"""Cosine of the angle up to which two edges that follow each other belong to one curve."""


class SharpLines(NamedTuple):
    """``ends``: (k, 2, 3) both ends of each straight line. ``corners``: (c, 3) where lines end or turn sharply, and not where
    a curve only goes on. ``between``: (k,) whether a line runs from one corner to another."""

    ends: Vec
    corners: Vec
    between: NDArray[np.bool_]


class Bends(NamedTuple):
    """Edges at which two faces meet at an angle, and those that are open. ``ends``: (k, 2, 3). ``faces``: (k, 2) those that
    meet there; -1 in the place of the second where there is none."""

    ends: Vec
    faces: Ints


def face_normals(corners: Vec) -> Vec:
    """(m, 3) unit normals of triangles (m, 3, 3); zero where a triangle has no area."""
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(cross, axis=1)
    return np.asarray(cross / np.where(length > 0.0, length, 1.0)[:, None])


def edge_faces(edges: Edges) -> tuple[Ints, Ints, Ints]:
    """For each of n edges: (n,) its first use, (n,) the face of that, and (n,) the face across it (-1 where it is open or shared by more)."""
    count = np.diff(np.append(edges.begins, len(edges.uses)))
    first = edges.uses[edges.begins]
    following = edges.uses[np.minimum(edges.begins + 1, len(edges.uses) - 1)] if len(edges.uses) else first
    return first, first // 3, np.where(count == 2, following // 3, -1)


def bent_uses(corners: Vec, edges: Edges) -> tuple[Ints, Ints]:
    """For each sharp or open edge of triangles ``corners`` (m, 3, 3): its first use, and the face across it, or -1."""
    first, one, other = edge_faces(edges)
    normals = face_normals(corners)
    bend = np.einsum("ij,ij->i", normals[one], normals[other])
    sharp = np.flatnonzero((other < 0) | (bend < SHARP_COSINE))
    return first[sharp], other[sharp]


def bends(corners: Vec, edges: Edges) -> Bends:
    """The sharp and the open edges of triangles ``corners`` (m, 3, 3)."""
    first, other = bent_uses(corners, edges)
    face, corner = first // 3, first % 3
    ends = np.stack([corners[face, corner], corners[face, (corner + 1) % 3]], axis=1)
    return Bends(ends.reshape(-1, 2, 3), np.stack([face, other], axis=1))


def sharp_lines(corners: Vec, welded: Ints, edges: Edges) -> SharpLines:
    """The sharp lines of triangles ``corners`` (m, 3, 3), whose corners are numbered by place in ``welded`` (m, 3)."""
    first, _ = bent_uses(corners, edges)
    if not len(first):
        return SharpLines(np.zeros((0, 2, 3)), np.zeros((0, 3)), np.zeros(0, np.bool_))
    face, corner = first // 3, first % 3
    a, b = welded[face, corner], welded[face, (corner + 1) % 3]
    place = np.zeros((int(welded.max()) + 1, 3))
    place[welded.ravel()] = corners.reshape(-1, 3)
    return straightened(np.stack([a, b], axis=1), place)


def straightened(ends: Ints, place: Vec) -> SharpLines:
    """Edges (k, 2) between numbered places (n, 3), those that follow each other straight on made one line."""
    at: dict[int, list[int]] = {}
    for number, (a, b) in enumerate(ends.tolist()):
        at.setdefault(a, []).append(number)
        at.setdefault(b, []).append(number)
    along = place[ends[:, 1]] - place[ends[:, 0]]
    length = np.linalg.norm(along, axis=1)
    unit = along / np.where(length > 0.0, length, 1.0)[:, None]

    def goes_on(vertex: int) -> bool:
        mine = at[vertex]
        return len(mine) == 2 and abs(float(unit[mine[0]] @ unit[mine[1]])) > STRAIGHT_COSINE

    done = np.zeros(len(ends), np.bool_)
    lines: list[tuple[int, int]] = []
    for number, pair in enumerate(ends.tolist()):
        if done[number]:
            continue
        done[number] = True
        reached = []
        for vertex in pair:
            edge = number
            # Each step takes an edge that was not taken yet: there are at most as many as edges.
            while goes_on(vertex):
                edge = at[vertex][1] if at[vertex][0] == edge else at[vertex][0]
                if done[edge]:
                    break
                done[edge] = True
                vertex = int(ends[edge][1] if ends[edge][0] == vertex else ends[edge][0])
            reached.append(vertex)
        lines.append((reached[0], reached[1]))
    numbers = np.array(lines, dtype=np.int64).reshape(-1, 2)
    turning = {
        vertex
        for vertex, mine in at.items()
        if len(mine) != 2 or abs(float(unit[mine[0]] @ unit[mine[1]])) < CURVE_COSINE
    }
    corners = np.array(sorted(turning), dtype=np.int64)
    between = np.asarray(np.isin(numbers, corners).all(axis=1), dtype=np.bool_)
    return SharpLines(place[numbers], place[corners], between)
