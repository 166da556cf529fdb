"""Slide and push: along a surface, seated all the way, up to the first contact and then along it.

Walked in short steps. Each is tried on the level above what may be climbed and dropped from there exactly; where that
is not free, the piece goes on level until it touches, exactly, and what is left of the way follows the surface
it touched.
"""

import math
from dataclasses import dataclass

import numpy as np

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.features import near_features
from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.fit.set_down import set_down
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import LIFT_OFF

CLIMB_SHARE, MOST_CLIMB = 1.0, 0.3
"""A piece slides up onto what is no higher than this share of its own height, or this many metres."""
NEIGHBOUR_SHARE = 0.25
"""Share of that up to which it slides up onto another piece: a plate, not the jar beside it."""
PUSH_CLIMB = 0.01
"""Metres of unevenness that a push passes over; at anything higher it stops."""
STEP_SHARE = 0.2
"""Length of a step as a share of the piece's extent along its path."""
SHORTEST_STEP, LONGEST_STEP = 0.01, 0.05
"""Metres of a step. Thin things do not take thinner steps than this: nothing is passed through, because the whole of each
step is looked at, and what is thinner than a step is stepped over only where it may be climbed over."""
LEAST_STEP = 1e-6
MOST_TURNS = 4
MOST_STEPS = 10_000
"""Steps of one slide at most: a hundred metres in the shortest steps."""
NORMAL_MARGIN = 5e-5


@dataclass(frozen=True)
class Slid:
    """Where it got to, the metres it was moved level, and the keys of what stopped or turned it."""

    pose: Pose
    travelled: float
    against: tuple[str, ...]


def climb_of(index: SceneIndex, piece: Piece) -> float:
    """Metres that a piece slides up at once: its own height, within bounds."""
    lo, hi = index.box_of(piece)
    direction = np.asarray(piece.direction)
    return min(MOST_CLIMB, CLIMB_SHARE * float(np.abs(direction) @ (hi - lo)))


def slide(index: SceneIndex, piece: Piece, by: Vec, climb: float, budget: Budget = UNLIMITED) -> Slid:
    """``piece``, which stands seated, moved by ``by`` (3,) metres across its seating direction.

    ``climb``: metres it may rise at once. What is left of the way at an obstacle is followed along it.
    Raises TooLong when ``budget`` is over.
    """
    direction = np.asarray(piece.direction)
    row = index.row.get(piece.key, -1)
    wanted_sink = direction * (piece.sink - piece.stand_off)
    # Dropped from where it is: what was raised by a stand-off may lie nearer than that by now.
    plain = piece.at(piece.pose.moved(-direction * piece.sink)).plain
    at = plain.at(set_down(index, plain).pose)
    left = by - direction * float(by @ direction)
    # It goes without turning: its size is the same all the way.
    lo, hi = index.box_of(at)
    size = hi - lo
    travelled, turns = 0.0, 0
    against: list[str] = []
    for _ in range(MOST_STEPS):
        length = math.hypot(*left)
        if length <= LEAST_STEP:
            break
        budget.check()
        along = left / length
        extent = float(np.abs(along) @ size)
        step = min(length, step_length(extent))
        # What is longer along its path than the step meets what is in its way where it arrives.
        clear = step <= extent or not is_in_the_way(index, at, row, along * step, climb)
        further = stepped(index, at, row, along * step, climb) if clear else None
        if further is not None:
            at, left, travelled = further, left - along * step, travelled + step
            continue
        free, met = pushed(index, at, row, along, step)
        at, travelled = at.at(at.pose.moved(along * free)), travelled + free
        left = left - along * free
        if met is not None and (name := index.keys[met] or "") not in against:
            against.append(name)
        normal = None if turns == MOST_TURNS or met is None else facing(index, at, row, along)
        if normal is None:
            break
        turns += 1
        level = normal - direction * float(normal @ direction)
        level /= max(float(np.linalg.norm(level)), 1e-12)
        left = left - level * float(left @ level)
    landed = set_down(index, at)
    pose = at.pose if landed.travel is None else landed.pose
    return Slid(pose.moved(wanted_sink), travelled, tuple(against))


def step_length(extent: float) -> float:
    """Metres of the next step of a piece that has this ``extent`` along its path, whatever its thickness."""
    return min(LONGEST_STEP, max(SHORTEST_STEP, STEP_SHARE * extent))


def stepped(index: SceneIndex, at: Piece, row: int, step: Vec, climb: float) -> Piece | None:
    """One step on: carried level at ``climb`` metres above, and dropped there.

    None where something is in its way, or nothing bears it.
    """
    direction = np.asarray(at.direction)
    lift = max(climb, LIFT_OFF)
    raised = at.at(at.pose.moved(step - direction * lift))
    mover = index.mover_along(index.mesh_of(at), raised.pose, at.direction)
    drop = first_contact(index, mover, index.near(mover, raised.pose.origin, row))
    if drop.initially_intersecting or drop.travel is None or drop.row is None:
        return None
    onto = index.pieces[index.keys[drop.row] or ""]
    if onto.role == "prop" and lift - drop.travel > NEIGHBOUR_SHARE * climb + LIFT_OFF:
        return None
    return at.at(raised.pose.moved(direction * drop.travel))


def is_in_the_way(index: SceneIndex, at: Piece, row: int, step: Vec, climb: float) -> bool:
    """Whether the raised piece meets anything within a step that is longer than itself: it would be passed through."""
    above = at.pose.moved(-np.asarray(at.direction) * max(climb, LIFT_OFF))
    length = math.hypot(*step)
    mover = index.mover(index.mesh_of(at), above, frame_along(step / length))
    drop = first_contact(index, mover, index.near(mover, above.origin, row))
    return bool(drop.initially_intersecting) or (drop.travel is not None and drop.travel < length)


def pushed(index: SceneIndex, at: Piece, row: int, along: Vec, most: float) -> tuple[float, int | None]:
    """Metres it goes level along a unit vector (3,) before it touches, at most ``most``, and the row that it touches."""
    raised = at.at(at.pose.moved(-np.asarray(at.direction) * LIFT_OFF))
    mover = index.mover(index.mesh_of(at), raised.pose, frame_along(along))
    near = index.near(mover, raised.pose.origin, row)
    drop = first_contact(index, mover, near)
    if drop.initially_intersecting or drop.travel is None or drop.travel >= most:
        # Something it cuts, or something it meets only on its way down: it stays where it is.
        return 0.0, min(drop.initially_intersecting, default=None)
    return max(0.0, drop.travel), drop.row


def facing(index: SceneIndex, at: Piece, row: int, along: Vec) -> Vec | None:
    """Unit normal (3,) of the surface touched that is most against ``along``; None when none is."""
    direction = np.asarray(at.direction)
    off = at.at(at.pose.moved(-direction * LIFT_OFF - along * LIFT_OFF))
    mover = index.mover(index.mesh_of(at), off.pose, frame_along(direction))
    found = near_features(index, mover, index.near(mover, off.pose.origin, row, NORMAL_MARGIN), NORMAL_MARGIN)
    normals = found.normals @ mover.frame
    # What it stands on does not stop it; what it touches beside itself does.
    beside = np.abs(normals @ direction) < 0.9
    if not beside.any():
        return None
    against = normals[beside] @ along
    worst = int(np.argmin(against))
    return np.asarray(normals[beside][worst]) if against[worst] < -1e-3 else None
