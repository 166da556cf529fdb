"""Repair: mend faults with the least movement, bottom up, never trading one fault for another."""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.bearing import UPWARD
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.balance import offset_to_balance, support_polygon
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit, measure_fit
from brickseat_core.fit.set_down import raised_onto, set_down
from brickseat_core.geometry.lengths import in_words
from brickseat_core.scene import Change, Piece, Pose, Vec, piece_delta
from brickseat_core.tolerances import LIFT_OFF, SEATED_TOLERANCE

MOST_SWEEPS = 12
"""Sweeps over what is faulty at most: what lost its bearer to a mending is mended in the next one."""
NEARBY = 0.5
"""Metres within which a piece that moved makes it worth to try again what could not be mended."""
COMPASS = 8
NUDGES = 4
NUDGE_BEYOND = 0.002
"""Metres by which a nudged weight comes to stand inside its support."""


@dataclass(frozen=True)
class Mended:
    """A piece that repair moved, and by how much in words for people."""

    key: str
    words: str


@dataclass(frozen=True)
class Left:
    """A piece that a move or a repair left where it was, and why."""

    key: str
    reason: str


@dataclass(frozen=True)
class Repair:
    """What repair came to: one change, the pieces mended by it, and those it could not mend."""

    change: Change
    mended: tuple[Mended, ...]
    left: tuple[Left, ...]


def bottom_up(index: SceneIndex, pieces: Iterable[Piece]) -> list[Piece]:
    """In the order in which they can be set down: what lies first along its direction goes first."""

    def foremost(piece: Piece) -> float:
        lo, hi = index.box_of(piece)
        d = np.asarray(piece.direction)
        # World height of the face that leads; pieces seated upwards are ordered from the ceiling down.
        return float(lo[1] if d[1] <= 0.0 else -hi[1])

    return sorted(pieces, key=lambda p: (foremost(p), p.key))


def repair(
    index: SceneIndex,
    tolerance: float = SEATED_TOLERANCE,
    keys: Iterable[str] | None = None,
    fits: dict[str, Fit] | None = None,
    on_progress: Callable[[int, int], object] = lambda done, total: None,
) -> Repair:
    """Mend the faults of ``keys`` (all props by default). ``index`` is left holding the repaired set.

    ``fits``: a current fit check of the whole set, if there is one. Pieces that are spiked, and faults that
    only tilting could mend, are left with a reason. ``on_progress(done, total)`` is called before each piece of a sweep; what it
    raises ends the repair, and ``index`` holds what was mended until then.
    """
    fits = dict(fits) if fits is not None else check(index, tolerance)
    wanted = set(index.pieces if keys is None else keys)
    before = dict(index.pieces)
    left: dict[str, str] = {}
    # What could not be mended is tried again once something near it has moved, and all of it once more in the end.
    tried: set[str] = set()
    everything = True
    for _ in range(MOST_SWEEPS):
        moved = False
        wrong = [p for p in index.pieces.values() if p.key in wanted and p.key in fits and fits[p.key].faults]
        faulty = bottom_up(index, [p for p in wrong if everything or p.key not in tried])
        for done, piece in enumerate(faulty):
            on_progress(done, len(faulty))
            fit = measure_fit(index, piece, tolerance)
            fits[piece.key] = fit
            if not fit.faults:
                continue
            if not piece.movable:
                left[piece.key] = f"spiked, and {fit.reason}"
                continue
            reason = mend(index, piece, fit, fits, tolerance, wanted)
            now = index.pieces[piece.key]
            # It may have moved and still not be right: what it bore has to follow all the same.
            if now.pose != piece.pose:
                moved = True
                about = [(lo - NEARBY, hi + NEARBY) for lo, hi in (index.box_of(piece), index.box_of(now))]
                tried.difference_update(index.affected_by(about, tolerance))
            if reason is None:
                left.pop(piece.key, None)
            else:
                left[piece.key] = reason
                tried.add(piece.key)
        if everything and not moved:
            break
        everything = not moved
    deltas, mended = [], []
    for key, old in before.items():
        new = index.pieces[key]
        if new.pose != old.pose:
            deltas.append(piece_delta(old, new))
            mended.append(Mended(key, f"{old.name} moved {moved_words(old.pose, new.pose)}"))
    still = [k for k in wanted if k in fits and fits[k].faults]
    reasons = tuple(Left(k, left.get(k, fits[k].reason)) for k in sorted(still))
    count = len(deltas)
    words = f"repaired {index.pieces[deltas[0].key].name}" if count == 1 else f"repaired {count} pieces"
    return Repair(Change(words, tuple(deltas)), tuple(mended), reasons)


def moved_words(old: Pose, new: Pose) -> str:
    """The way between two poses in words: so far up or down, so far aside."""
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
    """Move one piece to the nearest place where it has fewer faults; None when it has none there, else the reason.

    ``index`` and ``fits`` are brought up to date when it moves.
    """
    if fit.faults == ("unborne",) and (reason := raised_onto(index, piece).reason):
        return reason
    options = sorted(
        (
            (float(np.linalg.norm(pose.origin - piece.pose.origin)), i, pose)
            for i, pose in enumerate(mended_poses(index, piece, fit, tolerance))
        ),
        key=lambda option: option[:2],
    )
    reason = "only tilting it could balance it" if "tippy" in fit.faults else "no free place near it"
    fallback: tuple[Pose, Fit] | None = None
    trial = index.fork()
    for _, _, pose in options:
        trial.put(piece.at(pose))
        new = measure_fit(trial, trial.pieces[piece.key], tolerance)
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
    moved = piece.at(pose)
    trial = index.fork()
    trial.put(moved)
    boxes = [index.box_of(piece), index.box_of(moved)]
    touched = [k for k in trial.affected_by(boxes, tolerance) if k != piece.key]
    after = check(trial, tolerance, touched)
    for k in touched:
        follows = piece.key in fits[k].rests_on and k in wanted and index.pieces[k].movable if k in fits else True
        if after[k].faults and not follows and not fits[k].faults:
            return f"mending it would leave {index.pieces[k].name} {after[k].state}"
    index.put(moved)
    fits.update(after)
    return None


def balanced(index: SceneIndex, piece: Piece, fit: Fit, tolerance: float) -> Iterator[Pose]:
    """Poses nudged along the bearer until its weight is over what bears it (a plate pushed back from an edge)."""
    moved, now = piece, fit
    trial = index.fork()
    lo, hi = index.box_of(piece)
    furthest = 0.5 * float(np.hypot(hi[0] - lo[0], hi[2] - lo[2]))
    for _ in range(NUDGES):
        if not now.contacts:
            return
        centre = index.centre_of_mass(moved)[[0, 2]]
        offset = offset_to_balance(support_polygon(np.array(now.contacts)[:, [0, 2]]), centre)
        length = float(np.linalg.norm(offset))
        if length < 1e-9:
            return
        aside = moved.pose.origin[[0, 2]] + offset - piece.pose.origin[[0, 2]]
        if float(np.linalg.norm(aside)) > furthest:
            return
        # The weight goes towards what bears it, and a little beyond the edge.
        step = offset * (1.0 + NUDGE_BEYOND / length)
        moved = moved.at(set_down(trial, moved.at(moved.pose.moved(np.array([step[0], 0.0, step[1]])))).pose)
        trial.put(moved)
        now = measure_fit(trial, moved, tolerance)
        if now.faults != ("tippy",):
            yield moved.pose
            return


def mended_poses(index: SceneIndex, piece: Piece, fit: Fit, tolerance: float) -> Iterator[Pose]:
    """Poses that might mend ``piece``: straight along its direction, and pushed aside from what it clashes with."""
    straight = raised_onto(index, piece)
    if straight.travel is not None:
        yield straight.pose
    if "tippy" in fit.faults:
        yield from balanced(index, piece, fit, tolerance)
    if "clashing" not in fit.faults:
        return
    direction = np.asarray(piece.direction)
    beside = [c for c in fit.clashes if c.upward <= UPWARD]
    rows = [index.row[c.other] for c in beside]
    candidates: list[Vec] = [np.array(c.normal) for c in beside]
    angles = np.arange(COMPASS) * (2.0 * np.pi / COMPASS)
    u, v, _ = frame_along(direction)
    candidates += [np.cos(a) * u + np.sin(a) * v for a in angles]
    mesh = index.mesh_of(piece)
    # Pushed aside at the height where it would sit without those neighbours.
    others = [row for key, row in index.row.items() if row not in rows and key != piece.key]
    level_pose = set_down(index, piece, others).pose
    for candidate in candidates:
        level = candidate - direction * float(candidate @ direction)
        length = float(np.linalg.norm(level))
        if length < 0.2:
            continue
        level /= length
        lifted = level_pose.moved(-direction * LIFT_OFF)
        mover = index.mover(mesh, lifted, frame_along(-level))
        near = index.only(mover, lifted.origin, rows)
        push = first_free_interval(index, mover, near, lifted.apply(mesh.probes))
        if push is None:
            continue
        moved = set_down(index, piece.at(lifted.moved(level * (push + LIFT_OFF))))
        if moved.travel is not None:
            yield moved.pose
