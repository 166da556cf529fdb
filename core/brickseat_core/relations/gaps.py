"""What ties measure: how far a piece is from a face, and by how much it is turned against it."""

import math
from typing import NamedTuple

import numpy as np

from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.mover import frame_along
from brickseat_core.contact.rays import first_hit, hits_on
from brickseat_core.relations.lining import world_vertices
from brickseat_core.scene import Piece, Tie, Triple, Vec

FOREMOST_SHARE = 1e-6
"""Share of its size within which vertices belong to the farthest side of a piece."""
SAME_PLANE = 1e-7
"""Metres within which two points met lie on one flat face."""
BACK_OFF = 1e3
"""Metres from which a face is looked for behind the side of a piece, where the piece is in it already."""
FLAT_NORMAL = 1.0 - 1e-9


class Gap(NamedTuple):
    """``distance`` in metres, negative where the piece is in the face; ``normal`` (3,) of the face, towards the piece;
    ``mine``, ``theirs`` (3,): the two points that are so far apart."""

    distance: float
    normal: Vec
    mine: Vec
    theirs: Vec


def nearest_side(index: SceneIndex, piece: Piece, to: Piece) -> Triple:
    """The level direction, along one of the world's axes, in which ``piece`` is nearest to ``to``."""
    lo, hi = index.box_of(piece)
    other_lo, other_hi = index.box_of(to)
    ways: list[tuple[float, Triple]] = []
    for k in (0, 2):
        for sign, room in ((1.0, other_lo[k] - hi[k]), (-1.0, lo[k] - other_hi[k])):
            way = [0.0, 0.0, 0.0]
            way[k] = sign
            met = first_hit(index, 0.5 * (lo + hi), np.array(way), index.row.get(piece.key, -1), index.row[to.key])
            distance = met.distance if met is not None else 1e6 + abs(float(room))
            ways.append((distance, (way[0], 0.0, way[2])))
    return min(ways, key=lambda way: way[0])[1]


def face_met(index: SceneIndex, to: Piece, points: Vec, side: Vec) -> tuple[Vec, Vec]:
    """What rays from ``points`` (n, 3) along unit ``side`` (3,) meet of ``to``, ahead, or else just behind them: points
    (k, 3) and unit normals (k, 3) towards the rays."""
    row = index.row[to.key]
    met, normals = hits_on(index, row, points, side)
    if len(met):
        return met, normals
    # In the face, or through it: it is found from before it.
    lo, hi = index.box_of(to)
    back = min(BACK_OFF, 1.0 + float(np.linalg.norm(hi - lo)))
    return hits_on(index, row, points - back * side, side)


def gap_to(index: SceneIndex, piece: Piece, to: Piece, side: Triple) -> Gap:
    """How far ``piece`` is from the face of ``to`` that is met from its farthest points along ``side``.

    Square to that face: the nearest of all the piece's vertices. Where the face is not flat, as far as the piece goes
    until it touches. Where nothing is met, because the two are not opposite each other, along ``side`` to what of ``to``
    lies nearest in it.
    """
    way = np.asarray(side)
    points = world_vertices(index, piece)
    along = points @ way
    farthest = float(along.max())
    size = float((points.max(axis=0) - points.min(axis=0)).max())
    foremost = points[along >= farthest - FOREMOST_SHARE * size]
    starts = foremost.mean(axis=0)[None]
    if len(foremost) > 1:
        across = foremost @ frame_along(way)[0]
        starts = np.concatenate([starts, foremost[[int(np.argmin(across)), int(np.argmax(across))]]])
    met, normals = face_met(index, to, starts, way)
    if not len(met):
        distance = float((world_vertices(index, to) @ way).min()) - farthest
        return Gap(distance, -way, foremost[0], foremost[0] + distance * way)
    normal = normals[0]
    heights = (points - met[0]) @ normal
    nearest = int(np.argmin(heights))
    distance = float(heights[nearest])
    flat = np.abs((met - met[0]) @ normal).max() <= SAME_PLANE and (normals @ normal).min() > FLAT_NORMAL
    found = Gap(distance, normal, points[nearest], points[nearest] - distance * normal)
    return found if flat else gap_to_uneven(index, piece, to, way) or found


def gap_to_uneven(index: SceneIndex, piece: Piece, to: Piece, way: Vec) -> Gap | None:
    """As ``gap_to``, along ``way`` until it touches; None where the piece meets nothing or is in it already."""
    mover = index.mover(index.mesh_of(piece), piece.pose, frame_along(way))
    met = first_contact(index, mover, index.only(mover, piece.pose.origin, [index.row[to.key]]))
    if met.initially_intersecting or met.travel is None:
        return None
    lo, hi = index.box_of(piece)
    middle = 0.5 * (lo + hi)
    return Gap(met.travel, -way, middle, middle + met.travel * way)


def turn_against(index: SceneIndex, piece: Piece, to: Piece, tie: Tie) -> float | None:
    """Radians by which ``piece`` is to be turned about the vertical until one of its level axes is square to the face of
    ``to`` that lies in the tie's direction, plus its angle: the nearest way. None where no upright face is met."""
    side = np.asarray(tie.side if tie.side is not None else nearest_side(index, piece, to))
    lo, hi = index.box_of(piece)
    met, normals = face_met(index, to, (0.5 * (lo + hi))[None], side)
    if not len(met):
        return None
    normal = normals[0]
    level = math.hypot(normal[0], normal[2])
    front = piece.pose.linear[:, 2]
    if level < 1e-6 or math.hypot(front[0], front[2]) < 1e-9:
        return None
    wanted = math.atan2(normal[0], normal[2]) + math.radians(tie.angle)
    off = math.remainder(wanted - math.atan2(front[0], front[2]), 0.5 * math.pi)
    return float(off)
