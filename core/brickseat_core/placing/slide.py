"""Slide and push: along a surface, seated all the way, up to the first contact and then along it.

Walked in short steps. Each is tried on the level above what may be climbed and dropped from there exactly; where that
is not free, the piece goes on level until it touches, exactly, and what is left of the way follows the surface
it touched.
"""

from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.drop import first_contact
from brickseat_core.contact.features import near_features
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.mover import frame_along
from brickseat_core.fit.seat import seat
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import LIFT_OFF

CLIMB_SHARE, MOST_CLIMB = 1.0, 0.3
"""A piece slides up onto what is no higher than this share of its own height, or this many metres."""
NEIGHBOUR_SHARE = 0.25
"""Share of that up to which it slides up onto another piece: a plate, not the jar beside it."""
PUSH_CLIMB = 0.01
"""Metres of unevenness that a push passes over; at anything higher it stops."""
STEP_SHARE = 0.2
"""Length of a step as a share of the piece's least extent: too short to pass through anything."""
MOST_STEP = 0.05
LEAST_STEP = 1e-6
MOST_TURNS = 4
NORMAL_MARGIN = 5e-5


@dataclass(frozen=True)
class Slid:
    """Where it got to, the metres it was moved level, and the keys of what stopped or turned it."""

    pose: Pose
    travelled: float
    against: tuple[str, ...]


def climb_of(piece: Piece) -> float:
    lo, hi = piece.world_box()
    direction = np.asarray(piece.direction)
    return min(MOST_CLIMB, CLIMB_SHARE * float(np.abs(direction) @ (hi - lo)))


def slide(index: SceneIndex, piece: Piece, by: Vec, climb: float) -> Slid:
    """``piece``, which stands seated, moved by ``by`` (3,) metres across its seating direction.

    ``climb``: metres it may rise at once. What is left of the way at an obstacle is followed along it.
    """
    direction = np.asarray(piece.direction)
    row = index.row.get(piece.key, -1)
    wanted_sink = direction * (piece.sink - piece.stand_off)
    plain = Piece(piece.key, piece.name, piece.prop, piece.pose.moved(-wanted_sink), piece.role, piece.direction)
    at = plain.at(seat(index, plain).pose)
    lo, hi = piece.world_box()
    # Along gravity or a wall's normal the piece does not travel: its extent there does not count.
    across = np.abs(direction) < 0.9
    longest = min(MOST_STEP, STEP_SHARE * float((hi - lo)[across].min()))
    left = by - direction * float(by @ direction)
    travelled, turns = 0.0, 0
    against: list[str] = []
    while (length := float(np.linalg.norm(left))) > LEAST_STEP:
        way = left / length
        step = min(length, longest)
        further = stepped(index, at, row, way * step, climb)
        if further is not None:
            at, left, travelled = further, left - way * step, travelled + step
            continue
        free, met = pushed(index, at, row, way, step)
        at, travelled = at.at(at.pose.moved(way * free)), travelled + free
        left = left - way * free
        if met is not None and (name := index.keys[met] or "") not in against:
            against.append(name)
        normal = None if turns == MOST_TURNS or met is None else facing(index, at, row, way)
        if normal is None:
            break
        turns += 1
        level = normal - direction * float(normal @ direction)
        level /= max(float(np.linalg.norm(level)), 1e-12)
        left = left - level * float(left @ level)
    landed = seat(index, at)
    pose = at.pose if landed.travel is None else landed.pose
    return Slid(pose.moved(wanted_sink), travelled, tuple(against))


def stepped(index: SceneIndex, at: Piece, row: int, step: Vec, climb: float) -> Piece | None:
    """One step on: dropped from ``climb`` metres above; None where it is not free there or nothing bears it."""
    direction = np.asarray(at.direction)
    raised = at.at(at.pose.moved(step - direction * max(climb, LIFT_OFF)))
    mover = index.mover(at.prop.mesh, raised.pose, frame_along(direction))
    drop = first_contact(index, mover, index.near(mover, raised.pose.origin, row))
    if drop.started or drop.travel is None or drop.row is None:
        return None
    onto = index.pieces[index.keys[drop.row] or ""]
    if onto.role == "prop" and max(climb, LIFT_OFF) - drop.travel > NEIGHBOUR_SHARE * climb + LIFT_OFF:
        return None
    return raised.at(raised.pose.moved(direction * drop.travel))


def pushed(index: SceneIndex, at: Piece, row: int, way: Vec, most: float) -> tuple[float, int | None]:
    """Metres it goes level along ``way`` before it touches, at most ``most``, and the row that it touches."""
    raised = at.at(at.pose.moved(-np.asarray(at.direction) * LIFT_OFF))
    mover = index.mover(at.prop.mesh, raised.pose, frame_along(way))
    near = index.near(mover, raised.pose.origin, row)
    drop = first_contact(index, mover, near)
    cut = set(drop.started)
    if cut or drop.travel is None or drop.travel >= most:
        # Something it cuts, or something it meets only on its way down: it stays where it is.
        return 0.0, next(iter(sorted(cut)), None)
    return max(0.0, drop.travel), drop.row


def facing(index: SceneIndex, at: Piece, row: int, way: Vec) -> Vec | None:
    """Unit normal of the surface touched that is most against ``way``; None when none is."""
    direction = np.asarray(at.direction)
    off = at.at(at.pose.moved(-direction * LIFT_OFF - way * LIFT_OFF))
    mover = index.mover(at.prop.mesh, off.pose, frame_along(direction))
    found = near_features(index, mover, index.near(mover, off.pose.origin, row, NORMAL_MARGIN), NORMAL_MARGIN)
    normals = found.normals @ mover.frame
    # What it stands on does not stop it; what it touches beside itself does.
    beside = np.abs(normals @ direction) < 0.9
    if not beside.any():
        return None
    against = normals[beside] @ way
    worst = int(np.argmin(against))
    return np.asarray(normals[beside][worst]) if against[worst] < -1e-3 else None
