"""The fit check of a set: every piece measured, joined ones as the one body that they are."""

import math
import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from itertools import chain
from typing import Any, NamedTuple

from brickseat_core.contact.contacts import Contacts, ManyContacts
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.joined import measure_joined, standing_bodies
from brickseat_core.fit.measuring import Depths, Fit, bands, cuts_something, judged_fit, raised_by_sink
from brickseat_core.scene import Piece
from brickseat_core.tolerances import SEATED_TOLERANCE

MANY = 32
"""Pieces that are looked at in one call."""
MOST_TRIANGLES = 200_000
"""Triangles that are moved in one call: what is asked meanwhile whether it goes on is asked often enough."""
FEW = 16
"""Pieces for which no threads are started."""


def check(
    index: SceneIndex,
    tolerance: float = SEATED_TOLERANCE,
    keys: Iterable[str] | None = None,
    on_progress: Callable[[int, int], bool] | None = None,
    deep: bool = True,
) -> dict[str, Fit]:
    """The fit of every prop standing in ``index`` (or of ``keys``), bearers left out.

    ``deep``: whether it is measured how deep those are that are in others by more than the tolerance; else it is only said
    that they are (``Fit.deeper``), which takes a third of the time and for large meshes a tenth.

    ``on_progress(done, total)`` is called now and then and may return False to stop early.
    """
    chosen = [k for k in (index.pieces if keys is None else keys) if index.pieces[k].role == "prop"]
    if not chosen:
        return {}
    depths = Depths(index, math.inf if deep else tolerance)
    bodies = standing_bodies(index, chosen) if index.bodies else {}
    joined = {key for keys in bodies.values() for key in keys}
    alone = [index.pieces[key] for key in chosen if key not in joined]
    looks = Looks(index, alone, tolerance) if alone else None
    fits: dict[str, Fit] = {}
    cutting: list[Looked] = []

    def measured(looked: Looked) -> list[Fit]:
        return [judged_fit(index, looked.piece, looked.raised, looked.found, tolerance, depths)]

    def measured_whole(body: tuple[str, ...]) -> list[Fit]:
        found = measure_joined(index, body, tolerance)
        return [found[key] for key in bodies[body]]

    def goes_on(some: list[Fit]) -> bool:
        fits.update((fit.key, fit) for fit in some)
        return on_progress is None or on_progress(len(fits), len(chosen))

    with side_by_side(len(chosen)) as each:
        # Most pieces cut nothing, and one look finds all of them; how deep the others are takes far longer.
        for some in each(looks.of, some_at_a_time(index, alone)) if looks else ():
            cutting += [looked for looked in some if cuts_something(looked.found)]
            if not goes_on([f for n in some if not cuts_something(n.found) for f in measured(n)]):
                return in_order(chosen, fits)
        for fit in chain(each(measured, cutting), each(measured_whole, bodies)):
            if not goes_on(fit):
                break
    return in_order(chosen, fits)


def in_order(keys: list[str], fits: dict[str, Fit]) -> dict[str, Fit]:
    """``fits`` in the order of ``keys``, those that there are."""
    return {key: fits[key] for key in keys if key in fits}


class Looked(NamedTuple):
    """A piece, where it is raised by its sink, and what it reaches there."""

    piece: Piece
    raised: Piece
    found: Contacts


class Looks:
    """One look at each of many pieces that stand in an index, some at a time."""

    def __init__(self, index: SceneIndex, pieces: list[Piece], tolerance: float) -> None:
        self.pieces, self.raised = pieces, [raised_by_sink(piece) for piece in pieces]
        self._many = ManyContacts(index, self.raised)
        self._bands = bands(tolerance)

    def of(self, span: tuple[int, int]) -> list[Looked]:
        """The pieces from the first number of ``span`` up to the second."""
        begin, end = span
        found = self._many.of(begin, end, *self._bands)
        return list(map(Looked, self.pieces[begin:end], self.raised[begin:end], found))


def some_at_a_time(index: SceneIndex, pieces: Sequence[Piece], most: int = MANY) -> list[tuple[int, int]]:
    """Spans of ``pieces``, each from one number up to another, that are looked at in one call: ``most`` of them, or fewer large ones."""
    spans: list[tuple[int, int]] = []
    begin = triangles = 0
    for n, piece in enumerate(pieces):
        own = len(index.mesh_of(piece).faces)
        if n > begin and (n - begin == most or triangles + own > MOST_TRIANGLES):
            spans.append((begin, n))
            begin, triangles = n, 0
        triangles += own
    return [*spans, (begin, len(pieces))] if pieces else []


@contextmanager
def side_by_side(total: int, few: int = FEW) -> Iterator[Callable[..., Iterator[Any]]]:
    """A ``map`` over threads, as many as there are cores; over none where there is little to do.

    What is not begun when the caller goes on is given up.
    """
    if total <= few:
        yield map
        return
    pool = ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1))
    try:
        yield pool.map
    finally:
        pool.shutdown(cancel_futures=True)
