"""How far a piece is from the face that lies opposite its farthest points in a direction."""

from typing import NamedTuple

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.contact.rays import hits_on_row_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece, Vec

FOREMOST_SHARE = 1e-6
"""Share of its size within which vertices belong to the farthest side of a piece."""
SAME_PLANE = 1e-7
"""Metres within which two points met lie on one flat face."""
FLAT_NORMAL = 1.0 - 1e-9
BACK_OFF = 1e3
"""Metres from which a face is looked for behind the side of a piece, where the piece is in it already."""
NOT_FROM_WITHIN, FROM_WITHIN = np.bool_(False), np.bool_(True)
OPPOSITE_NOTHING, FLAT, UNEVEN = 0, 1, 2


class FaceGap(NamedTuple):
    """``face``: OPPOSITE_NOTHING, FLAT or UNEVEN, as what the piece's farthest points meet. ``normal`` (3,) of the face,
    towards the piece. ``distance`` in metres, square to the face, of the piece's vertex ``mine`` (3,) that is nearest to
    it, negative where that is in it. Where nothing is met, ``mine`` is the farthest point, and ``distance`` how far along
    the direction that is."""

    face: int
    distance: float
    normal: Vec
    mine: Vec


def face_gap(index: SceneIndex, piece: Piece, row: int, direction: Vec) -> FaceGap:
    """How far ``piece`` is from the face of ``row`` that rays along unit ``direction`` (3,) meet from its farthest points.

    Three rays: from the middle of the farthest points, and from the two of them that are farthest apart across. They look
    ahead, and else just behind.
    """
    found = face_gap_kernel(
        index.forest,
        index.placed,
        row,
        index.mesh_of(piece).used_vertices,
        piece.pose.linear,
        piece.pose.origin,
        direction,
        frame_along(direction)[0],
    )
    return FaceGap(*found)


def faces_ahead(index: SceneIndex, row: int, points: Vec, direction: Vec) -> tuple[Vec, Vec]:
    """What rays from ``points`` (n, 3) along unit ``direction`` (3,) meet of ``row``, ahead, or else just behind them: points
    (k, 3) and unit normals (k, 3) towards the rays.

    A point that is in a solid is behind the face that it went in by: what it would come out by does not count.
    """
    met, normals = faces_ahead_kernel(index.forest, index.placed, row, np.ascontiguousarray(points), direction)
    return met, normals


@kernel
def faces_ahead_kernel(forest, placed, row, points, direction):
    """As ``faces_ahead``."""
    met, normals = hits_on_row_kernel(forest, placed, row, points, direction, NOT_FROM_WITHIN)
    if met.shape[0] > 0:
        return met, normals
    # In the face, or through it: it is found from before it.
    size = 0.0
    for k in range(3):
        size += (placed.hi[row, k] - placed.lo[row, k]) ** 2
    back = min(BACK_OFF, 1.0 + np.sqrt(size))
    return hits_on_row_kernel(forest, placed, row, points - back * direction, direction, FROM_WITHIN)


@kernel
def face_gap_kernel(forest, placed, row, vertices, linear, origin, direction, across):
    """As ``face_gap``. ``vertices`` (n, 3): local ones of the piece; ``linear`` (3, 3), ``origin`` (3,): its pose;
    ``across`` (3,): a unit vector square to ``direction``."""
    n = vertices.shape[0]
    points = np.empty((n, 3))
    farthest, tip = -np.inf, 0
    size = 0.0
    for k in range(3):
        low, high = np.inf, -np.inf
        for i in range(n):
            x, y, z = vertices[i, 0], vertices[i, 1], vertices[i, 2]
            points[i, k] = linear[k, 0] * x + linear[k, 1] * y + linear[k, 2] * z + origin[k]
            low, high = min(low, points[i, k]), max(high, points[i, k])
        size = max(size, high - low)
    along = np.empty(n)
    for i in range(n):
        along[i] = points[i, 0] * direction[0] + points[i, 1] * direction[1] + points[i, 2] * direction[2]
        if along[i] > farthest:
            farthest, tip = along[i], i
    starts = np.zeros((3, 3))
    foremost, leftmost, rightmost = 0, 0, 0
    left, right = np.inf, -np.inf
    for i in range(n):
        if along[i] < farthest - FOREMOST_SHARE * size:
            continue
        foremost += 1
        beside = points[i, 0] * across[0] + points[i, 1] * across[1] + points[i, 2] * across[2]
        if beside < left:
            left, leftmost = beside, i
        if beside > right:
            right, rightmost = beside, i
        for k in range(3):
            starts[0, k] += points[i, k]
    for k in range(3):
        starts[0, k] /= foremost
        starts[1, k], starts[2, k] = points[leftmost, k], points[rightmost, k]
    met, normals = faces_ahead_kernel(forest, placed, row, starts[: 3 if foremost > 1 else 1], direction)
    if met.shape[0] == 0:
        return OPPOSITE_NOTHING, farthest, -direction, points[tip].copy()
    distance, nearest = np.inf, 0
    for i in range(n):
        height = 0.0
        for k in range(3):
            height += (points[i, k] - met[0, k]) * normals[0, k]
        if height < distance:
            distance, nearest = height, i
    face = FLAT
    for j in range(1, met.shape[0]):
        height, facing = 0.0, 0.0
        for k in range(3):
            height += (met[j, k] - met[0, k]) * normals[0, k]
            facing += normals[j, k] * normals[0, k]
        if abs(height) > SAME_PLANE or facing <= FLAT_NORMAL:
            face = UNEVEN
    return face, distance, normals[0].copy(), points[nearest].copy()
