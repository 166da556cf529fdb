"""What ties measure: how far a piece is from a face, and by how much it is turned against it."""

import math
from typing import NamedTuple

import numpy as np

from brickseat_core.constraints.lining import world_vertices
from brickseat_core.contact.face_gap import FLAT, OPPOSITE_NOTHING, face_gap, faces_ahead
from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.contact.rays import first_hit
from brickseat_core.scene import Piece, Tie, Triple, Vec


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
    candidates: list[tuple[float, Triple]] = []
    for k in (0, 2):
        for sign, room in ((1.0, other_lo[k] - hi[k]), (-1.0, lo[k] - other_hi[k])):
            direction = [0.0, 0.0, 0.0]
            direction[k] = sign
            met = first_hit(
                index, 0.5 * (lo + hi), np.array(direction), index.row.get(piece.key, -1), index.row[to.key]
            )
            distance = met.distance if met is not None else 1e6 + abs(float(room))
            candidates.append((distance, (direction[0], 0.0, direction[2])))
    return min(candidates, key=lambda candidate: candidate[0])[1]


def gap_to(index: SceneIndex, piece: Piece, to: Piece, side: Triple) -> Gap:
    """How far ``piece`` is from the face of ``to`` that is met from its farthest points along ``side``.

    Square to that face: the nearest of all the piece's vertices. Where the face is not flat, as far as the piece goes
    until it touches. Where nothing is met, because the two are not opposite each other, along ``side`` to what of ``to``
    lies nearest in it.
    """
    direction = np.asarray(side, dtype=np.float64)
    found = face_gap(index, piece, index.row[to.key], direction)
    if found.face == OPPOSITE_NOTHING:
        distance = float((world_vertices(index, to) @ direction).min()) - found.distance
        return Gap(distance, found.normal, found.mine, found.mine + distance * direction)
    square = Gap(found.distance, found.normal, found.mine, found.mine - found.distance * found.normal)
    return square if found.face == FLAT else gap_to_uneven(index, piece, to, direction) or square


def gap_to_uneven(index: SceneIndex, piece: Piece, to: Piece, direction: Vec) -> Gap | None:
    """As ``gap_to``, along ``direction`` until it touches; None where the piece meets nothing or is in it already."""
    mover = index.mover(index.mesh_of(piece), piece.pose, frame_along(direction))
    met = first_contact(index, mover, index.only(mover, piece.pose.origin, [index.row[to.key]]))
    if met.initially_intersecting or met.travel is None:
        return None
    lo, hi = index.box_of(piece)
    middle = 0.5 * (lo + hi)
    return Gap(met.travel, -direction, middle, middle + met.travel * direction)


def turn_against(index: SceneIndex, piece: Piece, to: Piece, tie: Tie) -> float | None:
    """Radians by which ``piece`` is to be turned about the vertical until one of its level axes is square to the face of
    ``to`` that lies in the tie's direction, plus its angle: the nearest way. None where no upright face is met."""
    side = np.asarray(tie.side if tie.side is not None else nearest_side(index, piece, to), dtype=np.float64)
    lo, hi = index.box_of(piece)
    met, normals = faces_ahead(index, index.row[to.key], (0.5 * (lo + hi))[None], side)
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
