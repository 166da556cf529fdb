"""One look at a standing piece: what it would touch first, where it touches, what bears it, and what it may be inside of.

A single kernel call for the whole look: a set is checked piece by piece, and for most pieces this is all.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.bearing import Bearing, bearing_kernel, bearing_of, bearing_or_leaning_kernel, centre_of
from brickseat_core.contact.drop import CLOSE, HUNG, flush_kernel, near_contact_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import around_kernel
from brickseat_core.contact.interval import POLYGON_ROOM, double_area, overlap_polygon
from brickseat_core.contact.mover import frame_kernel, mover_kernel, near_kernel, outline_kernel, transforms_kernel
from brickseat_core.contact.pairs import (
    ALL_PAIRS,
    back_to_back,
    mover_triangle,
    pairs_within,
    same_side,
    triangle_in_frame,
)
from brickseat_core.contact.region import contact_region_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


@dataclass(frozen=True)
class Reach:
    """``travel``: metres along the direction to first contact, None when nothing is there. ``first``: the row met there.

    ``started``: rows whose surface the piece cuts. ``holders``: rows it stands wholly inside of. ``guests``:
    rows whose box lies within its own, so that they may stand inside it. When all three are empty,
    ``points`` (n, 3) in the world are where it would touch, ``rows`` (n,) what it touches there, and ``bearing``
    how that bears it.
    """

    travel: float | None
    first: int | None
    started: tuple[int, ...]
    holders: tuple[int, ...]
    guests: tuple[int, ...]
    points: Vec
    rows: NDArray[np.int64]
    bearing: Bearing | None


def reach(
    index: SceneIndex, piece: Piece, skip: int, sink: float, band: float, leaning: tuple[float, float] | None = None
) -> Reach:
    """What ``piece`` reaches along its direction, all but row ``skip``.

    Contacts: gaps from first contact up to ``band`` metres beyond it, or beyond ``sink`` when that is farther.
    ``leaning``: metres within which contacts count to what a piece out of balance leans on (``leaning_kernel``), when
    it touches within the second of them; without, no piece leans.
    """
    pose = piece.pose
    near, far = leaning if leaning is not None else (0.0, -1.0)
    rows_near, travel, who, started, holders, guests, points, rows, *borne = reach_kernel(
        *index.with_body(index.mesh_of(piece)),
        pose.linear,
        pose.origin,
        np.asarray(piece.direction, dtype=np.float64),
        skip,
        sink,
        band,
        near,
        far,
    )
    return Reach(
        float(travel) if who >= 0 else None,
        int(rows_near[who]) if who >= 0 else None,
        tuple(rows_near[started].tolist()),
        tuple(rows_near[holders].tolist()),
        tuple(rows_near[guests].tolist()),
        points,
        rows,
        bearing_of(*borne),
    )


@kernel
def close_kernel(forest, mover, matrix, offset, facing, pairs, count):  # type: ignore[no-untyped-def]
    """What ``first_contact_kernel`` and ``hung_kernel`` tell, from all ``pairs`` near contact: no walk of its own.

    ``count``: how many pieces are near. Returns the travel (inf where none of the pairs is met), who is met, who is cut,
    whether it is met from within, and who is gone through with corners or edges just in the surface.
    """
    outer, inner = np.inf, np.inf
    who, who_inner = np.int64(-1), np.int64(-1)
    started = np.zeros(count, np.bool_)
    hung = np.zeros(count, np.bool_)
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    out = np.empty((POLYGON_ROOM, 4))
    work = np.empty((POLYGON_ROOM, 3))
    for pair in range(pairs.shape[0]):
        i = np.int64(pairs[pair, 2])
        triangle_in_frame(forest, pairs[pair, 1], matrix, offset, i, s)
        mover_triangle(mover, pairs[pair, 0], t)
        corners = overlap_polygon(t, s, FLUSH_WIDTH, out, work)
        if corners == 0:
            continue
        g0, g1 = out[0, 3], out[0, 3]
        for c in range(1, corners):
            g0, g1 = min(g0, out[c, 3]), max(g1, out[c, 3])
        pressing = not back_to_back(t, s, mover.facing, facing[i])
        in_plane = not pressing and same_side(t, s, mover.facing, facing[i])
        if g0 >= -CONTACT_EPSILON - HUNG:
            hung[i] = hung[i] or (in_plane and g1 <= CONTACT_EPSILON - HUNG)
        elif g1 > CONTACT_EPSILON - HUNG and facing[i] * double_area(s) >= 0.0:
            hung[i] = True
        if g0 < -CONTACT_EPSILON:
            started[i] = started[i] or g1 > CONTACT_EPSILON
        elif g1 <= CONTACT_EPSILON and not pressing:
            started[i] = started[i] or in_plane
        elif g0 > CONTACT_EPSILON and not pressing:
            if g0 < inner:
                inner, who_inner = g0, i
        elif g0 < outer:
            outer, who = g0, i
    # What is met from within is believed only when nothing is met from without at the same travel.
    within = inner < outer - CONTACT_EPSILON
    return min(inner, outer), who_inner if within else who, started, within, hung


@kernel
def reach_kernel(  # type: ignore[no-untyped-def]
    forest, placed, count, body, linear, origin, direction, skip, sink, band, near, far
):
    frame = frame_kernel(direction)
    mover = mover_kernel(forest, body, linear, frame)
    others = near_kernel(placed, count, frame, origin, mover.lo[0], mover.hi[0], skip)
    matrix, offset, facing = transforms_kernel(placed, others, frame, origin)
    # Most pieces stand: the pairs of triangles near contact then tell all. Only what is afloat asks what lies beyond.
    high = sink + band
    pairs = pairs_within(forest, placed, mover, others, matrix, offset, -HUNG - CONTACT_EPSILON, high, ALL_PAIRS)
    travel, who, started, within, hung = close_kernel(forest, mover, matrix, offset, facing, pairs, others.shape[0])
    if travel > high:
        slack = np.full(others.shape[0], FLUSH_WIDTH)
        travel, who, started, within = near_contact_kernel(
            forest, placed, mover, others, matrix, offset, facing, slack, CLOSE
        )
    touched = who >= 0 and travel <= CONTACT_EPSILON
    if touched:
        started |= hung
    flush_kernel(forest, placed, mover, others, matrix, offset, facing, -1 if within else who, touched, started)
    lo, hi, probes = outline_kernel(body, linear, origin)
    holders, guests = around_kernel(forest, placed, others, started, skip, lo, hi, probes)
    points = np.empty((0, 3))
    rows = np.empty(0, np.int64)
    centre = centre_of(body, linear, origin)
    if who >= 0 and not started.any() and not holders.any() and not guests.any():
        low = travel - CONTACT_EPSILON
        if travel > sink:
            high = travel + band
            pairs = pairs_within(forest, placed, mover, others, matrix, offset, low, high, ALL_PAIRS)
        found, whose = contact_region_kernel(forest, mover, matrix, offset, facing, pairs, low, high)
        rows = others[whose]
        points = np.empty((found.shape[0], 3))
        for i in range(found.shape[0]):
            for k in range(3):
                points[i, k] = (
                    found[i, 0] * frame[0, k] + found[i, 1] * frame[1, k] + found[i, 2] * frame[2, k] + origin[k]
                )
    if travel - sink <= far:
        contacts, touch, bearers, margin, grip = bearing_or_leaning_kernel(
            forest, placed, count, mover, origin, direction, skip, points, rows, centre, near, far
        )
    else:
        contacts, touch, bearers, margin, _, _ = bearing_kernel(points, rows, centre)
        grip = -1.0
    return others, travel, who, started, holders, guests, points, rows, contacts, touch, bearers, margin, grip
