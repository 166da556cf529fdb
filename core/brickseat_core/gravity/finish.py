"""The exact finish: what the engine left nearly right is made right on the true meshes.

Bottom up: what cuts something is moved out of it the shortest way, what hangs above something is dropped onto it, what
stands on too little is tilted to the nearest stand. What cannot be put right is named with the reason.
"""

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from brickseat_core.budget import Budget
from brickseat_core.contact.depth import penetration
from brickseat_core.contact.first_contact import rows_cut
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check, side_by_side
from brickseat_core.fit.landing import landed_after, landed_on
from brickseat_core.fit.measuring import Fit, measure_fit
from brickseat_core.fit.rest import LEAST_GAIN, lowered, rest, tilt_between
from brickseat_core.geometry.lengths import in_words
from brickseat_core.gravity.progress import SILENT, Progress
from brickseat_core.scene import DOWN, Piece, Vec

SWEEPS = 3
MOST_DEPTH, MOST_GAP, MENDINGS = 1e-5, 5e-5, 2
"""Metres inside a neighbour, and above what bears it, that a finished piece may be; how often what is not is moved anew."""
MOST_PUSH, PUSHES, PUSH_DIRECTIONS, CLEAR = 0.004, 6, 8, 2e-6
"""Metres a piece may be moved out of what it cuts, in how many moves, how many normals are tried for each, and metres
that it is moved beyond: the engine leaves a millimetre or so."""
MOST_LIFT, FAR_LIFT = 0.03, 0.4
"""Metres a piece may be lifted straight up where that does not free it. The second only as the last way."""
LEAST_MOVE = 1e-9
NEAR = 0.002
"""Metres within which pieces count as beside each other: more than any sweep but the first lets them fall."""
REST_ROUNDS = 4
REST_STEPS, FIRST_ANGLE = 30, np.radians(1.5)
"""Steps of a rest and the angle of the first: the engine has brought it within a degree or so of where it stands."""
STAND_TRIES = 3
MOST_TILT_DEG = 20.0
"""A stand farther off is another outcome, not a finish."""

MOST_CARRIED, CARRIED_SHARE = 5, 25
"""Pieces that may lie on one that does not stand, or one in how many of all: for the sake of one, half a heap is not
thrown over."""

FEW = 2
"""Pieces for which no threads are started: each takes long."""

T = TypeVar("T")
FINISHED_FROM = 0.9
"""Share of a settling that is done when its exact finish begins."""


@dataclass(frozen=True)
class Finished:
    """Where the pieces lie, and the fit of each, by key."""

    pieces: tuple[Piece, ...]
    fits: dict[str, Fit]

    @property
    def named(self) -> dict[str, str]:
        """What is still wrong, by key: faults as in any set, and what is not as exact as a finish has to be."""
        return {k: words for k, f in self.fits.items() if (words := wrong_with(f))}

    def with_those_of(self, other: "Finished") -> "Finished":
        """The same pieces, those of ``other`` where that has them."""
        at = {p.key: p for p in other.pieces}
        return Finished(tuple(at.get(p.key, p) for p in self.pieces), {**self.fits, **other.fits})

    def restless(self, index: SceneIndex) -> set[str]:
        """Keys of what is not right, and of what rests on it; left out where too many pieces rest on one."""
        at = {p.key: p for p in self.pieces}
        most = max(MOST_CARRIED, len(at) // CARRIED_SHARE)
        rising = upwards(index, at, at)
        found: set[str] = set()
        for wrong in self.named:
            with_it = carried(rising, self.fits, [wrong])
            if len(with_it) <= most + 1:
                found |= with_it
        return found


def wrong_with(fit: Fit) -> str:
    """Why a finished piece is not right, empty when it is."""
    if fit.faults:
        return fit.reason
    if fit.depth > MOST_DEPTH:
        return f"still {in_words(fit.depth)} inside a neighbour"
    if (fit.gap or 0.0) > MOST_GAP:
        return f"still {in_words(fit.gap or 0.0)} above what it lies on"
    return ""


def with_pieces(index: SceneIndex, pieces: Iterable[Piece], gone: Iterable[str] = ()) -> SceneIndex:
    """A fork of ``index`` in which ``pieces`` stand, new ones among them, and those of the keys ``gone`` do not."""
    forked = index.fork()
    for key in gone:
        if key in forked.pieces:
            forked.remove(key)
    forked.put_all(pieces)
    return forked


def finish(
    index: SceneIndex,
    pieces: list[Piece],
    tolerance: float,
    progress: Progress = SILENT,
    gone: Iterable[str] = (),
) -> Finished:
    """``pieces``, new ones among them, brought to exact contact among everything else in ``index`` but ``gone``.

    The index is left as it was. Raises GivenUp.
    """

    def reach(share: float) -> None:
        progress.reach(FINISHED_FROM + (1.0 - FINISHED_FROM) * share)

    def checked(keys: Iterable[str]) -> dict[str, Fit]:
        return check(index, tolerance, keys, progress.goes_on)

    index = with_pieces(index, pieces, gone)
    at = {p.key: p for p in pieces}
    rebuilt(index, at, pushed(index, at, at, progress), progress)
    reach(0.1)
    landed: dict[str, str | None] = {}
    followed(index, at, swept(index, at, at, progress, landed), landed, progress)
    reach(0.4)
    fits = checked(at)
    refused: set[str] = set()
    for _ in range(REST_ROUNDS):
        moved = steadied(index, at, fits, refused, progress)
        if not moved:
            break
        reach(0.7)
        followed(index, at, moved, landed, progress, frozenset(moved))
        fits.update(checked(changed(index, at, fits, moved)))
    reach(0.9)
    moved = freed(index, at, [k for k, f in fits.items() if f.clashes], progress)
    moved |= swept(index, at, beside(index, at, moved), progress) | moved
    fits.update(checked(beside(index, at, moved)))
    for _ in range(MENDINGS):
        rough = [k for k, f in fits.items() if wrong_with(f) and not f.faults]
        if not rough:
            break
        before = dict(at)
        rebuilt(index, at, pushed(index, at, rough, progress), progress)
        swept(index, at, beside(index, at, {k: before[k] for k in rough}), progress)
        fits.update(checked(beside(index, at, {k: p for k, p in before.items() if p is not at[k]})))
    return Finished(tuple(at[p.key] for p in pieces), fits)


def followed(
    index: SceneIndex,
    at: dict[str, Piece],
    moved: dict[str, Piece],
    landed: dict[str, str | None],
    progress: Progress,
    standing: frozenset[str] = frozenset(),
) -> None:
    """What had ``landed`` on pieces that moved brought down after them, and so on; ``moved`` comes to hold all of them, as
    they were. ``standing``: keys of those that stay where they are."""
    last: Mapping[str, Piece] = moved
    for _ in range(SWEEPS):
        # All about what was raised: it may have been raised into something.
        raised = beside(index, at, {k: was for k, was in last.items() if landed[k] is None})
        last = swept(index, at, {k for k in at if landed[k] in last}.union(raised) - standing, progress, landed)
        if not last:
            break
        moved |= last | moved


def toppled(
    index: SceneIndex, done: Finished, tolerance: float, gone: Iterable[str] = (), progress: Progress = SILENT
) -> Finished:
    """Of what does not stand and carries nothing, each brought to the nearest stand there is, however far it tilts.

    A stand cuts nothing. The index is left as it was. Raises GivenUp.
    """
    carrying = {k for f in done.fits.values() for k in f.rests_on}
    fits = dict(done.fits)

    def rested(piece: Piece) -> Piece | None:
        found = rest(index, piece, STAND_TRIES, budget=Budget(on_progress=progress.goes_on))
        return piece.at(found.pose) if found.stable else None

    index = with_pieces(index, done.pieces, gone)
    at = {p.key: p for p in done.pieces}
    alone = upwards(index, at, [k for k, f in fits.items() if f.faults == ("tippy",) and k not in carrying])
    for key, piece in tried_at_once(lambda k: rested(at[k]), alone, progress).items():
        if piece is None:
            continue
        before, at[key] = at[key], piece
        index.put(piece)
        fresh = check(index, tolerance, beside(index, at, {key: before}))
        if any(f.faults and not fits[k].faults for k, f in fresh.items()) or fresh[key].faults:
            at[key] = before
            index.put(before)
        else:
            fits.update(fresh)
    return Finished(tuple(at[p.key] for p in done.pieces), fits)


def measured(
    index: SceneIndex,
    done: Finished,
    tolerance: float,
    gone: Iterable[str] = (),
    before: Finished | None = None,
    progress: Progress = SILENT,
) -> Finished:
    """The same pieces, with the fit of each measured as all lie now; of those alone that may have changed since ``before``.

    What lay still may have leaned on what has moved. The index is left as it was. Raises GivenUp.
    """
    index = with_pieces(index, done.pieces, gone)
    at = {p.key: p for p in done.pieces}
    chosen: Iterable[str] = at
    if before is not None:
        was = {p.key: p for p in before.pieces}
        moved = {k: was[k] for k, p in at.items() if p.pose != was[k].pose}
        chosen = changed(index, at, done.fits, moved)
    return Finished(done.pieces, {**done.fits, **check(index, tolerance, chosen, progress.goes_on)})


def beside(index: SceneIndex, at: dict[str, Piece], moved: Mapping[str, Piece]) -> list[str]:
    """Those of ``at`` whose fit may have changed when ``moved``, as they were, came to where they are now.

    All lie in contact, so only what all but touched them, or does now: what lies higher up in a heap has other bearers.
    """
    if not moved:
        return []
    near = set(index.drawn_near((index.box_of(p) for key, was in moved.items() for p in (was, at[key])), NEAR))
    return [key for key in at if key in near]


def changed(index: SceneIndex, at: dict[str, Piece], fits: Mapping[str, Fit], moved: Mapping[str, Piece]) -> list[str]:
    """Those of ``at`` whose fit is another one since ``moved``, as they were, came to where they are now.

    A piece that has moved cuts nothing, so what stands well beside it goes on to, unless it rested on it.
    """
    near = beside(index, at, moved)
    return [k for k in near if k in moved or wrong_with(fits[k]) or not moved.keys().isdisjoint(fits[k].rests_on)]


def carried(rising: Iterable[str], fits: Mapping[str, Fit], keys: Iterable[str]) -> set[str]:
    """``keys``, and of those of ``rising``, from the lowest up, everything that rests on them, and on that."""
    found = set(keys)
    for key in rising:
        if not found.isdisjoint(fits[key].rests_on):
            found.add(key)
    return found


def upwards(index: SceneIndex, at: Mapping[str, Piece], keys: Iterable[str]) -> list[str]:
    """The keys by the height of their lowest point: what carries comes before what is carried."""
    return sorted(keys, key=lambda k: (float(index.box_of(at[k])[0][1]), k))


def pushed(index: SceneIndex, at: dict[str, Piece], keys: Iterable[str], progress: Progress) -> list[str]:
    """Every piece of ``keys`` that cuts something moved out of it the shortest way; the keys of those that this does not free.

    Bottom up, each among all others as they lie: a lift straight up out of what it leans on steeply would be far longer,
    and would take away what holds it.
    """
    rising = upwards(index, at, keys)
    boxes = np.array([index.box_of(at[k]) for k in rising]).reshape(-1, 2, 3)
    boxes += PUSHES * (MOST_PUSH + CLEAR) * np.array([[-1.0], [1.0]])
    stuck = []
    for group in groups(rising, boxes):
        for key, out in tried_at_once(lambda k: out_of_all(index, at[k], index.row[k]), group, progress).items():
            if out is None:
                stuck.append(key)
            elif out is not at[key]:
                at[key] = out
                index.put(out)
    return stuck


def groups(keys: list[str], boxes: Vec) -> list[list[str]]:
    """``keys`` in groups, one after the other: what is done with those of a group side by side, each within its box
    (n, 2, 3), comes to the same as all in their order, one by one."""
    level = np.zeros(len(keys), np.int64)
    for n in range(1, len(keys)):
        meets = ((boxes[:n, 0] <= boxes[n, 1]) & (boxes[:n, 1] >= boxes[n, 0])).all(axis=1)
        level[n] = 1 + level[:n].max(initial=-1, where=meets)
    return [[k for k, at in zip(keys, level, strict=True) if at == n] for n in range(level.max(initial=-1) + 1)]


def out_of_all(index: SceneIndex, start: Piece, row: int) -> Piece | None:
    """``start`` moved out of whatever it cuts deepest, one move after the other; None when that does not free it."""
    piece = start
    for _ in range(PUSHES):
        mover = index.mover_along(index.mesh_of(piece), piece.pose, piece.direction)
        cut = rows_cut(index, mover, piece.pose.origin, row)
        if not cut:
            return piece
        worst = max((penetration(index, piece, r, PUSH_DIRECTIONS, MOST_PUSH) for r in cut), key=lambda c: c.depth)
        if worst.depth >= MOST_PUSH:
            return None
        piece = piece.at(piece.pose.moved(worst.normal * (worst.depth + CLEAR)))
    return None


def rebuilt(index: SceneIndex, at: dict[str, Piece], stuck: Iterable[str], progress: Progress) -> None:
    """The ``stuck`` and all that lies on them taken away and put back from the lowest up, each among those that stand.

    What lies on a piece is then not in its way; it is moved in its turn.
    """
    keys = set(stuck)
    rising = upwards(index, at, at) if keys else []
    boxes = np.array([index.box_of(at[k]) for k in rising]).reshape(-1, 2, 3)
    taken = np.array([k in keys for k in rising], np.bool_)
    for n in range(len(rising)):
        # What lies on a piece begins above where that begins, and so comes after it.
        (under,) = np.nonzero(taken[:n])
        below, above = boxes[under, 0], boxes[under, 1]
        lo, hi = boxes[n]
        near = (lo - NEAR <= above).all(axis=1) & (hi + NEAR >= below).all(axis=1) & (below[:, 1] < lo[1])
        taken[n] |= near.any()
    keys |= {k for k, gone in zip(rising, taken, strict=True) if gone}
    rising = upwards(index, at, keys)
    # Never in the order of a set, which is another one in every process: it decides which rows they get.
    for key in rising:
        index.remove(key)
    for key in rising:
        progress.look()
        out = out_of_all(index, at[key], -1) or landed_after(index, at[key], -1, FAR_LIFT)
        at[key] = out or at[key]
        index.put(at[key])


def swept(
    index: SceneIndex,
    at: dict[str, Piece],
    keys: Iterable[str],
    progress: Progress,
    landed: dict[str, str | None] | None = None,
) -> dict[str, Piece]:
    """Every piece lifted out of what it cuts, or dropped to what is below; those that moved, as they were.

    ``landed`` hears what each came to lie on: a key, its own where there is nothing, None where it was lifted.
    """
    moved = {}
    rising = upwards(index, at, keys)
    boxes = np.array([index.box_of(at[k]) for k in rising]).reshape(-1, 2, 3)
    # It goes along its column, however far, and as far looks what stands in its way.
    columns = np.where(
        np.array([at[k].direction == DOWN for k in rising], np.bool_)[:, None], [0.0, np.inf, 0.0], np.inf
    )
    boxes += columns[:, None, :] * np.array([[-1.0], [1.0]])
    for group in groups(rising, boxes):
        found = tried_at_once(lambda k: landed_on(index, at[k], index.row[k], MOST_LIFT), group, progress)
        keys_of = {row: k for k, row in index.row.items()} if landed is not None else {}
        for key, down in found.items():
            if landed is not None:
                landed[key] = key if down is None else keys_of.get(down[1])
            if down is not None and float(np.abs(down[0].pose.origin - at[key].pose.origin).max()) > LEAST_MOVE:
                moved[key] = at[key]
                at[key] = down[0]
                index.put(down[0])
    return moved


def steadied(
    index: SceneIndex, at: dict[str, Piece], fits: dict[str, Fit], refused: set[str], progress: Progress
) -> dict[str, Piece]:
    """Pieces that stand on too little, tilted to the nearest stand; those that moved, as they were.

    A stand cuts nothing, so it leaves no neighbour worse; what rested on the piece is dropped anew afterwards.
    ``refused``: those that have no stand near; they are added to, and not tried again.
    """
    chosen = upwards(index, at, (k for k, f in fits.items() if "tippy" in f.faults and k not in refused))
    found = tried_at_once(lambda k: stood(index, at[k]), chosen, progress)
    refused.update(k for k, piece in found.items() if piece is None)
    return moved_in_turn(index, at, found, progress)


def tried_at_once(tried: Callable[[str], T], keys: list[str], progress: Progress) -> dict[str, T]:
    """Where each of ``keys`` could go, all looked at at once, as they stand now. Raises GivenUp."""
    found: dict[str, T] = {}
    with side_by_side(len(keys), FEW) as each:
        for key, out in zip(keys, each(tried, keys), strict=True):
            found[key] = out
            progress.look()
    return found


def moved_in_turn(
    index: SceneIndex, at: dict[str, Piece], found: Mapping[str, Piece | None], progress: Progress
) -> dict[str, Piece]:
    """Each piece brought to where it was ``found`` to stand; those that moved, as they were.

    Beside one that moved before, it is looked at again: it was found among pieces as they stood then.
    """
    moved: dict[str, Piece] = {}
    taken: list[tuple[Vec, Vec]] = []
    for key, piece in found.items():
        if piece is None:
            continue
        progress.look()
        boxes = [index.box_of(at[key]), index.box_of(piece)]
        lo, hi = np.minimum(boxes[0][0], boxes[1][0]), np.maximum(boxes[0][1], boxes[1][1])
        beside_moved = any((lo <= above).all() and (hi >= below).all() for below, above in taken)
        if beside_moved and measure_fit(index, piece).faults:
            continue
        taken.append((lo, hi))
        moved[key] = at[key]
        at[key] = piece
        index.put(piece)
    return moved


def stood(index: SceneIndex, start: Piece) -> Piece | None:
    """The piece tilted to the nearest stand, in a few steps; None when there is none near."""
    piece, angle = start, FIRST_ANGLE
    for _ in range(REST_STEPS):
        step = lowered(index, piece, index.row[start.key], angle)
        if step.promised < LEAST_GAIN:
            break
        if step.gained <= 0.0:
            angle *= 0.35
        else:
            piece = step.piece
    tilted = tilt_between(start.pose.linear, piece.pose.linear)
    return None if piece is start or tilted > MOST_TILT_DEG or measure_fit(index, piece).faults else piece


def freed(index: SceneIndex, at: dict[str, Piece], keys: Iterable[str], progress: Progress) -> dict[str, Piece]:
    """Of pieces that are still locked into each other, the upper ones lifted out and dropped anew; those that moved,
    as they were."""
    moved = {}
    for key in reversed(upwards(index, at, keys)):
        progress.look()
        down = landed_after(index, at[key], index.row.get(key, -1), FAR_LIFT)
        if down is not None and down.pose != at[key].pose:
            moved[key] = at[key]
            at[key] = down
            index.put(down)
    return moved
