"""Small exact movements: turn a piece about a point, and bring it back into contact."""

import numpy as np

from brickseat_core.contact.first_contact import CLOSE
from brickseat_core.contact.free_drop import free_drop
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.scene import Piece, Pose, Vec

REAL_CONTACT = 1e-5
"""Contacts of a stand are within a hundredth of a millimetre."""


def turned_about(piece: Piece, rotation: Vec, centre: Vec) -> Piece:
    """The piece turned by ``rotation`` (3, 3) about a world point ``centre`` (3,)."""
    pose = piece.pose
    return piece.at(Pose.of(rotation @ pose.linear, centre + rotation @ (pose.origin - centre)))


def landed_on(index: SceneIndex, piece: Piece, row: int, limit: float) -> tuple[Piece, int] | None:
    """Exactly in contact: dropped, or pushed back by no more than ``limit`` metres when it cuts something; and the row
    of what it landed on, -1 when it was pushed back.

    It starts all but there, so that nothing can be flush with it on all sides. None when there is no such place.
    """
    direction = np.asarray(piece.direction)
    free, travel, met = free_drop(index, piece, row, hidden=False, close=CLOSE)
    if free:
        return None if travel is None else (piece.at(piece.pose.moved(direction * travel)), met)
    mover = index.mover(index.mesh_of(piece), piece.pose, frame_along(direction))
    near = index.near(mover, piece.pose.origin, row)
    lift = first_free_interval(index, mover, near, index.probes_of(piece), limit=limit)
    return None if lift is None else (piece.at(piece.pose.moved(-direction * lift)), -1)


def landed_after(index: SceneIndex, piece: Piece, row: int, limit: float) -> Piece | None:
    """``landed_on``, without what it landed on."""
    landed = landed_on(index, piece, row, limit)
    return None if landed is None else landed[0]
