"""Lean: a ladder, a plank, a shovel tips over its foot until its top touches something, exactly.

It hinges on the contact that lies farthest on the side it falls to. Each small turn is followed by an exact drop;
as soon as more than the foot would have to be pushed back, something else is in the way, and the turn is halved.
"""

import numpy as np

from brickseat_core.contact.contacts import contact_points
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.balance import balance_margin, offset_to_balance, support_polygon
from brickseat_core.fit.landing import REAL_CONTACT, landed_after, turned_about
from brickseat_core.scene import Piece, Vec, rotation_about

FIRST_TURN = np.radians(0.5)
MOST_TURN = np.radians(1.0)
LEAST_TRAVEL = 2e-8
"""Metres by which the farthest point of the piece may still be off what it leans on."""
MOST_FALL = np.radians(80.0)
FOOT_SHARE = 0.05
"""What a foot may have to be pushed back while it rolls, as a share of how far the top travels."""
MOST_STEPS = 150
MOST_SMALL_STEPS = 48
"""Turns smaller than the first one: twice what closing in on a wall takes; beyond it the piece only grates."""


def tipped(index: SceneIndex, piece: Piece, row: int) -> Piece | None:
    """The piece, standing exactly but out of balance, tipped until it leans; None when nothing catches it."""
    lo, hi = index.box_of(piece)
    size = float(np.linalg.norm(hi - lo))
    at, angle, fallen, small = piece, FIRST_TURN, 0.0, 0
    for _ in range(MOST_STEPS):
        small += angle < FIRST_TURN
        if small > MOST_SMALL_STEPS:
            return None
        hinge, fall = hinge_of(index, at, row)
        if hinge is None:
            return None
        axis = np.array([fall[1], 0.0, -fall[0]])
        further = turned_about(at, rotation_about(axis, angle), hinge)
        landed = landed_after(index, further, row, FOOT_SHARE * angle * size + LEAST_TRAVEL)
        if landed is not None:
            at, fallen = landed, fallen + angle
            angle = min(MOST_TURN, 1.5 * angle) if fallen < MOST_FALL and angle >= FIRST_TURN else angle
        else:
            angle *= 0.5
        if angle * size < LEAST_TRAVEL:
            return at
        if fallen > MOST_FALL:
            return None
    return None


def hinge_of(index: SceneIndex, at: Piece, row: int) -> tuple[Vec | None, Vec]:
    """The contact it falls over, and the horizontal way (x, z) it falls; None when it does not fall."""
    points = contact_points(index, at, row, REAL_CONTACT)
    if not len(points):
        return None, np.zeros(2)
    centre = index.centre_of_mass(at)[[0, 2]]
    polygon = support_polygon(points[:, [0, 2]])
    if balance_margin(polygon, centre) >= 0.0:
        return None, np.zeros(2)
    fall = -offset_to_balance(polygon, centre)
    fall = fall / np.linalg.norm(fall)
    return points[int(np.argmax(points[:, [0, 2]] @ fall))], fall
