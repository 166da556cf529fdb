"""The shortest way out: the least travel, in any direction, that parts one piece from another.

Ways are tried one after another, and the best of them is turned while that makes it shorter. Two bounds rule most
ways out before their travel is walked: corners of one that lie inside the other have to leave it first, and the pairs
of triangles that blocked the last good way mostly block its neighbours too.
"""

import math

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import crossings, holds, way_out
from brickseat_core.contact.interval import POLYGON_ROOM, overlap_polygon
from brickseat_core.contact.mover import frame_kernel, mover_kernel, transforms_kernel, turned_kernel
from brickseat_core.contact.pairs import triangle_in_frame
from brickseat_core.contact.retreat import first_window_kernel
from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH, MIN_WINDOW

FIRST_TURN, LEAST_TURN = 0.16, 0.03
"""Radians by which the best way out is turned to find a shorter one: at first, and in the end."""
LEAST_GAIN = 2e-3
MOST_ROUNDS = 64
"""Rounds of turning the best direction at most; a handful is usual."""
MOST_HELD = 12
"""Corners of one inside the other that are followed on their way out."""
MOST_STRETCHES = 64


def shortest_way(
    index: SceneIndex, piece: Piece, row: int, ways: Vec, turning: bool, limit: float = math.inf
) -> tuple[float, Vec | None]:
    """Least travel below ``limit`` metres that parts ``piece`` from ``row``, and along which way; None when none does.

    Starts with the best of ``ways`` ((n, 3) unit) and, when ``turning``, turns it while that makes it shorter, by
    smaller and smaller angles (compass search: Kolda, Lewis and Torczon, 2003).
    """
    mesh, pose = index.mesh_of(piece), piece.pose
    other = index.pieces[index.keys[row] or ""]
    lo, hi = index.box_of(piece)
    there_lo, there_hi = index.placed.lo[row], index.placed.hi[row]
    forest, placed, _, body = index.with_body(mesh)
    best, way, found = shortest_way_kernel(
        forest,
        placed,
        body,
        pose.linear,
        np.linalg.inv(pose.linear),
        pose.origin,
        row,
        ways,
        0.5 * (hi - lo + there_hi - there_lo),
        0.5 * (lo + hi - there_lo - there_hi),
        pose.apply(mesh.probes),
        pose.apply(mesh.far_corners),
        other.pose.apply(index.mesh_of(other).far_corners),
        turning,
        limit,
    )
    return float(best), way if found else None


@inner_kernel
def beyond_box(forest, node, point):  # type: ignore[no-untyped-def]
    beyond = False
    for k in range(3):
        beyond = beyond or point[k] < forest.lo[node, k] or point[k] > forest.hi[node, k]
    return beyond


@kernel
def held_kernel(forest, placed, body, linear, inverse, origin, row, ways, mine, theirs, goal):  # type: ignore[no-untyped-def]
    """(n,) least travel along each of ``ways`` that frees those corners of one that lie inside the other.

    ``mine``, ``theirs``: (k, 3) far corners of the mover and of the piece in ``row``, in the world. Until such
    a corner has left, the two are not parted, so this bounds the way out from below. A way that is found to be no
    shorter than ``goal`` metres is followed no further.
    """
    held = np.zeros(ways.shape[0])
    o = np.empty(3)
    d = np.empty(3)
    inside = 0
    if placed.sense[row] != 0.0:
        for i in range(mine.shape[0]):
            if inside == MOST_HELD:
                break
            if not holds(forest, placed, row, mine[i, 0], mine[i, 1], mine[i, 2]):
                continue
            inside += 1
            for w in range(ways.shape[0]):
                if held[w] >= goal:
                    continue
                for c in range(3):
                    o[c] = d[c] = 0.0
                    for k in range(3):
                        o[c] += placed.inverse[row, c, k] * (mine[i, k] - placed.origin[row, k])
                        d[c] += placed.inverse[row, c, k] * ways[w, k]
                out = way_out(forest, placed.root[row], placed.sense[row], o, d)
                held[w] = max(held[w], out - CONTACT_EPSILON)
    inside = 0
    if body.outside != 0.0:
        for i in range(theirs.shape[0]):
            if inside == MOST_HELD:
                break
            for w in range(ways.shape[0]):
                if w > 0 and held[w] >= goal:
                    continue
                for c in range(3):
                    o[c] = d[c] = 0.0
                    for k in range(3):
                        o[c] += inverse[c, k] * (theirs[i, k] - origin[k])
                        d[c] -= inverse[c, k] * ways[w, k]
                if w == 0 and (
                    beyond_box(forest, body.node0, o) or body.outside * crossings(forest, body.node0, o, d) <= 0.0
                ):
                    break
                inside += w == 0
                out = way_out(forest, body.node0, body.outside, o, d)
                held[w] = max(held[w], out - CONTACT_EPSILON)
    return held


@inner_kernel
def blocked_kernel(forest, tri0, here, there, offset, stretches, count, s, t, room):  # type: ignore[no-untyped-def]
    """Metres from 0 on that ``count`` pairs of triangles block, one after the other, along the w of a frame.

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
    lift = 0.0
    # Each round but the last takes one more of the pairs in.
    for _ in range(count + 1):
        moved = False
        for i in range(count):
            if begin[i] <= lift + MIN_WINDOW and end[i] > lift:
                lift = end[i]
                moved = True
        if not moved:
            break
    return lift


@kernel
def shortest_way_kernel(  # type: ignore[no-untyped-def]
    forest,
    placed,
    body,
    linear,
    inverse,
    origin,
    row,
    ways,
    extent,
    middle,
    probes,
    mine,
    theirs,
    turning,
    limit,
):
    """Least travel along one of ``ways`` ((n, 3) unit) or near the best of them, the way (3,), and whether there is any.

    ``extent``: half the sum of both boxes. ``middle``: from the middle of the one in ``row`` to this one's.
    ``mine``, ``theirs``: as in ``held_kernel``.
    """
    rows = np.full(1, row)
    slack = np.full(1, FLUSH_WIDTH)
    best = limit
    way = np.zeros(3)
    found = False
    stretches = np.empty((MOST_STRETCHES, 2), np.int64)
    tried = np.empty((MOST_STRETCHES, 2), np.int64)
    known = 0
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    room = (
        np.empty((POLYGON_ROOM, 4)),
        np.empty((POLYGON_ROOM, 3)),
        np.empty(MOST_STRETCHES),
        np.empty(MOST_STRETCHES),
    )
    # The way that surely is short first, then the most promising ones: a good one makes short work of the rest.
    sure = 0
    for i in range(1, ways.shape[0]):
        if apart_along(ways[i], extent, middle) < apart_along(ways[sure], extent, middle):
            sure = i
    held = np.zeros(ways.shape[0])
    rank = np.empty(ways.shape[0])
    around = np.empty((4, 3))
    turn = FIRST_TURN
    goal = limit
    for round_ in range(MOST_ROUNDS):
        first = round_ == 0
        if not first and not (turning and found and turn > LEAST_TURN):
            break
        if not first:
            frame = frame_kernel(-way)
            for k in range(3):
                for side in range(2):
                    sign = turn if side == 0 else -turn
                    around[side, k] = (way[k] + sign * frame[0, k]) / np.hypot(1.0, turn)
                    around[2 + side, k] = (way[k] + sign * frame[1, k]) / np.hypot(1.0, turn)
            goal = best * (1.0 - LEAST_GAIN)
        better = False
        for number in range(ways.shape[0] if first else 4):
            if first:
                if number == 1:
                    held = held_kernel(forest, placed, body, linear, inverse, origin, row, ways, mine, theirs, goal)
                    for j in range(ways.shape[0]):
                        rank[j] = held[j] + 1e-3 * apart_along(ways[j], extent, middle)
                    rank[sure] = np.inf
                i = sure if number == 0 else int(np.argmin(rank))
                rank[i] = np.inf
                if held[i] >= goal:
                    continue
                along = ways[i]
            else:
                along = around[number]
            frame = frame_kernel(-along)
            matrix, offset, _ = transforms_kernel(placed, rows, frame, origin)
            most = min(goal, apart_along(along, extent, middle))
            here = turned_kernel(frame, linear)
            blocked = blocked_kernel(forest, body.tri0, here, matrix, offset, stretches, known, s, t, room)
            if blocked >= most:
                continue
            mover = mover_kernel(forest, body, linear, frame)
            lift, told = first_window_kernel(
                forest, placed, mover, rows, matrix, offset, probes, along, most, slack, blocked, tried
            )
            if lift < goal:
                best = goal = lift
                better = found = True
                for k in range(3):
                    way[k] = along[k]
                if blocked == 0.0:
                    known = 0
                for n in range(told):
                    if known < MOST_STRETCHES:
                        stretches[known, 0], stretches[known, 1] = tried[n, 0], tried[n, 1]
                        known += 1
        if not first and not better:
            turn *= 0.5
    return best, way, found


@inner_kernel
def apart_along(way, extent, middle):  # type: ignore[no-untyped-def]
    """Metres along a unit way that part the boxes, beyond which nothing can be in the way."""
    total = CONTACT_EPSILON
    for k in range(3):
        total += abs(way[k]) * extent[k] - way[k] * middle[k]
    return total
