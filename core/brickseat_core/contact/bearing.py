"""What bears a piece: where it touches, what it touches, and how far its weight lies inside what bears it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.column_query import query_kernel
from brickseat_core.contact.grip import leaning_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.balance import nearest_edge_kernel, support_kernel
from brickseat_core.contact.kernels.contact_region import contact_region_kernel, spread_kernel
from brickseat_core.contact.kernels.mover import (
    frame_kernel,
    mover_kernel,
    near_kernel,
    out_of_frame_kernel,
    transforms_kernel,
)
from brickseat_core.contact.kernels.pairs import ALL_PAIRS, blocking_pairs
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import BALANCE_TOLERANCE

MOST_CONTACTS = 12
UPWARD = 0.5
"""What points this much against the direction points up: an overlap whose shortest way out does is a sinking, and
only what is seated along gravity by as much leans."""


@dataclass(frozen=True)
class Bearing:
    """What bears a piece. ``contacts``: at most ``MOST_CONTACTS`` of the points. ``touch``: their middle.

    ``rows``: what is touched, most of all first. ``margin``: metres of the centre of mass inside (+) or
    outside (-) the support polygon seen along gravity. ``grip``: the least friction that holds it where it leans,
    None where it does not.
    """

    contacts: Vec
    touch: Vec
    rows: tuple[int, ...]
    margin: float
    grip: float | None


def bearing_of(contacts: Vec, touch: Vec, rows: NDArray[np.int64], margin: float, grip: float = -1.0) -> Bearing | None:
    """What ``bearing_kernel`` returns, as a ``Bearing``; None without contacts.

    ``contacts``: (k, 3) points in the world. ``touch``: (3,) their middle. ``rows``: (n,) what bears it.
    ``grip``: negative where it does not lean.
    """
    if not len(contacts):
        return None
    return Bearing(contacts, touch, tuple(rows.tolist()), margin, grip if grip >= 0.0 else None)


def bearing_among(
    index: SceneIndex,
    piece: Piece,
    row: int,
    rows: tuple[int, ...],
    left_out: tuple[int, ...],
    low: float,
    high: float,
    leaning: tuple[float, float] | None,
) -> Bearing | None:
    """How a piece, or one that stands in ``row``, is borne by what it touches with a gap in [low, high] metres.

    Only ``rows`` are asked; where there are none, everything in its column but ``left_out``. ``leaning``: as
    ``leaning_kernel`` takes them, when a piece out of balance may lean.
    """
    near, far = leaning if leaning is not None else (0.0, 0.0)
    return bearing_of(
        *bearing_among_kernel(
            *index.with_moving_mesh(index.mesh_of(piece)),
            piece.pose.linear,
            piece.pose.origin,
            np.asarray(piece.direction, dtype=np.float64),
            row,
            np.array(rows, np.int64),
            np.array(left_out, np.int64),
            low,
            high,
            leaning is not None,
            near,
            far,
        )
    )


@kernel
def most_first(rows):
    """The different numbers among ``rows`` (n,), the most frequent first, equals in rising order."""
    found = np.empty(rows.shape[0], np.int64)
    times = np.empty(rows.shape[0], np.int64)
    n = 0
    for i in range(rows.shape[0]):
        j = 0
        while j < n and found[j] != rows[i]:
            j += 1
        if j == n:
            found[n], times[n] = rows[i], 0
            n += 1
        times[j] += 1
        while j > 0 and (times[j - 1] < times[j] or (times[j - 1] == times[j] and found[j - 1] > found[j])):
            found[j - 1], found[j] = found[j], found[j - 1]
            times[j - 1], times[j] = times[j], times[j - 1]
            j -= 1
    return found[:n].copy()


@kernel
def bearing_kernel(points, rows, centre):
    """Spread contacts (k, 3), their middle (3,), the rows touched, the margin of ``Bearing``, and the way along x and z
    from the centre of mass to the nearest edge of its support."""
    n = points.shape[0]
    touch = np.zeros(3)
    flat = np.empty((n, 2))
    for i in range(n):
        for k in range(3):
            touch[k] += points[i, k] / n
        flat[i, 0], flat[i, 1] = points[i, 0], points[i, 2]
    x, y, inside = nearest_edge_kernel(support_kernel(flat), np.array([centre[0], centre[2]]))
    margin = np.hypot(x, y) * (1.0 if inside else -1.0)
    return spread_kernel(points, MOST_CONTACTS), touch, most_first(rows), margin, x, y


@kernel
def bearing_or_leaning_kernel(forest, placed, count, mover, origin, direction, skip, points, rows, centre, near, far):
    """As ``bearing_kernel``; a piece out of balance is also asked what it leans on, within ``near`` of a touch within ``far`` metres."""
    contacts, touch, bearers, margin, x, y = bearing_kernel(points, rows, centre)
    if points.shape[0] == 0 or margin >= -BALANCE_TOLERANCE or direction[1] >= -UPWARD:
        return contacts, touch, bearers, margin, -1.0
    fall = np.array([-x, -y]) / -margin
    held, whose, grip = leaning_kernel(
        forest, placed, count, mover, origin, direction, skip, centre, points, fall, near, far
    )
    if grip >= 0.0:
        contacts, touch, bearers, margin, x, y = bearing_kernel(
            np.concatenate((points, held)), np.concatenate((rows, whose)), centre
        )
    return contacts, touch, bearers, margin, grip


@kernel
def centre_of(moving, linear, origin):
    """(3,) the centre of mass of a moving at a pose."""
    out = origin.copy()
    for k in range(3):
        for c in range(3):
            out[k] += linear[k, c] * moving.centre[c]
    return out


@nested_kernel
def without_kernel(rows, left_out):
    """``rows`` (n,) that are not among ``left_out``."""
    kept = np.empty(rows.shape[0], np.int64)
    n = 0
    for r in rows:
        for other in left_out:
            if r == other:
                break
        else:
            kept[n] = r
            n += 1
    return kept[:n].copy()


@kernel
def bearing_among_kernel(
    forest, placed, count, moving, linear, origin, direction, skip, rows, left_out, low, high, leans, near, far
):
    """As ``bearing_among``, the parts of a ``Bearing`` one by one."""
    mover = mover_kernel(forest, moving, linear, frame_kernel(direction))
    if rows.shape[0] == 0:
        column = near_kernel(placed, count, mover.frame, origin, mover.lo[0], mover.hi[0], skip)
        rows = without_kernel(column, left_out)
    matrix, offset, facing = transforms_kernel(placed, rows, mover.frame, origin)
    query = query_kernel(forest, placed, mover, rows, matrix, offset, facing)
    found, whose = contact_region_kernel(query, blocking_pairs(query, low, high, ALL_PAIRS), low, high)
    points = out_of_frame_kernel(found, mover.frame, origin)
    touched = rows[whose]
    centre = centre_of(moving, linear, origin)
    if leans:
        return bearing_or_leaning_kernel(
            forest, placed, count, mover, origin, direction, skip, points, touched, centre, near, far
        )
    contacts, touch, bearers, margin, _, _ = bearing_kernel(points, touched, centre)
    return contacts, touch, bearers, margin, -1.0
