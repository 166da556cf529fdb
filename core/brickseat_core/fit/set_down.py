"""Set one piece down where it is: drop it to what is below, or push it out to the seat it came from."""

import math
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.bearing import UPWARD
from brickseat_core.contact.depth import Cut, column, nested_rows, penetration, shrunk
from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.free_drop import free_drop
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import Mover, Near, frame_along
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH, GRAZE_DEPTH, LEAST_SHRINK, LIFT_OFF, SHRINK

GRAZE_WIDTHS = 4.0
"""How many times its depth a graze is wide at most, on the projections of its triangles."""


@dataclass(frozen=True)
class SetDown:
    """Where a piece sits. ``travel``: metres moved along its direction (negative: pushed back), None when
    it stays where it is; ``reason`` then says why."""

    pose: Pose
    travel: float | None
    reason: str = ""


def set_down(index: SceneIndex, piece: Piece, rows: list[int] | None = None) -> SetDown:
    """The pose at which ``piece`` just touches (less its sink, plus its stand-off), by moving along its direction.

    A piece that starts inside others goes to the nearest seat it came from: back against its direction when
    that takes no more than its own height, else on through to the free side, else as far back as it takes.
    ``rows``: only these standing pieces count; all others by default.
    """
    direction = np.asarray(piece.direction)
    row = index.row.get(piece.key, -1)
    raised = piece.at(piece.pose.moved(-piece.sink * direction)) if piece.sink else piece
    free, travel, _ = free_drop(index, raised, row) if rows is None else (False, None, -1)
    if not free:
        if rows is None:
            mover, near = column(index, raised, row)
        else:
            mover = index.mover_along(index.mesh_of(raised), raised.pose, raised.direction)
            near = index.only(mover, raised.pose.origin, rows)
        travel = travel_to_contact(index, raised, row, mover, near)
    if travel is None:
        return SetDown(piece.pose, None, "nothing in its direction to rest on")
    # Measured from the raised pose: a bedded piece ends ``sink`` further on than first contact.
    final = raised.pose.moved(direction * (travel + piece.sink - piece.stand_off))
    return SetDown(final, float((final.origin - piece.pose.origin) @ direction))


def raised_onto(index: SceneIndex, piece: Piece) -> SetDown:
    """As ``set_down``; a piece that has nothing in its direction, but something that bears behind it, is brought onto the nearest of that.

    It was put below what should bear it.
    """
    down = set_down(index, piece)
    if down.travel is not None:
        return down
    direction = np.asarray(piece.direction)
    row = index.row.get(piece.key, -1)
    mover, near = column(index, piece, row)
    lo, hi = index.placed.lo[near.rows], index.placed.hi[near.rows]
    # Metres that the middle of each lies behind it, against its direction.
    behind = (piece.pose.origin - 0.5 * (lo + hi)) @ direction
    order = [int(r) for r in near.rows[np.argsort(behind, kind="stable")]]
    for r in [r for r in order if index.pieces[index.keys[r] or ""].role == "bearer"]:
        low, high = index.placed.lo[r], index.placed.hi[r]
        top = float(-direction @ (0.5 * (low + high)) + np.abs(direction) @ (0.5 * (high - low)))
        foot = float(-direction @ piece.pose.origin) + float(mover.lo[0, 2])
        raised = piece.at(piece.pose.moved(-direction * (top - foot + LIFT_OFF)))
        found = set_down(index, raised)
        if found.travel is not None and found.travel >= -LIFT_OFF:
            return SetDown(found.pose, float((found.pose.origin - piece.pose.origin) @ direction))
    if not any(p.role == "bearer" for p in index.pieces.values()):
        return SetDown(piece.pose, None, "there is no floor on this set; bring one, or build one")
    return down


def travel_to_contact(index: SceneIndex, piece: Piece, row: int, mover: Mover, near: Near) -> float | None:
    """Signed travel along the direction to first contact or to the nearest seat; None when unborne."""
    drop = first_contact(index, mover, near)
    others = tuple(int(r) for r in near.rows if int(r) not in drop.initially_intersecting)
    hidden = nested_rows(index, piece, row, others)
    if not drop.initially_intersecting and not hidden:
        return drop.travel
    probes = index.probes_of(piece)
    lift = first_free_interval(index, mover, near, probes)
    if lift is not None and lift <= CONTACT_EPSILON:
        flush = out_of_flush(index, piece, near)
        if flush is not None:
            return flush
    if lift is not None and lift <= GRAZE_DEPTH:
        return -lift
    ignored_width = np.full(len(near.rows), FLUSH_WIDTH)
    if not hidden:
        cuts = [penetration(index, piece, r, limit=GRAZE_DEPTH) for r in drop.initially_intersecting]
        grazes = [c for c in cuts if is_graze(c, np.asarray(piece.direction))]
        for cut in grazes:
            ignored_width[near.rows == cut.row] = FLUSH_WIDTH + GRAZE_WIDTHS * cut.depth
        if grazes and len(grazes) == len(cuts):
            return first_contact(index, mover, near, ignored_width).travel
        if grazes:
            lift = first_free_interval(index, mover, near, probes, ignored_width=ignored_width)
    height = float(mover.hi[0, 2] - mover.lo[0, 2])
    if lift is not None and lift <= height * (1.0 + 1e-9):
        return -lift
    through = travel_through(index, piece, near, probes, height, ignored_width)
    if through is not None:
        return through
    return -lift if lift is not None else None


def out_of_flush(index: SceneIndex, piece: Piece, near: Near) -> float | None:
    """Travel out of a piece whose faces lie in the same planes as this one's; None when there is no such."""
    direction = np.asarray(piece.direction)
    rows = [int(r) for r in near.rows]
    slim = shrunk(index, piece)
    probes = index.probes_of(slim)
    mover = index.mover(index.mesh_of(slim), slim.pose, frame_along(direction))
    lift = first_free_interval(index, mover, index.only(mover, slim.pose.origin, rows), probes)
    given = max(SHRINK * float(mover.hi[0, 2] - mover.lo[0, 2]), LEAST_SHRINK)
    if lift is None or lift <= CONTACT_EPSILON + 2.0 * given:
        # No deeper than what the shrinking hides: it touches, or grazes.
        return None
    raised = lift + given
    freed = piece.at(piece.pose.moved(-direction * raised))
    whole = index.mover(index.mesh_of(freed), freed.pose, frame_along(direction))
    rest = first_contact(index, whole, index.only(whole, freed.pose.origin, rows)).travel
    return None if rest is None else rest - raised


def is_graze(cut: Cut, direction: Vec) -> bool:
    """Whether a cut is only a touch from the side, as of neighbours on one shelf. ``direction``: (3,) unit."""
    return cut.depth <= GRAZE_DEPTH and float(cut.normal @ -direction) <= UPWARD


def travel_through(
    index: SceneIndex, piece: Piece, near: Near, probes: Vec, height: float, ignored_width: Vec
) -> float | None:
    """Travel on along the direction out of what the piece pokes up into, and then to its seat below."""
    direction = np.asarray(piece.direction)
    flipped = index.mover(index.mesh_of(piece), piece.pose, frame_along(-direction))
    ahead = index.only(flipped, piece.pose.origin, [int(r) for r in near.rows])
    out = first_free_interval(index, flipped, ahead, probes, limit=height, ignored_width=ignored_width)
    if out is None or not math.isfinite(out):
        return None
    freed = piece.at(piece.pose.moved(direction * out))
    mover = index.mover(index.mesh_of(piece), freed.pose, frame_along(direction))
    below = index.only(mover, freed.pose.origin, [int(r) for r in near.rows])
    rest = first_contact(index, mover, below, ignored_width).travel
    return None if rest is None else out + rest
