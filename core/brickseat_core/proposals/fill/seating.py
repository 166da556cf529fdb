"""Seating: a place that the grid proposed, made exact. Whatever comes of it stands on what is really there, and within the bay."""

from dataclasses import dataclass, replace
from enum import Enum

import numpy as np

from brickseat_core.admission.reasons import Reason
from brickseat_core.contact.contacts import query_contacts
from brickseat_core.contact.first_contact import CLOSE
from brickseat_core.contact.free_drop import free_drop
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import bands, cuts_something, measure_fit, triple
from brickseat_core.fit.rest import rest_once, tilt_between
from brickseat_core.placing.frames import PLUMB
from brickseat_core.placing.sliding import pushed
from brickseat_core.proposals.fill.room import Room
from brickseat_core.proposals.fill.shapes import Shape
from brickseat_core.scene import Piece, Pose, Vec, rotation_about
from brickseat_core.tolerances import CONTACT_EPSILON

LIFT = 1.5e-3
"""Metres a piece starts over its place, where there is so much room."""
MOST_BACK = 2e-3
"""Metres it is pushed back up at most, where the grid was too hopeful."""
LEAST_MARGIN, MARGIN_SHARE = 1e-3, 0.06
"""Metres, and share of its least plan extent, by which the weight of a piece lies inside what bears it."""
MOST_GRIP = 0.5
PUSH_CELLS = 2.2
LEAST_PUSH = 1e-5
REST_STEPS = 12
OFF = 2e-5
"""Metres a piece is raised before it is carried out, so that it does not scrape."""
CARRIED_UP = 1.2
"""Heights of itself that a piece is raised at most, to be carried out over what stands before it."""
MOST_TILT_DEG = 40.0


class Failed(Enum):
    """Why a piece does not come to stand at a place."""

    NO_ROOM = "no_room"
    TIPS = "tips"
    NOT_BORNE = "not_borne"
    OUT_OF_REACH = "out_of_reach"

    @property
    def reason(self) -> Reason:
        """The same among all reasons that there are."""
        return self.value


def dropped(room: Room, piece: Piece, back: float) -> Piece | None:
    """``piece`` in exact contact below, along the way onto the floor of the bay; pushed back up by ``back`` metres at most where it
    starts in something. None: no such place."""
    index, down = room.index, room.bay.down
    moving = replace(piece, direction=triple(down))
    free, travel, _ = free_drop(index, moving, -1, close=CLOSE)
    if free:
        return None if travel is None else piece.at(piece.pose.moved(travel * down))
    mover = index.mover_along(index.mesh_of(piece), piece.pose, moving.direction)
    near = index.near(mover, piece.pose.origin)
    lift = first_free_interval(index, mover, near, index.probes_of(piece), limit=back)
    if lift is None:
        return None
    raised = moving.at(piece.pose.moved(-lift * down))
    free, travel, _ = free_drop(index, raised, -1, close=CLOSE)
    return piece.at(raised.pose.moved(travel * down)) if free and travel is not None else None


def brought_up(room: Room, piece: Piece, along: Vec, most: float) -> Piece | None:
    """``piece``, which stands, pushed level along a unit vector (3,) of the world until it touches, and set down there again.

    None where there is nothing within ``most`` metres, or it is there already.
    """
    far, met = pushed(room.index, replace(piece, direction=triple(room.bay.down)), -1, along, most)
    if met is None or far < LEAST_PUSH:
        return None
    return dropped(room, piece.at(piece.pose.moved(far * along)), MOST_BACK)


@dataclass(frozen=True)
class Stand:
    """A piece that stands, and the ``rows`` of what bears it."""

    piece: Piece
    rows: tuple[int, ...]


def judged(room: Room, piece: Piece, shape: Shape, tolerance: float) -> Stand | Failed:
    """``piece`` where it is, or why it may not stay there. What only the bay itself holds is not borne."""
    band, leaning = bands(tolerance)
    with room.without_walls() as index:
        found = query_contacts(index, piece, -1, 0.0, band, leaning)
        if cuts_something(found):
            return judged_in_full(index, piece, shape, tolerance)
    if found.travel is None or found.travel > CONTACT_EPSILON or found.bearing is None:
        return Failed.NOT_BORNE
    bearing = found.bearing
    return Stand(piece, bearing.rows) if is_steady(bearing.margin, bearing.grip, shape) else Failed.TIPS


def judged_in_full(index: SceneIndex, piece: Piece, shape: Shape, tolerance: float) -> Stand | Failed:
    """As ``judged``, of a piece that one look finds to be in something: what is flush with a wall that leans may be in it by rounding."""
    fit = measure_fit(index, piece, tolerance)
    if fit.faults or fit.depth > CONTACT_EPSILON or fit.gap is None or fit.gap > CONTACT_EPSILON:
        return Failed.NO_ROOM
    steady = fit.balance_margin is not None and is_steady(fit.balance_margin, fit.grip, shape)
    return Stand(piece, tuple(index.row[key] for key in fit.rests_on)) if steady else Failed.TIPS


def is_steady(margin: float, grip: float | None, shape: Shape) -> bool:
    """Whether the weight lies ``margin`` metres, and so well inside, of what bears it, or is held without much grip."""
    if grip is not None:
        return grip <= MOST_GRIP
    extent = shape.hi - shape.lo
    return margin >= max(LEAST_MARGIN, MARGIN_SHARE * float(min(extent[0], extent[2])))


def seated(room: Room, piece: Piece, shape: Shape, pushes: list[Vec], tolerance: float, rests: bool) -> Stand | Failed:
    """``piece``, which starts where the grid proposed it, exactly in contact and in balance.

    ``pushes``: (3,) level unit vectors of the world along which it is brought up to what is near, one after the other.
    ``rests``: whether it may tilt to a stand where it would tip.
    """
    at = dropped(room, piece, MOST_BACK)
    if at is None:
        return Failed.NO_ROOM
    for along in pushes:
        at = brought_up(room, at, along, PUSH_CELLS * room.h) or at
    found = judged(room, at, shape, tolerance)
    if found is Failed.TIPS and rests:
        rested = rest_once(room.index, at, tolerance, REST_STEPS)
        if rested.stable and tilt_between(at.pose.linear, rested.pose.linear) <= MOST_TILT_DEG:
            return judged(room, at.at(rested.pose), shape, tolerance)
    return found


def can_be_carried_in(room: Room, piece: Piece) -> bool:
    """Whether ``piece``, where it stands, can be brought there from the open side: level, or level and then down as far as there is room."""
    front = room.bay.turn @ room.bay.front
    lo, hi = room.index.box_of(piece)
    extent = float(np.abs(front) @ (hi - lo))
    out = float(
        room.bay.solid.vertices.max(axis=0) @ np.maximum(front, 0.0)
        - room.bay.solid.vertices.min(axis=0) @ np.maximum(-front, 0.0)
    )
    far = out - float(piece.pose.origin @ front) + extent
    up = -room.bay.down
    with room.without_walls() as index:
        over = free_drop(index, replace(piece, direction=triple(up)).at(piece.pose.moved(OFF * up)), -1)[1]
        high = CARRIED_UP * float(hi[1] - lo[1]) if over is None else min(over, CARRIED_UP * float(hi[1] - lo[1]))
        for lift in (OFF, 0.5 * high, high - OFF):
            raised = replace(piece, direction=triple(front)).at(piece.pose.moved(max(lift, OFF) * up))
            free, travel, _ = free_drop(index, raised, -1)
            if free and (travel is None or travel >= far):
                return True
    return False


def turned_a_little(room: Room, piece: Piece, shape: Shape, degrees: float, tolerance: float) -> Stand | None:
    """``piece``, which stands, turned about the vertical, off what is behind and left of it, and set down again; None where it cannot."""
    lo, hi = room.index.box_of(piece)
    middle = 0.5 * (lo + hi)
    a, own, down = np.radians(degrees), room.bay.turn, room.bay.down
    turn = own @ rotation_about(PLUMB, a) @ own.T
    front = own @ room.bay.front
    right = np.cross(front, down)
    wider = 0.5 * abs(np.sin(a)) * (shape.hi - shape.lo)
    # Its corners reach out as far behind it as it is moved to the front, and the same to the left.
    off = wider[0] * front + wider[2] * right - 0.2 * LIFT * down
    pose = Pose.of(turn @ piece.pose.linear, middle + turn @ (piece.pose.origin - middle) + off)
    free, travel, _ = free_drop(room.index, replace(piece, direction=triple(down)).at(pose), -1, close=CLOSE)
    if not free or travel is None or travel > MOST_BACK:
        return None
    at = piece.at(pose.moved(travel * down))
    found = judged(room, at, shape, tolerance)
    return found if isinstance(found, Stand) else None
