"""Small exact movements: turn a piece about a point, and bring it back into contact."""

import numpy as np

from brickseat_core.contact.drop import first_contact
from brickseat_core.contact.index import Near, SceneIndex, frame_along
from brickseat_core.contact.retreat import first_window
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, SHRINK

REAL_CONTACT = 1e-5
"""Contacts of a stand are within a hundredth of a millimetre."""


def turned_about(piece: Piece, rotation: Vec, centre: Vec) -> Piece:
    pose = piece.pose
    return piece.at(Pose.of(rotation @ pose.linear, centre + rotation @ (pose.origin - centre)))


def landed_after(index: SceneIndex, piece: Piece, row: int, limit: float) -> Piece | None:
    """Exactly in contact: dropped, or pushed back by no more than ``limit`` metres when it cuts something."""
    direction = np.asarray(piece.direction)
    mover = index.mover(piece.prop.mesh, piece.pose, frame_along(direction))
    near = index.near(mover, piece.pose.origin, row)
    drop = first_contact(index, mover, near)
    if not drop.started:
        return None if drop.travel is None else piece.at(piece.pose.moved(direction * drop.travel))
    probes = piece.pose.apply(piece.prop.mesh.probes)
    lift = first_window(index, mover, near, probes, limit=limit)
    if lift is not None and lift <= CONTACT_EPSILON:
        flush = out_of_flush(index, piece, near, probes)
        if flush is not None:
            return piece.at(piece.pose.moved(direction * flush)) if abs(flush) <= limit else None
    return None if lift is None else piece.at(piece.pose.moved(-direction * lift))


def out_of_flush(index: SceneIndex, piece: Piece, near: Near, probes: Vec) -> float | None:
    """Travel out of a piece whose faces lie in the same planes as this one's; None when there is no such."""
    direction = np.asarray(piece.direction)
    rows = [int(r) for r in near.rows]
    slim = piece.shrunk(SHRINK)
    mover = index.mover(slim.prop.mesh, slim.pose, frame_along(direction))
    lift = first_window(index, mover, index.only(mover, slim.pose.origin, rows), probes)
    given = SHRINK * float(mover.hi[0, 2] - mover.lo[0, 2])
    if lift is None or lift <= CONTACT_EPSILON + 2.0 * given:
        # No deeper than what the shrinking hides: it touches, or grazes.
        return None
    raised = lift + given
    freed = piece.at(piece.pose.moved(-direction * raised))
    whole = index.mover(freed.prop.mesh, freed.pose, frame_along(direction))
    rest = first_contact(index, whole, index.only(whole, freed.pose.origin, rows)).travel
    return None if rest is None else rest - raised
