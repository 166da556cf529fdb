"""Conflicts: which pieces cannot stand together, each where it is drawn and where it is measured."""

from collections.abc import Callable, Iterator, Sequence
from typing import Any

from brickseat_core.budget import Budget
from brickseat_core.contact.contacts import ManyContacts
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import some_at_a_time
from brickseat_core.fit.measuring import raised_by_sink
from brickseat_core.scene import Piece

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
    found: Conflicts = {key: set(keys) for key, keys in conflicts.items()}
    for key, keys in conflicts.items():
        for other in keys:
            found.setdefault(other, set()).add(key)
    return found
