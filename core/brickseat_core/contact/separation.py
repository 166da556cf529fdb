"""The shortest separation: the least travel, in any direction, that parts one piece from another.

Directions are tried one after another, and the best of them is turned while that makes it shorter. Two bounds rule most
of them out before their travel is walked: points of one that lie inside the other have to leave it first, and the pairs
of triangles that blocked the last good direction mostly block its neighbours too.
"""

from typing import NamedTuple

import numpy as np

from brickseat_core.contact.arena import Forest
from brickseat_core.contact.column_query import query_kernel
from brickseat_core.contact.free_interval import first_free_interval_kernel
from brickseat_core.contact.holding import Holding, held_along, holding_kernel
from brickseat_core.contact.index import Placed
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, overlap_polygon
from brickseat_core.contact.kernels.mover import (
    MovingMesh,
    frame_kernel,
    inverse_kernel,
    mover_kernel,
    outline_kernel,
    transforms_kernel,
    turned_kernel,
)
from brickseat_core.contact.kernels.pairs import triangle_in_frame
from brickseat_core.kernels import inner_kernel, kernel, nested_kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH, MIN_FREE_INTERVAL

FIRST_TURN, LEAST_TURN = 0.16, 0.03
"""Radians by which the best direction out is turned to find a shorter one: at first, and in the end."""
LEAST_GAIN = 2e-3
MOST_ROUNDS = 64
"""Rounds of turning the best direction at most; a handful is usual."""
MOST_STRETCHES = 64
NONE = np.int64(0)
"""No plain zero: a kernel is compiled once more for each literal that it is called with."""


class Entangled(NamedTuple):
    """Two pieces that are to be parted: one that moves, and the one that stands in ``row``.

    ``linear``, ``origin``: the pose of the one that moves. ``extent``: (3,) half the sum of both boxes.
    ``middle``: (3,) from the middle of the standing one to that of the other. ``probes``: of the one that moves, in the
    world.
    """

    forest: Forest
    placed: Placed
    moving: MovingMesh
    linear: Vec
    origin: Vec
    row: int
    extent: Vec
    middle: Vec
    probes: Vec
    holding: Holding


@kernel
def entangled_kernel(forest, placed, moving, linear, origin, row, mine, theirs):
    """``Entangled`` of a mesh at a pose and what stands in ``row``. ``mine``, ``theirs``: points within them, each in
    the coordinates of its own mesh."""
    lo, hi, probes = outline_kernel(moving, linear, origin)
    extent = np.empty(3)
    middle = np.empty(3)
    for k in range(3):
        extent[k] = 0.5 * (hi[k] - lo[k] + placed.hi[row, k] - placed.lo[row, k])
        middle[k] = 0.5 * (lo[k] + hi[k] - placed.lo[row, k] - placed.hi[row, k])
    holding = holding_kernel(forest, placed, moving, linear, inverse_kernel(linear), origin, row, mine, theirs)
    return Entangled(forest, placed, moving, linear, origin, row, extent, middle, probes, holding)


@inner_kernel
def blocked_kernel(forest, tri0, here, there, offset, stretches, count, lift, most, s, t, room):
    """Metres along the w of a frame that are blocked, where the first ``lift`` metres are: ``count`` pairs of triangles lead on
    from there, one after the other. No more of them are looked at once that is ``most``.

    ``here``: (3, 3) of the mover into the frame. ``there``, ``offset``: (1, 3, 3), (1, 3) of what stands. ``s``, ``t``: room for a
    triangle each, ``room``: for the overlap of two.
    """
    out, work, begin, end = room
    for i in range(count):
        begin[i], end[i] = np.inf, -np.inf
        for k in range(3):
            for c in range(3):
                t[k, c] = 0.0
                for a in range(3):
                    t[k, c] += here[c, a] * forest.corners[tri0 + stretches[i, 0], k, a]
        triangle_in_frame(forest, stretches[i, 1], there, offset, 0, s)
        for c in range(overlap_polygon(t, s, FLUSH_WIDTH, out, work)):
            begin[i], end[i] = min(begin[i], -out[c, 3]), max(end[i], -out[c, 3])
        if begin[i] > lift + MIN_FREE_INTERVAL or end[i] <= lift:
            continue
        lift = end[i]
        # Those before it that begin within what is blocked now: each round but the last takes one of them in.
        for _ in range(i + 1):
            moved = False
            for j in range(i):
                if begin[j] <= lift + MIN_FREE_INTERVAL and end[j] > lift:
                    lift = end[j]
                    moved = True
            if not moved:
                break
        if lift >= most:
            break
    return lift


@nested_kernel
def travel_along(pair, along, goal, held, stretches, known, tried, room):
    """Metres along the unit vector ``along`` that part the two, inf when not below ``goal``, and how many pairs of triangles
    were written into ``tried`` that block it. ``held``: metres that do not part them. ``stretches``: the ``known`` pairs that
    blocked other directions."""
    s, t, overlap_room, rows, ignored_width = room
    frame = frame_kernel(-along)
    matrix, offset, facing = transforms_kernel(pair.placed, rows, frame, pair.origin)
    most = min(goal, apart_along(along, pair.extent, pair.middle))
    here = turned_kernel(frame, pair.linear)
    blocked = blocked_kernel(
        pair.forest, pair.moving.tri0, here, matrix, offset, stretches, known, held, most, s, t, overlap_room
    )
    if blocked >= most:
        return np.inf, NONE
    mover = mover_kernel(pair.forest, pair.moving, pair.linear, frame)
    query = query_kernel(pair.forest, pair.placed, mover, rows, matrix, offset, facing)
    lift, noted = first_free_interval_kernel(
        query, pair.placed, pair.probes, along, most, ignored_width, blocked, tried
    )
    return lift, noted


@nested_kernel
def around_kernel(direction, turn):
    """(4, 3) unit vectors ``turn`` radians from a unit vector, to four sides of it."""
    frame = frame_kernel(-direction)
    found = np.empty((4, 3))
    for k in range(3):
        for side in range(2):
            sign = turn if side == 0 else -turn
            found[side, k] = (direction[k] + sign * frame[0, k]) / np.hypot(1.0, turn)
            found[2 + side, k] = (direction[k] + sign * frame[1, k]) / np.hypot(1.0, turn)
    return found


@kernel
def shortest_separation_kernel(pair, directions, turning, limit):
    """Least travel below ``limit`` metres that parts the two, its direction (3,), and whether there is any.

    Starts with the best of ``directions`` ((n, 3) unit) and, when ``turning``, turns it while that makes it shorter, by
    smaller and smaller angles (compass search: Kolda, Lewis and Torczon, 2003).
    """
    best = goal = limit
    direction = np.zeros(3)
    found = False
    stretches = np.empty((MOST_STRETCHES, 2), np.int64)
    tried = np.empty((MOST_STRETCHES, 2), np.int64)
    known = latest = NONE
    overlap_room = (
        np.empty((POLYGON_ROOM, 4)),
        np.empty((POLYGON_ROOM, 3)),
        np.empty(MOST_STRETCHES),
        np.empty(MOST_STRETCHES),
    )
    room = (np.empty((3, 3)), np.empty((3, 3)), overlap_room, np.full(1, pair.row), np.full(1, FLUSH_WIDTH))
    turn = FIRST_TURN
    for round_ in range(MOST_ROUNDS):
        if round_ == 0:
            candidates = directions
        elif turning and found and turn > LEAST_TURN and best > CONTACT_EPSILON:
            candidates = around_kernel(direction, turn)
            goal = best * (1.0 - LEAST_GAIN)
        else:
            break
        n = candidates.shape[0]
        far = np.empty(n)
        for i in range(n):
            far[i] = apart_along(candidates[i], pair.extent, pair.middle)
        better = False
        for _ in range(n):
            # They only touch: which of two directions is shorter is a matter of rounding by now.
            if best <= CONTACT_EPSILON:
                break
            number = np.argmin(far)
            far[number] = np.inf
            need = held_along(pair.holding, candidates[number], goal)
            if need >= goal:
                continue
            lift, noted = travel_along(pair, candidates[number], goal, need, stretches, known, tried, room)
            # What blocked this direction mostly blocks its neighbours, too; of all such pairs the latest are kept.
            for i in range(noted):
                stretches[latest, 0], stretches[latest, 1] = tried[i, 0], tried[i, 1]
                latest = (latest + 1) % MOST_STRETCHES
                known = min(known + 1, np.int64(MOST_STRETCHES))
            if lift >= goal:
                continue
            best = goal = lift
            better = found = True
            for k in range(3):
                direction[k] = candidates[number, k]
        if round_ > 0 and not better:
            turn *= 0.5
    return best, direction, found


@inner_kernel
def apart_along(direction, extent, middle):
    """Metres along a unit direction that part the boxes, beyond which nothing can be in its path."""
    total = CONTACT_EPSILON
    for k in range(3):
        total += abs(direction[k]) * extent[k] - direction[k] * middle[k]
    return total
