"""Conflicts: which pieces cannot stand together, each where it is drawn and where it is measured."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.spatial import cKDTree

from brickseat_core.budget import Budget
from brickseat_core.contact.contacts import ManyContacts
from brickseat_core.contact.depth import contained_rows
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import Looks, some_at_a_time
from brickseat_core.fit.measuring import raised_by_sink, stands_alone
from brickseat_core.scene import Piece, Vec

FEWEST_IN_CROWD = 8
CROWD_WIDTHS, CROWDED = 0.5, 0.5
"""Widths within which others count as where a piece is, and how many of them for each from which pieces are a crowd."""
LOOKED_AT = 512
"""Pieces whose neighbours are found in one go: what is asked meanwhile whether it goes on is asked often enough."""

Each = Callable[..., Iterator[Any]]
"""A ``map``, over threads or not."""
Conflicts = dict[str, set[str]]
"""By key of a piece, the keys of those that it is in, or that are in it."""


def conflicts_of(index: SceneIndex, pieces: Sequence[Piece], each: Each, budget: Budget) -> Conflicts:
    """What each of ``pieces`` is in among all that stands in ``index``, whether it stands there itself or not.

    A bedded piece is measured raised by its sink. What it is in only there is in nobody's way: it stands on it, or over it.
    """
    found = cut_by(index, [raised_by_sink(piece) for piece in pieces], each, budget)
    bedded = [piece for piece in pieces if piece.sink and found[piece.key]]
    drawn = cut_by(index, bedded, each, budget)
    return {**found, **{key: keys & found[key] for key, keys in drawn.items()}}


@dataclass(frozen=True)
class FirstLook:
    """What one full look at pieces finds where all of them stand. ``conflicts``: as of ``conflicts_of``. ``borne_by``: of those that
    stand alone there, the keys of what bears them: with none of that gone, they do so whoever else goes."""

    conflicts: Conflicts
    borne_by: Mapping[str, frozenset[str]]


def look_once(index: SceneIndex, pieces: Sequence[Piece], tolerance: float, each: Each, budget: Budget) -> FirstLook:
    """As ``conflicts_of``, of pieces that stand in ``index``, with all that a verdict needs besides."""
    conflicts: Conflicts = {}
    borne_by: dict[str, frozenset[str]] = {}
    for begin in range(0, len(pieces), LOOKED_AT):
        part = list(pieces[begin : begin + LOOKED_AT])
        looks = Looks(index, part, tolerance)
        for some in each(looks.of, some_at_a_time(index, part)):
            for piece, _, found in some:
                rows = (*found.initially_intersecting, *found.containers)
                rows = (*rows, *contained_rows(index, index.row[piece.key], found.contained))
                conflicts[piece.key] = {index.keys[row] or "" for row in rows}
                if stands_alone(piece, found, tolerance):
                    bearers = found.bearing.rows if found.bearing is not None else (found.first or 0,)
                    borne_by[piece.key] = frozenset(index.keys[row] or "" for row in bearers)
            budget.check()
    bedded = [piece for piece in pieces if piece.sink and conflicts[piece.key]]
    drawn = cut_by(index, bedded, each, budget)
    return FirstLook({**conflicts, **{key: keys & conflicts[key] for key, keys in drawn.items()}}, borne_by)


def is_crowd(boxes: Vec) -> bool:
    """Whether so many of ``boxes`` (n, 2, 3) stand where others do that most of them are in somebody's way: then only that is looked at first."""
    if len(boxes) < FEWEST_IN_CROWD:
        return False
    middles = 0.5 * (boxes[:, 0] + boxes[:, 1])
    width = float(np.median((boxes[:, 1] - boxes[:, 0]).max(axis=1)))
    tree = cKDTree(middles)
    close = int(tree.count_neighbors(tree, CROWD_WIDTHS * width)) - len(boxes)
    return close > CROWDED * len(boxes)


def cut_by(index: SceneIndex, pieces: Sequence[Piece], each: Each, budget: Budget) -> Conflicts:
    """As ``conflicts_of``, each of ``pieces`` just where it is."""
    if not pieces:
        return {}
    many = ManyContacts(index, pieces)
    found: Conflicts = {}
    for some in each(lambda span: many.cuts(*span), some_at_a_time(index, pieces)):
        for rows in some:
            found[pieces[len(found)].key] = {index.keys[row] or "" for row in rows}
        budget.check()
    return found


def both_ways(conflicts: Conflicts) -> Conflicts:
    """The same, each conflict under the keys of both."""
    found: Conflicts = {key: set(keys) for key, keys in conflicts.items() if keys}
    for key, keys in conflicts.items():
        for other in keys:
            found.setdefault(other, set()).add(key)
    return found
