"""One look at a standing piece: what it would touch first, where it touches, what bears it, and what it may be inside of.

A single kernel call for the whole look: a set is checked piece by piece, and for most pieces this is all.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.bearing import Bearing, bearing_kernel, bearing_of, bearing_or_leaning_kernel, centre_of
from brickseat_core.contact.drop import first_contact_kernel, flush_kernel, hung_kernel
from brickseat_core.contact.index import (
    SceneIndex,
    frame_kernel,
    mover_kernel,
    near_kernel,
    transforms_kernel,
)
from brickseat_core.contact.inside import around_kernel
from brickseat_core.contact.pairs import ALL_PAIRS, pairs_within
from brickseat_core.contact.region import contact_region_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH


@dataclass(frozen=True)
class Reach:
    """``travel``: metres along the direction to first contact, None when nothing is there.

    ``started``: rows whose surface the piece cuts. ``holders``: rows it stands wholly inside of. ``guests``:
    rows whose box lies within its own, so that they may stand inside it. When all three are empty,
    ``points`` (n, 3) in the world are where it would touch, ``rows`` (n,) what it touches there, and ``bearing``
    how that bears it.
    """

    travel: float | None
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
        index.forest,
        index.placed,
        len(index.keys),
        index.body(piece.prop.mesh),
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
        tuple(rows_near[started].tolist()),
        tuple(rows_near[holders].tolist()),
        tuple(rows_near[guests].tolist()),
        points,
        rows,
        bearing_of(*borne),
    )


@kernel
def reach_kernel(  # type: ignore[no-untyped-def]
    forest, placed, count, body, linear, origin, direction, skip, sink, band, near, far
):
    frame = frame_kernel(direction)
    mover = mover_kernel(forest, body, linear, frame)
    others = near_kernel(placed, count, frame, origin, mover.lo[0], mover.hi[0], skip)
    matrix, offset, facing = transforms_kernel(placed, others, frame, origin)
    slack = np.full(others.shape[0], FLUSH_WIDTH)
    travel, who, started, within = first_contact_kernel(
        forest, placed, mover, others, matrix, offset, facing, slack, np.inf, False
    )
    if who >= 0 and travel <= CONTACT_EPSILON:
        hung_kernel(forest, placed, mover, others, matrix, offset, facing, slack, started)
    if who < 0 or travel > CONTACT_EPSILON:
        flush_kernel(forest, placed, mover, others, matrix, offset, facing, -1 if within else who, started)
    lo, hi, probes = outline_kernel(body, linear, origin)
    holders, guests = around_kernel(forest, placed, others, started, skip, lo, hi, probes)
    points = np.empty((0, 3))
    rows = np.empty(0, np.int64)
    centre = centre_of(body, linear, origin)
    if who >= 0 and not started.any() and not holders.any() and not guests.any():
        low, high = travel - CONTACT_EPSILON, max(travel, sink) + band
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
        contacts, touch, bearers, margin = bearing_kernel(points, rows, centre)
        grip = -1.0
    return others, travel, who, started, holders, guests, points, rows, contacts, touch, bearers, margin, grip


@kernel
def outline_kernel(body, linear, origin):  # type: ignore[no-untyped-def]
    """A body at a pose, in the world: its axis-aligned box (lo, hi), and its probes (2k, 3)."""
    lo = origin.copy()
    hi = origin.copy()
    probes = np.empty_like(body.probes)
    for k in range(3):
        for c in range(3):
            a, b = linear[k, c] * body.lo[c], linear[k, c] * body.hi[c]
            lo[k] += min(a, b)
            hi[k] += max(a, b)
    for i in range(probes.shape[0]):
        for k in range(3):
            probes[i, k] = origin[k]
            for c in range(3):
                probes[i, k] += linear[k, c] * body.probes[i, c]
    return lo, hi, probes
