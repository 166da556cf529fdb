"""How far two pieces surely hold each other: while a point of one lies in the material of the other, they are not parted.

Along one direction such points are looked for one after another: where the last one leaves the other, a next one may be
in it still. The travel that they bar together bounds the separation from below, and mostly comes close to it, for a few rays
instead of a walk over both trees.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.arena import Forest
from brickseat_core.geometry.rays import ASLANT, crossings, first_on_tree
from brickseat_core.kernels import inner_kernel, kernel, nested_kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON

MOST_STEPS = 64
"""Points that are followed on one direction, one from where the last one leaves; five are usual."""
MOST_LOOKS = 48
"""Points that are looked at for the next one."""
HELD, FREE = np.int8(1), np.int8(-1)


class Holding(NamedTuple):
    """Points of two pieces, each in the coordinates of the other one, which may hold it.

    ``points``: (n, 3), those of the one that moves first, ``own`` of them. Of the other one of those (0) and of the one that
    moves (1): ``turn`` (2, 3, 3), a direction out in its coordinates; ``up`` (2, 3); ``root``, ``sense``, ``closed`` (2,).
    What is learnt on the way: ``now`` (n,), whether a point is ``HELD`` or ``FREE`` before anything moves, 0 where nobody
    looked; ``order`` (n,), numbers of the points, those first that lately held. ``room``: (3, 3).
    """

    forest: Forest
    points: Vec
    own: int
    turn: Vec
    up: Vec
    root: NDArray[np.int64]
    sense: Vec
    closed: NDArray[np.bool_]
    now: NDArray[np.int8]
    order: NDArray[np.int64]
    room: Vec


@kernel
def holding_kernel(forest, placed, moving, linear, inverse, origin, row, mine, theirs):
    """``Holding`` of a mesh at a pose and what stands in ``row``. ``mine``, ``theirs``: points within them, each in the
    coordinates of its own mesh."""
    own = mine.shape[0]
    points = np.empty((own + theirs.shape[0], 3))
    turn = np.empty((2, 3, 3))
    up = np.empty((2, 3))
    for c in range(3):
        for k in range(3):
            turn[0, c, k] = placed.inverse[row, c, k]
            # It moves out of what stands: to it, that moves the other way.
            turn[1, c, k] = -inverse[c, k]
    for side in range(2):
        sign = 1.0 if side == 0 else -1.0
        for c in range(3):
            up[side, c] = 0.0
            for k in range(3):
                up[side, c] += sign * turn[side, c, k] * ASLANT[k]
    world = np.empty(3)
    for i in range(points.shape[0]):
        for k in range(3):
            if i < own:
                world[k] = origin[k] - placed.origin[row, k]
                for c in range(3):
                    world[k] += linear[k, c] * mine[i, c]
            else:
                world[k] = placed.origin[row, k] - origin[k]
                for c in range(3):
                    world[k] += placed.linear[row, k, c] * theirs[i - own, c]
        for c in range(3):
            points[i, c] = 0.0
            for k in range(3):
                points[i, c] += (placed.inverse[row, c, k] if i < own else inverse[c, k]) * world[k]
    root = np.array([np.int64(placed.root[row]), np.int64(moving.node0)])
    sense = np.array([placed.sense[row], moving.outside])
    closed = np.array([placed.closed[row], True])
    n = points.shape[0]
    return Holding(
        forest, points, own, turn, up, root, sense, closed, np.zeros(n, np.int8), np.arange(n), np.empty((3, 3))
    )


@kernel
def held_along(holding, along, goal):
    """Metres along the unit vector ``along`` on all of which one of the two holds a point of the other; followed no further
    once it is ``goal``."""
    room, order = holding.room, holding.order
    for side in range(2):
        for c in range(3):
            room[side, c] = 0.0
            for k in range(3):
                room[side, c] += holding.turn[side, c, k] * along[k]
    held = 0.0
    for _ in range(MOST_STEPS):
        at = held + CONTACT_EPSILON if held > 0.0 else 0.0
        further = held
        looks = 0
        for place in range(order.shape[0]):
            number = order[place]
            side = 0 if number < holding.own else 1
            if holding.sense[side] == 0.0 or (at == 0.0 and holding.now[number] == FREE):
                continue
            for c in range(3):
                room[2, c] = holding.points[number, c] + at * room[side, c]
            if holding.closed[side] and outside_box(holding.forest, holding.root[side], room[2]):
                continue
            looks += 1
            if looks > MOST_LOOKS:
                break
            further = max(held, at + way_out(holding, number, side, at == 0.0) - CONTACT_EPSILON)
            if further > held:
                for k in range(place, 0, -1):
                    order[k] = order[k - 1]
                order[0] = number
                break
        if further <= held or further >= goal:
            return further
        held = further
    return held


@inner_kernel
def outside_box(forest, node, point):
    """Does a point lie outside the box of a node?"""
    outside = False
    for k in range(3):
        outside = outside or point[k] < forest.lo[node, k] or point[k] > forest.hi[node, k]
    return outside


@nested_kernel
def way_out(holding, number, side, at_start):
    """Metres that a point goes on in what holds it, by its ``room``; 0 where nothing does, or it never comes out."""
    forest, root, point = holding.forest, holding.root[side], holding.room[2]
    if not at_start or holding.now[number] != HELD:
        held = holding.sense[side] * crossings(forest, root, point, holding.up[side], CONTACT_EPSILON) > 0.0
        if at_start:
            holding.now[number] = HELD if held else FREE
        if not held:
            return 0.0
    out, met = first_on_tree(forest, root, point, holding.room[side], np.inf)
    return out if met >= 0 else 0.0
