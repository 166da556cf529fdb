"""Repair: mend faults with the least movement, bottom up, never trading one fault for another."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.balance import support_polygon, way_to_balance
from brickseat_core.contact.bearing import UPWARD
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.mover import frame_along
from brickseat_core.contact.retreat import first_window
from brickseat_core.fit.check import Fit, check, measure_fit, touched_by
from brickseat_core.fit.seat import seat
from brickseat_core.meshes.lengths import in_words
from brickseat_core.scene import Change, Delta, Piece, Pose, Vec
from brickseat_core.tolerances import LIFT_OFF, SEATED_TOLERANCE

SWEEPS = 3
COMPASS = 8
NUDGES = 4
NUDGE_BEYOND = 0.002
"""Metres by which a nudged weight comes to stand inside its support."""


@dataclass(frozen=True)
class Mended:
    key: str
    words: str


@dataclass(frozen=True)
class Left:
    key: str
    reason: str


@dataclass(frozen=True)
class Repair:
    change: Change
    mended: tuple[Mended, ...]
    left: tuple[Left, ...]


def bottom_up(pieces: Iterable[Piece]) -> list[Piece]:
    """In the order in which they can be set down: what lies first along its direction goes first."""

    def foremost(piece: Piece) -> float:
        lo, hi = piece.world_box()
        d = np.asarray(piece.direction)
        # World height of the face that leads; pieces seated upwards are ordered from the ceiling down.
        return float(lo[1] if d[1] <= 0.0 else -hi[1])

    return sorted(pieces, key=lambda p: (foremost(p), p.key))


def repair(
    index: SceneIndex,
    tolerance: float = SEATED_TOLERANCE,
    keys: Iterable[str] | None = None,
    fits: dict[str, Fit] | None = None,
    told: Callable[[int, int], bool] | None = None,
) -> Repair:
    """Mend the faults of ``keys`` (all props by default). ``index`` is left holding the repaired set.

    ``fits``: a current fit check of the whole set, if there is one. Pieces that are spiked, and faults that
    only tilting could mend, are left with a reason.
    """
    fits = dict(fits) if fits is not None else check(index, tolerance)
    wanted = set(index.pieces if keys is None else keys)
    before = dict(index.pieces)
    left: dict[str, str] = {}
    for _ in range(SWEEPS):
        moved = False
        faulty = [
            p for p in bottom_up(index.pieces.values()) if p.key in wanted and fits.get(p.key) and fits[p.key].faults
        ]
        for done, piece in enumerate(faulty):
            if told is not None and not told(done, len(faulty)):
                break
            fit = measure_fit(index, piece, tolerance)
            fits[piece.key] = fit
            if not fit.faults:
                continue
            if not piece.movable:
                left[piece.key] = f"spiked, and {fit.reason}"
                continue
            reason = mend(index, piece, fit, fits, tolerance, wanted)
            if reason is None:
                moved = True
                left.pop(piece.key, None)
            else:
                left[piece.key] = reason
        if not moved:
            break
    deltas, mended = [], []
    for key, old in before.items():
        new = index.pieces[key]
        if new.pose != old.pose:
            deltas.append(Delta(key, old, new))
            mended.append(Mended(key, f"{old.name} moved {moved_words(old.pose, new.pose)}"))
    still = [k for k in wanted if k in fits and fits[k].faults]
    reasons = tuple(Left(k, left.get(k, fits[k].reason)) for k in sorted(still))
    count = len(deltas)
    words = (
        f"repaired {count} piece{'' if count == 1 else 's'}"
        if count != 1
        else f"repaired {deltas[0].after and deltas[0].after.name}"
    )
    return Repair(Change(words, tuple(deltas)), tuple(mended), reasons)


def moved_words(old: Pose, new: Pose) -> str:
    by = new.origin - old.origin
    across = float(np.hypot(by[0], by[2]))
    parts = []
    if abs(by[1]) >= 5e-5:
        parts.append(f"{in_words(abs(float(by[1])))} {'down' if by[1] < 0 else 'up'}")
    if across >= 5e-5:
        parts.append(f"{in_words(across)} aside")
    return " and ".join(parts) or "less than 0.1 mm"


def mend(
    index: SceneIndex, piece: Piece, fit: Fit, fits: dict[str, Fit], tolerance: float, wanted: set[str]
) -> str | None:
    """Try the ways to mend one piece, least movement first; None when one was taken, else the reason."""
    if fit.faults == ("unborne",):
        return "nothing lies in its direction to rest on"
    options = sorted(
        (
            (float(np.linalg.norm(pose.origin - piece.pose.origin)), i, pose)
            for i, pose in enumerate(ways(index, piece, fit))
        ),
        key=lambda option: option[:2],
    )
    reason = "only tilting it could balance it" if "tippy" in fit.faults else "no free place near it"
    fallback: tuple[Pose, Fit] | None = None
    for _, _, pose in options:
        index.put(piece.at(pose))
        new = measure_fit(index, index.pieces[piece.key], tolerance)
        index.put(piece)
        # Being tippy is a fault that was hidden while it floated; it may stay, but nothing else may come.
        came = set(new.faults) - set(fit.faults) - {"tippy"}
        if came or len(new.faults) > len(fit.faults):
            reason = new.reason
            continue
        if new.faults == fit.faults:
            reason = "only tilting it could balance it" if new.faults == ("tippy",) else new.reason
            continue
        if new.faults:
            fallback = fallback or (pose, new)
            continue
        harm = settle_on(index, piece, pose, fits, tolerance, wanted)
        if harm is None:
            fits[piece.key] = new
            return None
        reason = harm
    if fallback is not None:
        pose, new = fallback
        reason = settle_on(index, piece, pose, fits, tolerance, wanted) or new.reason
        if index.pieces[piece.key].pose == pose:
            fits[piece.key] = new
    return reason


def settle_on(
    index: SceneIndex, piece: Piece, pose: Pose, fits: dict[str, Fit], tolerance: float, wanted: set[str]
) -> str | None:
    """Put ``piece`` at ``pose`` unless that gives a neighbour a fault; returns which, and moves nothing then.

    Pieces that rest on it and may move do not count: they are set down after it.
    """
    index.put(piece.at(pose))
    boxes = [piece.world_box(), index.pieces[piece.key].world_box()]
    around = [k for k in touched_by(index, boxes) if k != piece.key]
    after = check(index, tolerance, around)
    for k in around:
        follows = piece.key in fits[k].rests_on and k in wanted and index.pieces[k].movable if k in fits else True
        if after[k].faults and not follows and not fits[k].faults:
            index.put(piece)
            return f"mending it would leave {index.pieces[k].name} {after[k].state}"
    fits.update(after)
    return None


def balanced(index: SceneIndex, piece: Piece, fit: Fit) -> Iterator[Pose]:
    """Poses nudged along the bearer until its weight is over what bears it (a plate pushed back from an edge)."""
    moved, now = piece, fit
    lo, hi = piece.world_box()
    furthest = 0.5 * float(np.hypot(hi[0] - lo[0], hi[2] - lo[2]))
    for _ in range(NUDGES):
        if not now.contacts:
            return
        centre = moved.pose.apply(moved.prop.mesh.mass[1])[[0, 2]]
        way = way_to_balance(support_polygon(np.array(now.contacts)[:, [0, 2]]), centre)
        length = float(np.linalg.norm(way))
        if length < 1e-9:
            return
        aside = moved.pose.origin[[0, 2]] + way - piece.pose.origin[[0, 2]]
        if float(np.linalg.norm(aside)) > furthest:
            return
        # The weight goes towards what bears it, and a little beyond the edge.
        step = way * (1.0 + NUDGE_BEYOND / length)
        moved = moved.at(seat(index, moved.at(moved.pose.moved(np.array([step[0], 0.0, step[1]])))).pose)
        index.put(moved)
        now = measure_fit(index, moved)
        index.put(piece)
        if now.faults != ("tippy",):
            yield moved.pose
            return


def ways(index: SceneIndex, piece: Piece, fit: Fit) -> Iterator[Pose]:
    """Poses that might mend ``piece``: straight along its direction, and pushed aside from what it clashes with."""
    straight = seat(index, piece)
    if straight.travel is not None:
        yield straight.pose
    if "tippy" in fit.faults:
        yield from balanced(index, piece, fit)
    if "clashing" not in fit.faults:
        return
    direction = np.asarray(piece.direction)
    beside = [c for c in fit.clashes if c.upward <= UPWARD]
    rows = [index.row[c.other] for c in beside]
    tried: list[Vec] = [np.array(c.normal) for c in beside]
    angles = np.arange(COMPASS) * (2.0 * np.pi / COMPASS)
    u, v, _ = frame_along(direction)
    tried += [np.cos(a) * u + np.sin(a) * v for a in angles]
    mesh = piece.prop.mesh
    # Pushed aside at the height where it would sit without those neighbours.
    others = [row for key, row in index.row.items() if row not in rows and key != piece.key]
    level_pose = seat(index, piece, others).pose
    for way in tried:
        level = way - direction * float(way @ direction)
        length = float(np.linalg.norm(level))
        if length < 0.2:
            continue
        level /= length
        lifted = level_pose.moved(-direction * LIFT_OFF)
        mover = index.mover(mesh, lifted, frame_along(-level))
        near = index.only(mover, lifted.origin, rows)
        push = first_window(index, mover, near, lifted.apply(mesh.probes))
        if push is None:
            continue
        moved = seat(index, piece.at(lifted.moved(level * (push + LIFT_OFF))))
        if moved.travel is not None:
            yield moved.pose
