"""One look at a standing piece: what it would touch first, where it touches, and what it may be inside of.

A single kernel call for the whole look: a set is checked piece by piece, and for most pieces this is all.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.balance import hull_kernel, nearest_edge_kernel
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
from brickseat_core.contact.region import contact_region_kernel, spread_kernel
from brickseat_core.kernels import kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH

MOST_CONTACTS = 12


@dataclass(frozen=True)
class Reach:
    """``travel``: metres along the direction to first contact, None when nothing is there.

    ``started``: rows whose surface the piece cuts. ``holders``: rows it stands wholly inside of. ``guests``:
    rows whose box lies within its own, so that they may stand inside it. When all three are empty,
    ``points`` (n, 3) in the world are where it would touch and ``rows`` (n,) what it touches there.
    """

    travel: float | None
    started: tuple[int, ...]
    holders: tuple[int, ...]
    guests: tuple[int, ...]
    points: Vec
    rows: NDArray[np.int64]


def reach(index: SceneIndex, piece: Piece, skip: int, sink: float, band: float) -> Reach:
    """What ``piece`` reaches along its direction, all but row ``skip``.

    Contacts: gaps from first contact up to ``band`` metres beyond it, or beyond ``sink`` when that is farther.
    """
    mesh = piece.prop.mesh
    body = index.body(mesh, index.span(mesh))
    lo, hi = piece.world_box()
    pose = piece.pose
    near, travel, who, started, holders, guests, points, rows = reach_kernel(
        index.forest,
        index.placed,
        len(index.keys),
        body,
        pose.linear,
        pose.origin,
        np.asarray(piece.direction, dtype=np.float64),
        skip,
        lo,
        hi,
        pose.apply(mesh.probes),
        sink,
        band,
    )
    return Reach(
        float(travel) if who >= 0 else None,
        tuple(near[started].tolist()),
        tuple(near[holders].tolist()),
        tuple(near[guests].tolist()),
        points,
        rows,
    )


@dataclass(frozen=True)
class Bearing:
    """What bears a piece. ``contacts``: at most ``MOST_CONTACTS`` of the points. ``touch``: their middle.

    ``rows``: what is touched, most of all first. ``margin``: metres of the centre of mass inside (+) or
    outside (-) the support polygon seen along gravity.
    """

    contacts: Vec
    touch: Vec
    rows: tuple[int, ...]
    margin: float


def bearing(points: Vec, rows: NDArray[np.int64], centre: Vec) -> Bearing | None:
    """How touching at world ``points`` (n, 3) of ``rows`` (n,) bears a centre of mass; None without points."""
    if not len(points):
        return None
    contacts, touch, margin = bearing_kernel(points, np.lexsort((points[:, 2], points[:, 0])), centre)
    touched, times = np.unique(rows, return_counts=True)
    return Bearing(contacts, touch, tuple(touched[np.argsort(-times, kind="stable")].tolist()), float(margin))


@kernel
def reach_kernel(  # type: ignore[no-untyped-def]
    forest, placed, count, body, linear, origin, direction, skip, lo, hi, probes, sink, band
):
    frame = frame_kernel(direction)
    mover = mover_kernel(forest, body, linear, frame)
    near = near_kernel(placed, count, frame, origin, mover.lo[0], mover.hi[0], skip)
    matrix, offset, facing = transforms_kernel(placed, near, frame, origin)
    slack = np.full(near.shape[0], FLUSH_WIDTH)
    travel, who, started, within = first_contact_kernel(
        forest, placed, mover, near, matrix, offset, facing, slack, np.inf, False
    )
    if who >= 0 and travel <= CONTACT_EPSILON:
        hung_kernel(forest, placed, mover, near, matrix, offset, facing, slack, started)
    if who < 0 or travel > CONTACT_EPSILON:
        flush_kernel(forest, placed, mover, near, matrix, offset, facing, -1 if within else who, started)
    holders, guests = around_kernel(forest, placed, near, started, skip, lo, hi, probes)
    points = np.empty((0, 3))
    rows = np.empty(0, np.int64)
    if who >= 0 and not started.any() and not holders.any() and not guests.any():
        low, high = travel - CONTACT_EPSILON, max(travel, sink) + band
        pairs = pairs_within(forest, placed, mover, near, matrix, offset, low, high, ALL_PAIRS)
        found, whose = contact_region_kernel(forest, mover, matrix, offset, facing, pairs, low, high)
        rows = near[whose]
        points = np.empty((found.shape[0], 3))
        for i in range(found.shape[0]):
            for k in range(3):
                points[i, k] = (
                    found[i, 0] * frame[0, k] + found[i, 1] * frame[1, k] + found[i, 2] * frame[2, k] + origin[k]
                )
    return near, travel, who, started, holders, guests, points, rows


@kernel
def bearing_kernel(points, order, centre):  # type: ignore[no-untyped-def]
    """``order``: the points sorted by x, then by z."""
    n = points.shape[0]
    touch = np.zeros(3)
    flat = np.empty((n, 2))
    for i in range(n):
        for k in range(3):
            touch[k] += points[i, k] / n
        flat[i, 0], flat[i, 1] = points[order[i], 0], points[order[i], 2]
    polygon = hull_kernel(flat)
    x, y, inside = nearest_edge_kernel(polygon, np.array([centre[0], centre[2]]))
    margin = np.hypot(x, y) * (1.0 if inside else -1.0)
    return spread_kernel(points, MOST_CONTACTS), touch, margin
