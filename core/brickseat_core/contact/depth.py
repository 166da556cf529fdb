"""Interpenetration of one piece with one other: how deep, along which normal, and where.

The depth is the least travel that parts the two, tried along the normals of the surfaces that cut each
other, square to their sharp edges, along and against gravity and the seating direction, and from centre to centre.
"""

import math
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.column_query import query_kernel
from brickseat_core.contact.first_contact import EMBEDDED_LIFT
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import containers_kernel, holds_point
from brickseat_core.contact.kernels.interval import ROUNDING
from brickseat_core.contact.kernels.mover import (
    Mover,
    Near,
    frame_kernel,
    mover_kernel,
    outline_kernel,
    transforms_kernel,
)
from brickseat_core.contact.kernels.pairs import blocking_pairs, mover_triangle, triangle_in_frame, unit_normal
from brickseat_core.contact.separation import entangled_kernel, shortest_separation_kernel
from brickseat_core.kernels import inner_kernel, kernel, nested_kernel
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, LEAST_SHRINK, SHRINK

MOST_NORMALS = 16
MOST_PAIRS = 16_384
"""Pairs of triangles looked at for the normals and the place of a cut; two leafy plants can have millions."""
SAME_NORMAL = 0.985
SAME_DIRECTION = 1.0 - 1e-7


@dataclass(frozen=True)
class Cut:
    """``depth`` in metres; ``normal`` (3,) the world direction that parts them soonest; ``point`` (3,) where."""

    row: int
    depth: float
    normal: Vec
    point: Vec


def nested_rows(index: SceneIndex, piece: Piece, row: int, rows: tuple[int, ...]) -> tuple[int, ...]:
    """Which of ``rows`` hold the piece wholly inside (or under the ground), or stand wholly inside it."""
    lo, hi = index.box_of(piece)
    asked = np.array(rows, dtype=np.int64)
    containers, contained = containers_kernel(
        index.forest,
        index.placed,
        asked,
        np.zeros(len(rows), np.bool_),
        row,
        lo,
        hi,
        index.probes_of(piece),
    )
    inside = set(contained_rows(index, row, tuple(asked[contained].tolist())))
    return tuple(r for r, holder in zip(rows, containers, strict=True) if holder or r in inside)


def contained_rows(index: SceneIndex, row: int, rows: tuple[int, ...]) -> tuple[int, ...]:
    """Which of ``rows`` stand wholly inside the piece in ``row``."""
    found = []
    for other in rows:
        guest = index.pieces[index.keys[other] or ""]
        if holds_point(index, row, index.probes_of(guest)):
            found.append(other)
    return tuple(found)


def hidden_cut(index: SceneIndex, piece: Piece, row: int, other: int, limit: float = math.inf) -> Cut:
    """The cut of two pieces of which one stands wholly inside the other, whichever it is. ``limit``: as for ``penetration``."""
    cut = penetration(index, piece, other, limit=limit)
    if cut.depth > 0.0 or row < 0:
        return cut
    # The other one is the guest: it is the guest that has to come out.
    guest = penetration(index, index.pieces[index.keys[other] or ""], row, limit=limit)
    return Cut(other, guest.depth, -guest.normal, guest.point)


def penetration(index: SceneIndex, piece: Piece, row: int, most: int = MOST_NORMALS, limit: float = math.inf) -> Cut:
    """How ``piece`` (at its pose) and the piece standing in ``row`` interpenetrate.

    ``most``: how many of the normals where they cut are tried; fewer are quicker and may find a longer direction out.
    ``limit``: metres; where nothing shorter parts them, the depth is given as infinite.
    """
    cut = measured_cut(index, piece, row, most, limit)
    if cut.depth > CONTACT_EPSILON:
        return cut
    # Where faces or edges lie in each other's planes no two triangles cross: a little smaller and higher they do.
    slim = shrunk(index, piece)
    slim = slim.at(slim.pose.moved(-EMBEDDED_LIFT * np.asarray(piece.direction)))
    flush = measured_cut(index, slim, row, most, limit)
    if flush.depth <= CONTACT_EPSILON:
        return cut
    width = float(np.ptp(piece.pose.apply(index.mesh_of(piece).vertices) @ flush.normal))
    given = 0.5 * max(SHRINK * width, LEAST_SHRINK) - EMBEDDED_LIFT * float(flush.normal @ np.asarray(piece.direction))
    return replace(flush, depth=flush.depth + given)


def shrunk(index: SceneIndex, piece: Piece) -> Piece:
    """The same piece, smaller about the middle of its box by ``SHRINK``, and along no axis by less than ``LEAST_SHRINK``."""
    lo, hi = index.mesh_of(piece).box
    extent = np.maximum(np.linalg.norm(piece.pose.linear, axis=0) * (hi - lo), LEAST_SHRINK)
    linear = piece.pose.linear * (1.0 - np.minimum(0.1, np.maximum(SHRINK, LEAST_SHRINK / extent)))
    middle = 0.5 * (lo + hi)
    return piece.at(Pose.of(linear, piece.pose.apply(middle) - linear @ middle))


def measured_cut(index: SceneIndex, piece: Piece, row: int, most: int, limit: float) -> Cut:
    """As ``penetration``, for what cuts: two that only share planes cut nothing."""
    mesh, other = index.mesh_of(piece), index.mesh_of(index.pieces[index.keys[row] or ""])
    forest, placed, _, moving = index.with_moving_mesh(mesh)
    depth, normal, point = measured_cut_kernel(
        forest,
        placed,
        moving,
        piece.pose.linear,
        piece.pose.origin,
        np.asarray(piece.direction, dtype=np.float64),
        row,
        mesh.inner_points,
        other.inner_points,
        mesh.edge_directions,
        other.edge_directions,
        most,
        most == MOST_NORMALS,
        limit,
    )
    return Cut(row, float(depth), normal, point)


@kernel
def measured_cut_kernel(
    forest, placed, moving, linear, origin, direction, row, mine, theirs, edges, their_edges, most, thorough, limit
):
    """As ``measured_cut``: the depth, the normal and the point of the cut.

    ``mine``, ``theirs``: far corners of the two; ``edges``, ``their_edges``: directions of their sharp edges; each in the
    coordinates of its own mesh. ``thorough``: whether more than the cut itself is asked for directions.
    """
    frame = frame_kernel(direction)
    mover = mover_kernel(forest, moving, linear, frame)
    rows = np.full(1, row)
    matrix, offset, facing = transforms_kernel(placed, rows, frame, origin)
    query = query_kernel(forest, placed, mover, rows, matrix, offset, facing)
    normals, weight, cut = cut_kernel(query)
    pair = entangled_kernel(forest, placed, moving, linear, origin, row, mine, theirs)
    met = min(most, normals.shape[0])
    tried = Candidates(np.empty((13 + met + edges.shape[0] * their_edges.shape[0], 3)), np.zeros(1, np.int64))
    add_candidate(tried, -direction[0], -direction[1], -direction[2])
    taken = np.zeros(normals.shape[0], np.bool_)
    world = np.empty(3)
    for _ in range(met):
        heaviest = -1
        for i in range(normals.shape[0]):
            if not taken[i] and (heaviest < 0 or weight[i] > weight[heaviest]):
                heaviest = i
        taken[heaviest] = True
        for k in range(3):
            world[k] = 0.0
            for c in range(3):
                world[k] += normals[heaviest, c] * frame[c, k]
        add_candidate(tried, world[0], world[1], world[2])
    middle = pair.middle
    add_candidate(tried, middle[0], 0.0, middle[2])
    if thorough or met == 0:
        add_candidate(tried, middle[0], middle[1], middle[2])
        add_candidate(tried, direction[0], direction[1], direction[2])
        add_across(tried, edges, linear, their_edges, placed.linear[row], middle)
    if abs(direction[1]) < SAME_NORMAL:
        add_candidate(tried, 0.0, 1.0, 0.0)
    if met == 0:
        for c in range(3):
            add_candidate(tried, linear[0, c], linear[1, c], linear[2, c])
            add_candidate(tried, -linear[0, c], -linear[1, c], -linear[2, c])
    depth, normal, found = shortest_separation_kernel(
        pair, tried.directions[: tried.written[0]].copy(), thorough, limit
    )
    lo, hi, _ = outline_kernel(moving, linear, origin)
    point = where_cut(cut, frame, origin, lo, hi)
    if found:
        return depth, normal, point
    if limit < np.inf:
        return np.inf, -direction, point
    # No direction that was tried frees it: out of the other's box, the shortest direction that leads there.
    depth = np.inf
    for k in range(3):
        for sign in (1.0, -1.0):
            out = (placed.hi[row, k] - lo[k] if sign > 0.0 else hi[k] - placed.lo[row, k]) + CONTACT_EPSILON
            if out < depth:
                depth = out
                normal[:] = 0.0
                normal[k] = sign
    return depth, normal, point


class Candidates(NamedTuple):
    """Directions to try: (n, 3) unit, of which the first ``written[0]`` are written."""

    directions: Vec
    written: NDArray[np.int64]


@inner_kernel
def add_candidate(tried, x, y, z):
    """One more direction to try, of any length but none, unless it is among them."""
    length = np.sqrt(x * x + y * y + z * z)
    n = tried.written[0]
    if length < 1e-9 or n == tried.directions.shape[0]:
        return
    for i in range(n):
        along = x * tried.directions[i, 0] + y * tried.directions[i, 1] + z * tried.directions[i, 2]
        if along > SAME_DIRECTION * length:
            return
    tried.directions[n, 0], tried.directions[n, 1], tried.directions[n, 2] = x / length, y / length, z / length
    tried.written[0] = n + 1


@inner_kernel
def add_across(tried, edges, linear, their_edges, their_linear, middle):
    """Directions square to an edge of each of the two: solids with edges often part soonest there, and they need not meet."""
    for i in range(edges.shape[0]):
        ux = linear[0, 0] * edges[i, 0] + linear[0, 1] * edges[i, 1] + linear[0, 2] * edges[i, 2]
        uy = linear[1, 0] * edges[i, 0] + linear[1, 1] * edges[i, 1] + linear[1, 2] * edges[i, 2]
        uz = linear[2, 0] * edges[i, 0] + linear[2, 1] * edges[i, 1] + linear[2, 2] * edges[i, 2]
        for j in range(their_edges.shape[0]):
            e, f, g = their_edges[j, 0], their_edges[j, 1], their_edges[j, 2]
            vx = their_linear[0, 0] * e + their_linear[0, 1] * f + their_linear[0, 2] * g
            vy = their_linear[1, 0] * e + their_linear[1, 1] * f + their_linear[1, 2] * g
            vz = their_linear[2, 0] * e + their_linear[2, 1] * f + their_linear[2, 2] * g
            x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
            sign = -1.0 if x * middle[0] + y * middle[1] + z * middle[2] < 0.0 else 1.0
            add_candidate(tried, sign * x, sign * y, sign * z)


@nested_kernel
def where_cut(cut, frame, origin, lo, hi):
    """(3,) the point ``cut`` of a frame in the world; where that is no number, the middle of the box from ``lo`` to ``hi``."""
    point = np.empty(3)
    for k in range(3):
        point[k] = origin[k] + frame[0, k] * cut[0] + frame[1, k] * cut[1] + frame[2, k] * cut[2]
    if np.isnan(point[0]):
        for k in range(3):
            point[k] = 0.5 * (lo[k] + hi[k])
    return point


def column(index: SceneIndex, piece: Piece, skip: int) -> tuple[Mover, Near]:
    """The piece as a mover along its direction, and everything in its column."""
    mover = index.mover_along(index.mesh_of(piece), piece.pose, piece.direction)
    return mover, index.near(mover, piece.pose.origin, skip)


@inner_kernel
def note_normal(normals, weight, found, n, sign):
    """Count one more cut under a unit normal (3,), times ``sign``; how many different normals there are then."""
    for i in range(found):
        if sign * (normals[i, 0] * n[0] + normals[i, 1] * n[1] + normals[i, 2] * n[2]) > SAME_NORMAL:
            weight[i] += 1
            return found
    if found < normals.shape[0]:
        for k in range(3):
            normals[found, k] = sign * n[k]
        weight[found] = 1
        return found + 1
    return found


@inner_kernel
def crosses_plane(t, s, n):
    """Does triangle ``t`` reach beyond both sides of the plane of ``s``, of unit normal ``n``, by more than rounding?"""
    least, most = np.inf, -np.inf
    for k in range(3):
        height = n[0] * (t[k, 0] - s[0, 0]) + n[1] * (t[k, 1] - s[0, 1]) + n[2] * (t[k, 2] - s[0, 2])
        least, most = min(least, height), max(most, height)
    return least < -ROUNDING and most > ROUNDING


@inner_kernel
def pierced(t, s, n, edge, ends, count):
    """Write where edges of ``t`` go through triangle ``s`` of unit normal ``n`` into ``ends`` from ``count`` on, and a unit vector
    along the last of them into ``edge``; how many ends there are then."""
    for k in range(3):
        p, q = k, (k + 1) % 3
        dp = dq = 0.0
        for c in range(3):
            dp += n[c] * (t[p, c] - s[0, c])
            dq += n[c] * (t[q, c] - s[0, c])
        if (dp < 0.0) == (dq < 0.0):
            continue
        f = dp / (dp - dq)
        x = t[p, 0] + f * (t[q, 0] - t[p, 0])
        y = t[p, 1] + f * (t[q, 1] - t[p, 1])
        z = t[p, 2] + f * (t[q, 2] - t[p, 2])
        inside = True
        for a in range(3):
            b = (a + 1) % 3
            ex, ey, ez = s[b, 0] - s[a, 0], s[b, 1] - s[a, 1], s[b, 2] - s[a, 2]
            rx, ry, rz = x - s[a, 0], y - s[a, 1], z - s[a, 2]
            if n[0] * (ey * rz - ez * ry) + n[1] * (ez * rx - ex * rz) + n[2] * (ex * ry - ey * rx) < 0.0:
                inside = False
                break
        if inside:
            ends[count, 0], ends[count, 1], ends[count, 2] = x, y, z
            count += 1
            length = np.sqrt((t[q, 0] - t[p, 0]) ** 2 + (t[q, 1] - t[p, 1]) ** 2 + (t[q, 2] - t[p, 2]) ** 2)
            for c in range(3):
                edge[c] = (t[q, c] - t[p, c]) / length
    return count


@nested_kernel
def cut_kernel(query):
    """Normals where the surfaces cut and how often each was met, and the middle of where they do (not a number where they do
    not), all in the frame."""
    forest, mover, matrix, offset = query.forest, query.mover, query.matrix, query.offset
    pairs = blocking_pairs(query, 0.0, 0.0, MOST_PAIRS)
    normals = np.empty((64, 3))
    weight = np.zeros(64, np.int64)
    found = np.int64(0)
    middle = np.zeros(3)
    marked = 0
    n = np.zeros(3)
    m = np.zeros(3)
    mine = np.empty(3)
    other = np.empty(3)
    cross = np.empty(3)
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    ends = np.empty((6, 3))
    for pair in range(pairs.shape[0]):
        mover_triangle(mover, pairs[pair, 0], t)
        triangle_in_frame(forest, pairs[pair, 1], matrix, offset, pairs[pair, 2], s)
        if not (unit_normal(s, n) and crosses_plane(t, s, n)) or not (unit_normal(t, m) and crosses_plane(s, t, m)):
            continue
        ours = pierced(t, s, n, mine, ends, 0)
        count = pierced(s, t, m, other, ends, ours)
        if count == 0:
            continue
        found = note_normal(normals, weight, found, n, 1.0)
        found = note_normal(normals, weight, found, m, -1.0)
        if 0 < ours < count:
            for k in range(3):
                a, b = (k + 1) % 3, (k + 2) % 3
                cross[k] = mine[a] * other[b] - mine[b] * other[a]
            length = np.sqrt(cross[0] ** 2 + cross[1] ** 2 + cross[2] ** 2)
            if length > 0.0:
                outward = 0.0
                for k in range(3):
                    cross[k] /= length
                    outward += cross[k] * (n[k] - m[k])
                found = note_normal(normals, weight, found, cross, 1.0 if outward >= 0.0 else -1.0)
        marked += count
        for end in range(count):
            for k in range(3):
                middle[k] += ends[end, k]
    for k in range(3):
        middle[k] = middle[k] / marked if marked > 0 else np.nan
    return normals[:found].copy(), weight[:found].copy(), middle
