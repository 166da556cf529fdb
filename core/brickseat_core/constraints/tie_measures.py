"""What ties keep: each with its measure as it is now, and whether it holds."""

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from brickseat_core.constraints.bodies import Joined, as_bodies
from brickseat_core.constraints.gaps import Gap, gap_to, nearest_side, turn_against
from brickseat_core.constraints.joining import frames_of_tie
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import triple
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.lengths import in_words
from brickseat_core.scene import Change, Piece, Set, Tie, Triple

HOLDS = 1e-5
"""Metres within which a tie holds."""
SQUARE_HOLDS = 1e-7
"""Radians within which a square tie holds."""


@dataclass(frozen=True)
class Measure:
    """What a tie keeps, as it is now.

    ``value``: metres of a gap, degrees out of square, metres off the bearer, or between joined points; None where it
    cannot be measured. ``holds``: whether it is kept. ``mine``, ``theirs``: the points that it is drawn between.
    """

    value: float | None
    holds: bool
    mine: Triple
    theirs: Triple


def tie_words(tie: Tie, dressed: Set) -> str:
    """A tie in words for people."""
    mine, theirs = dressed.pieces[tie.piece].name, dressed.pieces[tie.to].name
    if tie.tie == "gap":
        return f"the gap of {'at least ' if tie.at_least else ''}{in_words(tie.distance)} from {mine} to {theirs}"
    if tie.tie == "square":
        return f"{mine} square to {theirs}" + (f" at {tie.angle:g}°" if tie.angle else "")
    if tie.tie == "cling":
        return f"{mine} on {theirs}"
    return f"{mine} joined to {theirs}"


def measure_tie(joined: Joined, tie: Tie) -> Measure:
    """What a tie keeps now. ``joined``: the set it belongs to."""
    index = joined.index
    body, to = joined.standing(tie.piece), joined.standing(tie.to)
    mine, theirs = joined.member(body, tie.piece), joined.member(to, tie.to)
    lo, hi = index.box_of(mine)
    other_lo, other_hi = index.box_of(theirs)
    here = 0.5 * (lo + hi)
    there = np.clip(here, other_lo, other_hi)
    if tie.tie == "join":
        frames = frames_of_tie(tie, {tie.piece: mine, tie.to: theirs})
        if frames is None:
            return Measure(None, True, triple(here), triple(there))
        off = float(np.linalg.norm(frames[0].point - frames[1].point))
        return Measure(off, off <= HOLDS, triple(frames[0].point), triple(frames[1].point))
    if tie.tie == "gap":
        gap = gap_of(joined, index, body, tie)
        short = tie.distance - gap.distance
        holds = short <= HOLDS if tie.at_least else abs(short) <= HOLDS
        return Measure(gap.distance, holds, triple(gap.mine), triple(gap.theirs))
    if tie.tie == "square":
        turn = turn_against(index, mine, to, tie)
        degrees = None if turn is None else math.degrees(turn)
        return Measure(degrees, turn is not None and abs(turn) <= SQUARE_HOLDS, triple(here), triple(there))
    found = set_down(index, body, [index.row[to.key]])
    travel = None if found.travel is None else abs(found.travel)
    return Measure(travel, travel is not None and travel <= HOLDS, triple(here), triple(there))


def measure_ties(dressed: Set, index: SceneIndex, keys: Iterable[str] | None = None) -> dict[str, Measure]:
    """What the ties of these keys keep now, all of a set by default."""
    ties = list(dressed.ties.values()) if keys is None else [dressed.ties[k] for k in keys]
    involved = dict.fromkeys(k for tie in ties for k in (tie.piece, tie.to) if k in index.bodies)
    joined = as_bodies(dressed, index, involved)
    return {tie.key: measure_tie(joined, tie) for tie in ties}


def ties_touched(dressed: Set, index: SceneIndex, change: Change) -> set[str]:
    """Keys of the ties that may keep something else after ``change``, which led to this set."""
    moved = set(change.pieces())
    moved |= {k for key in moved for k in index.bodies.get(key, ())}
    named = {d.key for d in change.deltas if d.kind == "tie"}
    return {k for k, t in dressed.ties.items() if k in named or t.piece in moved or t.to in moved}


def gap_of(joined: Joined, index: SceneIndex, body: Piece, tie: Tie) -> Gap:
    """The gap that a tie keeps, when the body of its piece is at ``body``."""
    mine, to = joined.member(body, tie.piece), joined.standing(tie.to)
    return gap_to(index, mine, to, tie.side if tie.side is not None else nearest_side(index, mine, to))


def turn_left(joined: Joined, index: SceneIndex, body: Piece, tie: Tie) -> float | None:
    """Radians by which a body is still to be turned for a square tie of one of its members."""
    return turn_against(index, joined.member(body, tie.piece), joined.standing(tie.to), tie)
