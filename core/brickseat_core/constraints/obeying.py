"""Ties obeyed: after a move, every tied piece goes to the nearest place where its ties hold.

A tied piece goes by what it is tied to: those are put right first. With the turn fixed, a gap to a flat face is linear in
the way that a piece is moved. Height and turn make it curved, so it is measured and solved anew until it holds.
"""

from dataclasses import dataclass, replace

import numpy as np

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.constraints.bodies import Joined, as_bodies
from brickseat_core.constraints.indexing import follow
from brickseat_core.constraints.least_distance import nearest_point
from brickseat_core.constraints.tie_measures import (
    HOLDS,
    SQUARE_HOLDS,
    gap_of,
    measure_tie,
    measure_ties,
    tie_words,
    turn_left,
)
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.contact.rays import first_hit
from brickseat_core.fit.formation import FORMATION
from brickseat_core.fit.set_down import set_down
from brickseat_core.placing.frames import blended_up, shortest_rotation, smooth_normal
from brickseat_core.scene import Change, Piece, Pose, Set, Tie, Vec, merged, piece_delta, rotation_about

ENOUGH = 1e-8
"""Metres from which nothing is moved any more: well within what a tie holds to."""
MOST_ROUNDS = 12
SEATED_WITHIN = 1e-5
"""Metres within which a piece counts as standing, so that it goes on standing when its ties move it."""
LEAST_LEVEL = 1e-3
"""Part of a face's normal that must lie in the ways a piece can go, so that going there changes the gap."""
BISECTIONS = 16


class TiesInTheWay(ValueError):
    """A move that ties forbid. ``ties``: keys of those of which none can be left out. The text names them."""

    def __init__(self, text: str, ties: tuple[str, ...]) -> None:
        super().__init__(text)
        self.ties = ties


@dataclass(frozen=True)
class Tied:
    """One piece that is to obey: where it is wanted, and the ties that it must hold."""

    piece: Piece
    ties: tuple[Tie, ...]
    before: Piece


def obeyed(dressed: Set, index: SceneIndex, change: Change, budget: Budget = UNLIMITED) -> Change:
    """``change`` followed by what it takes for all ties to hold. ``dressed``, ``index``: the set before it.

    Every tie that this touches is measured before it is given out. Raises TiesInTheWay, and GivenUp.
    """
    if not dressed.ties and not any(d.kind == "tie" for d in change.deltas):
        return change
    after = change.on(dressed)
    ties = [t for t in after.ties.values() if t.tie != "join"]
    if not ties:
        return change
    moved = {k for k, p in change.pieces().items() if p is not None and dressed.pieces.get(k) != p}
    changed_ties = {d.key for d in change.deltas if d.kind == "tie" and d.after is not None}
    touched = affected(ties, moved, changed_ties, index)
    if not touched:
        return change
    here = index.fork()
    follow(here, change, after)
    involved = [k for t in ties if t.piece in touched for k in (t.piece, t.to)]
    joined = as_bodies(after, here, [k for k in involved if k in here.bodies])
    steps: list[Change] = [change]
    fixed: dict[str, Piece] = {}
    order = in_order(joined, ties, touched)
    for done, (key, mine) in enumerate(order):
        budget.check(done, len(order))
        end = solved(joined, tied_piece(joined, key, mine, dressed), after, budget)
        joined.index.put(end)
        fixed[end.key] = end
    deltas = [piece_delta(joined.dressed.pieces[k], p) for k, p in fixed.items() if joined.dressed.pieces[k] != p]
    if deltas:
        steps.append(joined.parted(Change(change.words, tuple(deltas))))
    found = merged(change.words, steps)
    held_fast(dressed, change, found, ties)
    refuse_broken(dressed, index, found, touched)
    return found


def refuse_broken(before: Set, index: SceneIndex, found: Change, touched: set[str]) -> None:
    """Raises TiesInTheWay where ``found`` leaves a tie of a piece that is ``touched`` not holding that held before, or is new."""
    after = found.on(before)
    keys = [t.key for t in after.ties.values() if t.tie != "join" and (t.piece in touched or t.to in touched)]
    here = index.fork()
    follow(here, found, after)
    broken = [after.ties[key] for key, measure in measure_ties(after, here, keys).items() if not measure.holds]
    if not broken:
        return
    known = [t.key for t in broken if before.ties.get(t.key) == t]
    held = {key for key, measure in measure_ties(before, index, known).items() if measure.holds} if known else set()
    if lost := [t for t in broken if t.key not in known or t.key in held]:
        others = [t for t in after.ties.values() if {t.piece, t.to} == {lost[0].piece, lost[0].to} and t not in lost]
        names = " and ".join(tie_words(t, after) for t in [*lost, *others][:3])
        raise TiesInTheWay(f"{names} cannot hold together; loosen one of them", tuple(t.key for t in [*lost, *others]))


def affected(ties: list[Tie], moved: set[str], changed: set[str], index: SceneIndex) -> set[str]:
    """Keys of the pieces that have to obey: those that moved, and all that are tied to one that may have moved."""
    touched = {t.piece for t in ties if t.piece in moved or t.to in moved or t.key in changed}
    touched |= {k for k in moved for b in index.bodies.get(k, ()) if any(t.piece == b for t in ties)}
    for _ in range(len(ties)):
        more = {t.piece for t in ties if t.to in touched} - touched
        if not more:
            break
        touched |= more
    return touched


def in_order(joined: Joined, ties: list[Tie], touched: set[str]) -> list[tuple[str, tuple[Tie, ...]]]:
    """The keys of the bodies that obey, with their ties, each after those that it is tied to, as far as that is possible."""
    mine: dict[str, list[Tie]] = {}
    for tie in ties:
        key, to = joined.key_of(tie.piece), joined.key_of(tie.to)
        if tie.piece in touched and key != to:
            mine.setdefault(key, []).append(tie)
    order: list[str] = []
    waiting = dict.fromkeys(mine)
    while waiting:
        ready = [k for k in waiting if not any(joined.key_of(t.to) in waiting for t in mine[k])]
        # Ties that go round in a circle are taken as they come.
        for key in ready or [next(iter(waiting))]:
            order.append(key)
            del waiting[key]
    return [(key, tuple(mine[key])) for key in order]


def tied_piece(joined: Joined, key: str, ties: tuple[Tie, ...], before: Set) -> Tied:
    """One body with its ties, and where it was before the move.

    What clings to something that was moved, and was not moved itself, is wanted where that carries it.
    """
    piece = joined.dressed.pieces[key]
    formed = joined.formations.get(key)
    now = piece if formed is None else next(m for m in formed.members if FORMATION + m.key == key)
    old = before.pieces.get(now.key, now)
    was = piece if old.pose == now.pose else piece.at(after_motion(piece.pose, now.pose, old.pose))
    if old.pose == now.pose:
        for tie in ties:
            bearer, to = before.pieces.get(tie.to), joined.standing(tie.to)
            if tie.tie == "cling" and bearer is not None and bearer.pose != joined.member(to, tie.to).pose:
                moved = carried_by(piece.pose, bearer.pose, joined.member(to, tie.to).pose)
                return Tied(piece.at(moved), ties, was)
    return Tied(piece, ties, was)


def after_motion(pose: Pose, start: Pose, end: Pose) -> Pose:
    """``pose`` after the motion that brings ``start`` to ``end``."""
    return Pose.from_matrix(end.matrix @ np.linalg.inv(start.matrix) @ pose.matrix)


def carried_by(pose: Pose, start: Pose, end: Pose) -> Pose:
    """``pose`` of what is stuck to something that came from ``start`` to ``end``: it goes along and turns along, and keeps its own size.

    The turn of a motion is its nearest rotation (Higham, "Computing the polar decomposition", 1986).
    """
    motion = end.matrix @ np.linalg.inv(start.matrix)
    u, _, vt = np.linalg.svd(motion[:3, :3])
    turn = u @ np.diag([1.0, 1.0, np.sign(np.linalg.det(u @ vt))]) @ vt
    if np.allclose(turn, motion[:3, :3], rtol=0.0, atol=1e-12):
        return Pose.from_matrix(motion @ pose.matrix)
    return Pose.of(turn @ pose.linear, motion[:3, :3] @ pose.origin + motion[:3, 3])


def held_fast(before: Set, asked: Change, found: Change, ties: list[Tie]) -> None:
    """Raises TiesInTheWay where a piece was to be moved and its ties leave it exactly where it was."""
    after = found.pieces()
    for key, wanted in asked.pieces().items():
        old = before.pieces.get(key)
        if wanted is None or old is None or wanted.pose == old.pose:
            continue
        end = after.get(key, old)
        if end is None or np.abs(end.pose.matrix - old.pose.matrix).max() > ENOUGH:
            continue
        if np.abs(wanted.pose.matrix - old.pose.matrix).max() <= HOLDS:
            continue
        own = [t for t in ties if t.piece == key]
        if own and len([p for p in asked.pieces().values() if p is not None]) == 1:
            names = " and ".join(tie_words(t, before) for t in own)
            raise TiesInTheWay(f"{names} holds it there; loosen the tie first", tuple(t.key for t in own))


def solved(joined: Joined, tied: Tied, named: Set, budget: Budget = UNLIMITED) -> Piece:
    """The nearest place to where it is wanted at which the ties of a piece hold. Raises TiesInTheWay."""
    if not tied.piece.movable:
        broken = [t for t in tied.ties if not measure_tie(joined, t).holds]
        if not broken:
            return tied.piece
        names = " and ".join(tie_words(t, named) for t in broken)
        raise TiesInTheWay(f"{names} cannot hold: {tied.piece.name} may not move", tuple(t.key for t in broken))
    end = attempt(joined, tied, tied.ties, budget)
    if end is not None:
        return end
    if (last := last_that_obeys(joined, tied, budget)) is not None:
        return last
    core = irreducible(joined, tied, budget)
    names = " and ".join(tie_words(t, named) for t in core)
    raise TiesInTheWay(f"{names} cannot hold there; loosen one of them", tuple(t.key for t in core))


def last_that_obeys(joined: Joined, tied: Tied, budget: Budget) -> Piece | None:
    """The last place on the straight way from where it was to where it is wanted at which its ties hold."""
    good: Piece | None = None
    low, high = 0.0, 1.0
    start, end = tied.before.pose.origin, tied.piece.pose.origin
    if np.abs(end - start).max() <= HOLDS:
        return None
    for _ in range(BISECTIONS):
        share = 0.5 * (low + high)
        on_the_way = tied.piece.at(Pose.of(tied.piece.pose.linear, start + share * (end - start)))
        found = attempt(joined, replace(tied, piece=on_the_way), tied.ties, budget)
        if found is None:
            high = share
        else:
            good, low = found, share
    return good


def irreducible(joined: Joined, tied: Tied, budget: Budget) -> list[Tie]:
    """Ties that cannot hold together, of which none can be left out (deletion filter: Chinneck and Dravnieks, 1991)."""
    core = list(tied.ties)
    for tie in tied.ties:
        without = [t for t in core if t is not tie]
        if attempt(joined, tied, tuple(without), budget) is None:
            core = without
    return core


def attempt(joined: Joined, tied: Tied, ties: tuple[Tie, ...], budget: Budget) -> Piece | None:
    """Where the piece of ``tied`` comes to be when it obeys ``ties``; None where they cannot hold."""
    index = joined.index.fork()
    piece = tied.piece
    clings = [t for t in ties if t.tie == "cling"]
    rows = [index.row[joined.key_of(t.to)] for t in clings]
    seated = None if clings else as_it_stands(index, piece)
    stands = bool(clings) or seated is not None
    wanted = squared(joined, index, piece, [t for t in ties if t.tie == "square"])
    if wanted is None:
        return None
    if wanted is not piece:
        piece, seated = wanted, None
    gaps = [t for t in ties if t.tie == "gap"]
    tried: list[Vec] = []
    for _ in range(MOST_ROUNDS):
        budget.check()
        if stands:
            seated = seated or landed(joined, index, piece, clings, rows)
            if seated is None:
                return None
            piece, seated = seated, None
        step = step_to_hold(joined, index, piece, wanted, gaps, stands)
        if step is None:
            return None
        if float(np.abs(step).max(initial=0.0)) <= ENOUGH:
            return piece
        back = any(np.abs(piece.pose.origin + step - place).max() <= ENOUGH for place in tried)
        # Here and there it is opposite different faces of one bearer, and only here its gaps are kept.
        if back and gaps_kept(joined, index, piece, gaps):
            return piece
        tried.append(piece.pose.origin)
        piece = piece.at(piece.pose.moved(step))
    return None


def gaps_kept(joined: Joined, index: SceneIndex, piece: Piece, gaps: list[Tie]) -> bool:
    """Whether all ``gaps`` are kept where ``piece`` is, as exactly as they are solved for."""
    missing = [(tie, tie.distance - gap_of(joined, index, piece, tie).distance) for tie in gaps]
    return all(short <= ENOUGH and (tie.at_least or short >= -ENOUGH) for tie, short in missing)


def as_it_stands(index: SceneIndex, piece: Piece) -> Piece | None:
    """A piece exactly on what it stands on, as far as its wanted sink or stand-off says; None where it does not stand."""
    found = set_down(index, piece)
    stands = found.travel is not None and abs(found.travel) <= SEATED_WITHIN
    return piece.at(found.pose) if stands else None


def squared(joined: Joined, index: SceneIndex, piece: Piece, ties: list[Tie]) -> Piece | None:
    """``piece`` turned about the vertical through its middle until the first of ``ties`` holds; None unless all do then."""
    for tie in ties[:1]:
        # A face that is met somewhere else after the turn may be another one: look again.
        for _ in range(MOST_ROUNDS):
            off = turn_left(joined, index, piece, tie)
            if off is None:
                return None
            if abs(off) <= 1e-12:
                break
            lo, hi = index.box_of(piece)
            centre = 0.5 * (lo + hi)
            rotation = rotation_about(np.array([0.0, 1.0, 0.0]), off)
            piece = piece.at(Pose.of(rotation @ piece.pose.linear, centre + rotation @ (piece.pose.origin - centre)))
    for tie in ties:
        off = turn_left(joined, index, piece, tie)
        if off is None or abs(off) > SQUARE_HOLDS:
            return None
    return piece


def landed(joined: Joined, index: SceneIndex, piece: Piece, clings: list[Tie], rows: list[int]) -> Piece | None:
    """``piece`` set down where it is: on what it clings to, and leaning as the tie says, or on whatever is there."""
    if not clings:
        found = set_down(index, piece)
        return None if found.travel is None else piece.at(found.pose)
    leaning = next((t for t in clings if t.lean > 0.0), None)
    if leaning is not None:
        piece = leaned(joined, index, piece, leaning)
    found = set_down(index, piece, rows)
    if found.travel is None:
        return None
    return piece.at(found.pose)


def leaned(joined: Joined, index: SceneIndex, piece: Piece, tie: Tie) -> Piece:
    """``piece`` turned the least way so that it leans as the surface of its bearer does at its middle."""
    lo, hi = index.box_of(piece)
    middle = 0.5 * (lo + hi)
    row = index.row[joined.key_of(tie.to)]
    # Looked for along its own way down first, so that it does not flip over an edge.
    down = np.asarray(piece.direction)
    hit = first_hit(index, middle - down * float(np.linalg.norm(hi - lo)), down, only=row)
    if hit is None:
        return piece
    normal = smooth_normal(index, hit) if tie.smooth else hit.normal
    up = blended_up(normal, tie.lean)
    own = piece.pose.linear[:, 1] / np.linalg.norm(piece.pose.linear[:, 1])
    rotation = shortest_rotation(own, up)
    x, y, z = (-up).tolist() if tie.lean >= 1.0 else piece.direction
    pose = Pose.of(rotation @ piece.pose.linear, hit.point + rotation @ (piece.pose.origin - hit.point))
    return replace(piece, pose=pose, direction=(x, y, z))


def step_to_hold(
    joined: Joined, index: SceneIndex, piece: Piece, wanted: Piece, gaps: list[Tie], stands: bool
) -> Vec | None:
    """(3,) metres to where all gaps hold, as near to where it is ``wanted`` as can be; None where they cannot.

    What ``stands`` is moved level only: its height comes from what it stands on.
    """
    if not gaps:
        return np.zeros(3)
    frame = frame_along(np.asarray(piece.direction))
    ways = frame[:2] if stands else np.eye(3)
    offset = ways @ (piece.pose.origin - wanted.pose.origin)
    equal: list[Vec] = []
    at: list[float] = []
    least: list[Vec] = []
    above: list[float] = []
    for tie in gaps:
        gap = gap_of(joined, index, piece, tie)
        row = ways @ gap.normal
        missing = tie.distance - gap.distance
        if float(np.linalg.norm(row)) < LEAST_LEVEL:
            if (tie.at_least and missing <= HOLDS) or abs(missing) <= HOLDS:
                continue
            return None
        (least if tie.at_least else equal).append(row)
        (above if tie.at_least else at).append(missing + float(row @ offset))
    n = len(ways)
    found = nearest_point(np.array(equal).reshape(-1, n), np.array(at), np.array(least).reshape(-1, n), np.array(above))
    return None if found is None else np.asarray((found - offset) @ ways)
