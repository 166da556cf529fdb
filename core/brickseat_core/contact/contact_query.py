"""One look at a standing piece: what it would touch first, where it touches, what bears it, and what it may be inside of.

A single kernel call for the whole look: a set is checked piece by piece, and for most pieces this is all.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.bearing import Bearing, bearing_kernel, bearing_of, bearing_or_leaning_kernel, centre_of
from brickseat_core.contact.contact_region import contact_region_kernel
from brickseat_core.contact.first_contact import CLOSE, EMBEDDED_LIFT, flush_kernel, near_contact_kernel
from brickseat_core.contact.flags import any_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import containers_kernel
from brickseat_core.contact.interval import POLYGON_ROOM, double_area, overlap_polygon
from brickseat_core.contact.mover import frame_kernel, mover_kernel, outline_kernel
from brickseat_core.contact.pairs import (
    ALL_PAIRS,
    back_to_back,
    blocking_pairs,
    mover_triangle,
    same_side,
    triangle_in_frame,
)
from brickseat_core.contact.query import column_query_kernel
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


@dataclass(frozen=True)
class Contacts:
    """``travel``: metres along the direction to first contact, None when nothing is there. ``first``: the row met there.

    ``initially_intersecting``: rows whose surface the piece cuts. ``containers``: rows it stands wholly inside of. ``contained``:
    rows whose box lies within its own, so that they may stand inside it. When all three are empty,
    ``points`` (n, 3) in the world are where it would touch, ``rows`` (n,) what it touches there, and ``bearing``
    how that bears it.
    """

    travel: float | None
    first: int | None
    initially_intersecting: tuple[int, ...]
    containers: tuple[int, ...]
    contained: tuple[int, ...]
    points: Vec
    rows: NDArray[np.int64]
    bearing: Bearing | None


def query_contacts(
    index: SceneIndex, piece: Piece, skip: int, sink: float, band: float, leaning: tuple[float, float] | None = None
) -> Contacts:
    """What ``piece`` reaches along its direction, all but row ``skip``.

    Contacts: gaps from first contact up to ``band`` metres beyond it, or beyond ``sink`` when that is farther.
    ``leaning``: metres within which contacts count to what a piece out of balance leans on (``leaning_kernel``), when
    it touches within the second of them; without, no piece leans.
    """
    pose = piece.pose
    near, far = leaning if leaning is not None else (0.0, -1.0)
    rows_near, travel, who, initially_intersecting, containers, contained, points, rows, *borne = query_contacts_kernel(
        *index.with_moving_mesh(index.mesh_of(piece)),
        pose.linear,
        pose.origin,
        np.asarray(piece.direction, dtype=np.float64),
        skip,
        sink,
        band,
        near,
        far,
    )
    return Contacts(
        float(travel) if who >= 0 else None,
        int(rows_near[who]) if who >= 0 else None,
        tuple(rows_near[initially_intersecting].tolist()),
        tuple(rows_near[containers].tolist()),
        tuple(rows_near[contained].tolist()),
        points,
        rows,
        bearing_of(*borne),
    )


@nested_kernel
def near_contacts_kernel(query, pairs):  # type: ignore[no-untyped-def]
    """What ``first_contact_kernel`` and ``embedded_kernel`` tell, from all ``pairs`` near contact: no walk of its own.

    Returns the travel (inf where none of the pairs is met), who is met, who is cut, whether it is met from within, and
    who is gone through with corners or edges just in the surface.
    """
    mover, facing = query.mover, query.facing
    count = query.rows.shape[0]
    outer, inner = np.inf, np.inf
    who, who_inner = np.int64(-1), np.int64(-1)
    initially_intersecting = np.zeros(count, np.bool_)
    embedded = np.zeros(count, np.bool_)
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    out = np.empty((POLYGON_ROOM, 4))
    work = np.empty((POLYGON_ROOM, 3))
    for pair in range(pairs.shape[0]):
        i = np.int64(pairs[pair, 2])
        triangle_in_frame(query.forest, pairs[pair, 1], query.matrix, query.offset, i, s)
        mover_triangle(mover, pairs[pair, 0], t)
        corners = overlap_polygon(t, s, FLUSH_WIDTH, out, work)
        if corners == 0:
            continue
        g0, g1 = out[0, 3], out[0, 3]
        for c in range(1, corners):
            g0, g1 = min(g0, out[c, 3]), max(g1, out[c, 3])
        pressing = not back_to_back(t, s, mover.facing, facing[i])
        in_plane = not pressing and same_side(t, s, mover.facing, facing[i])
        if g0 >= -CONTACT_EPSILON - EMBEDDED_LIFT:
            embedded[i] = embedded[i] or (in_plane and g1 <= CONTACT_EPSILON - EMBEDDED_LIFT)
        elif g1 > CONTACT_EPSILON - EMBEDDED_LIFT and facing[i] * double_area(s) >= 0.0:
            embedded[i] = True
        if g0 < -CONTACT_EPSILON:
            initially_intersecting[i] = initially_intersecting[i] or g1 > CONTACT_EPSILON
        elif g1 <= CONTACT_EPSILON and not pressing:
            initially_intersecting[i] = initially_intersecting[i] or in_plane
        elif g0 > CONTACT_EPSILON and not pressing:
            if g0 < inner:
                inner, who_inner = g0, i
        elif g0 < outer:
            outer, who = g0, i
    # What is met from within is believed only when nothing is met from without at the same travel.
    within = inner < outer - CONTACT_EPSILON
    return min(inner, outer), who_inner if within else who, initially_intersecting, within, embedded


@nested_kernel
def in_world(points, frame, origin):  # type: ignore[no-untyped-def]
    """(n, 3) points of a frame (rows u, v, w) about ``origin``, in the world."""
    out = np.empty((points.shape[0], 3))
    for i in range(points.shape[0]):
        for k in range(3):
            out[i, k] = points[i, 0] * frame[0, k] + points[i, 1] * frame[1, k] + points[i, 2] * frame[2, k] + origin[k]
    return out


@kernel
def query_contacts_kernel(  # type: ignore[no-untyped-def]
    forest, placed, count, moving, linear, origin, direction, skip, sink, band, near, far
):
    """As ``query_contacts``, with rows as they are in the query."""
    mover = mover_kernel(forest, moving, linear, frame_kernel(direction))
    query = column_query_kernel(forest, placed, count, mover, origin, skip, 0.0)
    others = query.rows
    # Most pieces stand: the pairs of triangles near contact then tell all. Only what is afloat asks what lies beyond.
    high = sink + band
    pairs = blocking_pairs(query, -EMBEDDED_LIFT - CONTACT_EPSILON, high, ALL_PAIRS)
    travel, who, initially_intersecting, within, embedded = near_contacts_kernel(query, pairs)
    if travel > high:
        ignored_width = np.full(others.shape[0], FLUSH_WIDTH)
        travel, who, initially_intersecting, within = near_contact_kernel(query, ignored_width, CLOSE)
    touched = who >= 0 and travel <= CONTACT_EPSILON
    if touched:
        initially_intersecting |= embedded
    flush_kernel(query, placed, -1 if within else who, touched, initially_intersecting)
    lo, hi, probes = outline_kernel(moving, linear, origin)
    containers, contained = containers_kernel(forest, placed, others, initially_intersecting, skip, lo, hi, probes)
    points = np.empty((0, 3))
    rows = np.empty(0, np.int64)
    centre = centre_of(moving, linear, origin)
    hidden = any_of(containers) or any_of(contained)
    if who >= 0 and not hidden and not any_of(initially_intersecting):
        low = travel - CONTACT_EPSILON
        if travel > sink:
            high = travel + band
            pairs = blocking_pairs(query, low, high, ALL_PAIRS)
        found, whose = contact_region_kernel(query, pairs, low, high)
        rows = others[whose]
        points = in_world(found, mover.frame, origin)
    if travel - sink <= far:
        contacts, touch, bearers, margin, grip = bearing_or_leaning_kernel(
            forest, placed, count, mover, origin, direction, skip, points, rows, centre, near, far
        )
    else:
        contacts, touch, bearers, margin, _, _ = bearing_kernel(points, rows, centre)
        grip = -1.0
    return (
        others,
        travel,
        who,
        initially_intersecting,
        containers,
        contained,
        points,
        rows,
        contacts,
        touch,
        bearers,
        margin,
        grip,
    )
