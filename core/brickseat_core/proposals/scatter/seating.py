"""Seats: copies of props brought into exact contact with the surfaces they are laid on, and bedded until they are in balance.

One kernel for many of them; threads pull the calls. What else stands on the set is looked at afterwards.
"""

from enum import IntEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.bearing import centre_of
from brickseat_core.contact.column_query import query_kernel, raised_query_kernel
from brickseat_core.contact.first_contact import whole_contact_kernel
from brickseat_core.contact.free_interval import first_free_interval_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.balance import nearest_edge_kernel, support_kernel
from brickseat_core.contact.kernels.flags import any_of
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, overlap_polygon
from brickseat_core.contact.kernels.mesh_table import MeshTable, mesh_at
from brickseat_core.contact.kernels.mover import (
    frame_kernel,
    inverse_kernel,
    mover_kernel,
    near_among_kernel,
    outline_kernel,
    transforms_kernel,
)
from brickseat_core.contact.kernels.pairs import (
    ALL_PAIRS,
    back_to_back,
    blocking_pairs,
    mover_triangle,
    triangle_in_frame,
)
from brickseat_core.geometry.rays import first_on_tree
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH

CHUNK = 48
"""Copies that are seated in one call at most."""
MOST_TRIANGLES = 200_000
"""Triangles of all copies that are seated in one call."""
BALANCED = 2e-5
"""Metres by which the weight lies inside what bears it, where a piece is bedded for it."""
MOST_BED = 0.35
"""Share of its height that a piece is sunk at most, to be in balance."""
BED_STEPS = 20
BED_STEP = 4e-6
"""Metres to which the least sink is found."""
BED_PARTS = 4
"""Depths up to which it is looked, each four times the one before."""
NO_ROW = np.int64(-1)
FOOTPRINT = 0.7
"""Share of the half width of a prop over which the ground that it leans to is looked at."""


class Seated(IntEnum):
    """How the seating of a copy ended."""

    SITS = 0
    NO_FIT = 1
    TIPS = 2


class Wanted(NamedTuple):
    """Copies to be seated. ``which``: (n,) their meshes in a table. ``linear``: (n, 3, 3). ``at``: (n, 3) on the surface.
    ``direction``: (n, 3). ``sink``: (n,) metres. ``bed``: (n,) whether they may be sunk deeper. ``judged``: (n,) whether
    they have to be in balance."""

    which: NDArray[np.int64]
    linear: Vec
    at: Vec
    direction: Vec
    sink: Vec
    bed: NDArray[np.bool_]
    judged: NDArray[np.bool_]


class Seats(NamedTuple):
    """Where copies touch, before they are sunk: ``origin`` (n, 3). ``sink``: (n,) metres. ``ended``: (n,) ``Seated``."""

    origin: Vec
    sink: Vec
    ended: NDArray[np.int64]


def chunks_of(triangles: list[int]) -> int:
    """Copies of meshes with so many triangles that are seated in one call: fewer of large ones, so that whoever waits is asked often enough."""
    return max(1, min(CHUNK, MOST_TRIANGLES // max(1, *triangles)))


def seats_of(
    index: SceneIndex, rows: NDArray[np.int64], table: MeshTable, wanted: Wanted, band: float, begin: int, chunk: int
) -> Seats:
    """The seats of the copies from number ``begin`` on, ``chunk`` at most, on the standing ``rows`` (k,).

    ``band``: metres from first contact within which contacts bear.
    """
    some = Wanted._make(column[begin : begin + chunk] for column in wanted)
    return Seats(*seats_kernel(index.forest, index.placed, rows, table, *some, band))


@nested_kernel
def overlaps_kernel(query, pairs):
    """The overlaps of ``pairs`` that may press on each other: (m, 4) corners, the last number of each its gap in metres,
    and (k + 1,) where those of each overlap begin."""
    mover, facing = query.mover, query.facing
    corners, count = np.empty((256, 4)), 0
    start = np.zeros(pairs.shape[0] + 1, np.int64)
    s, t = np.empty((3, 3)), np.empty((3, 3))
    out, work = np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3))
    for pair in range(pairs.shape[0]):
        i = pairs[pair, 2]
        triangle_in_frame(query.forest, pairs[pair, 1], query.matrix, query.offset, i, s)
        mover_triangle(mover, pairs[pair, 0], t)
        if not back_to_back(t, s, mover.facing, facing[i]):
            found = overlap_polygon(t, s, FLUSH_WIDTH, out, work)
            if count + found > corners.shape[0]:
                longer = np.empty((2 * (count + found), 4))
                for c in range(count):
                    for k in range(4):
                        longer[c, k] = corners[c, k]
                corners = longer
            for c in range(found):
                for k in range(4):
                    corners[count + c, k] = out[c, k]
            count += found
        start[pair + 1] = count
    return corners[:count], start


@nested_kernel
def margin_at(corners, start, frame, centre, high):
    """Metres of the centre of mass (x, z) inside (+) or outside the support that gaps up to ``high`` make; -inf without one."""
    points, n = np.empty((3 * corners.shape[0], 2)), 0
    for k in range(start.shape[0] - 1):
        first, last = start[k], start[k + 1]
        for c in range(first, last):
            d = c + 1 if c + 1 < last else first
            g, h = corners[c, 3], corners[d, 3]
            if g <= high:
                for a in range(2):
                    axis = 2 * a
                    points[n, a] = (
                        corners[c, 0] * frame[0, axis] + corners[c, 1] * frame[1, axis] + corners[c, 2] * frame[2, axis]
                    )
                n += 1
            if (g < high < h) or (h < high < g):
                f = (high - g) / (h - g)
                for a in range(2):
                    axis = 2 * a
                    total = 0.0
                    for b in range(3):
                        total += (corners[c, b] + f * (corners[d, b] - corners[c, b])) * frame[b, axis]
                    points[n, a] = total
                n += 1
    if n == 0:
        return -np.inf
    x, y, inside = nearest_edge_kernel(support_kernel(points[:n]), centre)
    return np.hypot(x, y) * (1.0 if inside else -1.0)


@nested_kernel
def bed_kernel(query, frame, centre, sink, most, band):
    """The least sink from ``sink`` to ``most`` metres at which the weight lies over its support; -1 where there is none.

    Most need little: what comes near the ground when it is sunk deeper is only gathered for those that need more.
    """
    deepest = max(most, sink)
    low = sink
    for part in range(BED_PARTS):
        deep = sink + (deepest - sink) * 4.0 ** (part + 1 - BED_PARTS)
        pairs = blocking_pairs(query, -CONTACT_EPSILON, deep + band, ALL_PAIRS)
        corners, start = overlaps_kernel(query, pairs)
        if part == 0 and margin_at(corners, start, frame, centre, sink + band) >= BALANCED:
            return sink
        if margin_at(corners, start, frame, centre, deep + band) >= BALANCED:
            high = deep
            for _ in range(BED_STEPS):
                if high - low <= BED_STEP:
                    break
                middle = 0.5 * (low + high)
                if margin_at(corners, start, frame, centre, middle + band) >= BALANCED:
                    high = middle
                else:
                    low = middle
            return high
        low = deep
        if deepest <= sink:
            break
    return -1.0


@kernel
def seats_kernel(forest, placed, surfaces, table, which, linear, at, direction, sink, bed, judged, band):
    """As ``seats_of``, for all that it is given."""
    n = which.shape[0]
    origins, sinks, ended = at.copy(), sink.copy(), np.zeros(n, np.int64)
    none = np.empty((0, 2), np.int64)
    for j in range(n):
        moving = mesh_at(table, which[j])
        frame = frame_kernel(direction[j])
        mover = mover_kernel(forest, moving, linear[j], frame)
        lo, hi = mover.lo[0], mover.hi[0]
        height = hi[2] - lo[2]
        origin = np.empty(3)
        for k in range(3):
            # The middle of its foremost face on the point: which part of the prop is its origin does not matter.
            foot = 0.5 * (lo[0] + hi[0]) * frame[0, k] + 0.5 * (lo[1] + hi[1]) * frame[1, k] + lo[2] * frame[2, k]
            origin[k] = at[j, k] - foot
        rows = near_among_kernel(placed, surfaces, frame, origin, lo, hi, NO_ROW)
        matrix, offset, facing = transforms_kernel(placed, rows, frame, origin)
        travel, who, cut = whole_contact_kernel(
            forest, placed, mover, rows, matrix, offset, facing, np.full(rows.shape[0], FLUSH_WIDTH)
        )
        query = query_kernel(forest, placed, mover, rows, matrix, offset, facing)
        if any_of(cut):
            _, _, probes = outline_kernel(moving, linear[j], origin)
            lift, _ = first_free_interval_kernel(
                query, placed, probes, frame[2].copy(), np.inf, np.full(rows.shape[0], FLUSH_WIDTH), 0.0, none
            )
            travel, who = -lift, 0
        # A plate may lie on a hump that is higher than it is thick; what falls farther fell off an edge.
        if who < 0 or abs(travel) > max(height, 0.25 * (hi[0] - lo[0] + hi[1] - lo[1])):
            ended[j] = 1
            continue
        for k in range(3):
            origins[j, k] = origin[k] - travel * frame[2, k]
        if not judged[j]:
            continue
        touching = raised_query_kernel(query, -travel)
        middle = centre_of(moving, linear[j], np.zeros(3))
        found = bed_kernel(
            touching, frame, np.array([middle[0], middle[2]]), sink[j], MOST_BED * height if bed[j] else 0.0, band
        )
        if found < 0.0:
            ended[j] = 2
        else:
            sinks[j] = found
    return origins, sinks, ended


@kernel
def ground_normals_kernel(forest, placed, rows, at, normal, radius):
    """(n, 3) unit normals of the planes that fit a surface best under footprints of ``radius`` (n,) metres.

    ``rows``: (n,) the surface of each. ``at``, ``normal``: (n, 3) where, and the face there. Seventeen rays along the
    face's normal, and the least squares of their heights over it.
    """
    found = normal.copy()
    o, d, offset, slope = np.empty(3), np.empty(3), np.empty(3), np.empty(2)
    for j in range(at.shape[0]):
        r = rows[j]
        frame = frame_kernel(-normal[j])
        sums = np.zeros((3, 3))
        right = np.zeros(3)
        many = 0
        for k in range(17):
            ring = 0.0 if k == 0 else 0.5 if k <= 6 else 1.0
            angle = 2.0 * np.pi * (k + 0.5 * ring) / (6.0 if k <= 6 else 10.0)
            u, v = np.cos(angle) * ring * radius[j], np.sin(angle) * ring * radius[j]
            for c in range(3):
                offset[c] = (
                    at[j, c] + u * frame[0, c] + v * frame[1, c] + radius[j] * normal[j, c] - placed.origin[r, c]
                )
            for c in range(3):
                o[c], d[c] = 0.0, 0.0
                for e in range(3):
                    o[c] += placed.inverse[r, c, e] * offset[e]
                    d[c] -= placed.inverse[r, c, e] * normal[j, e]
            away, triangle = first_on_tree(forest, placed.root[r], o, d, 2.0 * radius[j])
            if triangle < 0:
                continue
            many += 1
            x = (u, v, 1.0)
            for a in range(3):
                right[a] += x[a] * (radius[j] - away)
                for b in range(3):
                    sums[a, b] += x[a] * x[b]
        if many < 4:
            continue
        # A little added, so that points on one line still have an answer.
        for a in range(3):
            sums[a, a] += 1e-12 * (1.0 + radius[j] ** 2)
        inverse = inverse_kernel(sums)
        for a in range(2):
            slope[a] = inverse[a, 0] * right[0] + inverse[a, 1] * right[1] + inverse[a, 2] * right[2]
        length = 0.0
        for c in range(3):
            found[j, c] = normal[j, c] - slope[0] * frame[0, c] - slope[1] * frame[1, c]
            length += found[j, c] ** 2
        for c in range(3):
            found[j, c] /= np.sqrt(length)
    return found
