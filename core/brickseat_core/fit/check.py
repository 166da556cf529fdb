"""The fit check of a set: every piece measured, joined ones as the one body that they are."""

import os
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from itertools import chain

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.joined import measure_joined, standing_bodies
from brickseat_core.fit.measuring import Depths, Fit, measure_fit
from brickseat_core.scene import Vec
from brickseat_core.tolerances import SEATED_TOLERANCE

TELL_EVERY = 32
"""Pieces between two tellings of progress."""


def check(
    index: SceneIndex,
    tolerance: float = SEATED_TOLERANCE,
    keys: Iterable[str] | None = None,
    on_progress: Callable[[int, int], bool] | None = None,
) -> dict[str, Fit]:
    """The fit of every prop standing in ``index`` (or of ``keys``), bearers left out.

    ``on_progress(done, total)`` is called now and then and may return False to stop early.
    """
    chosen = [k for k in (index.pieces if keys is None else keys) if index.pieces[k].role == "prop"]
    if not chosen:
        return {}
    fits: dict[str, Fit] = {}
    depths = Depths(index)
    bodies = standing_bodies(index, chosen) if index.bodies else {}
    joined = {key for keys in bodies.values() for key in keys}
    told = 0

    def measured(key: str) -> list[Fit]:
        return [measure_fit(index, index.pieces[key], tolerance, depths)]

    def measured_whole(body: tuple[str, ...]) -> list[Fit]:
        found = measure_joined(index, body, tolerance)
        return [found[key] for key in bodies[body]]

    with ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1)) as pool:
        alone = pool.map(measured, (k for k in chosen if k not in joined))
        for some in chain(alone, pool.map(measured_whole, bodies)):
            fits.update((fit.key, fit) for fit in some)
            if on_progress is not None and len(fits) - told >= TELL_EVERY:
                told = len(fits)
                if not on_progress(told, len(chosen)):
                    pool.shutdown(cancel_futures=True)
                    break
    return {key: fits[key] for key in chosen if key in fits}


def touched_by(index: SceneIndex, boxes: Iterable[tuple[Vec, Vec]], margin: float = 1e-3) -> list[str]:
    """Keys of the props whose fit may change when something in ``boxes`` came, went or moved.

    A piece is touched when a box meets its column, which goes from the piece itself onwards in its direction.
    """
    found = index.props_reaching(np.array(list(boxes), dtype=np.float64).reshape(-1, 2, 3), margin)
    if not index.bodies:
        return found
    # What is joined is measured as one: where one of it is touched, all of it are.
    whole = dict.fromkeys(k for key in found for k in index.bodies.get(key, (key,)))
    return [k for k in whole if k in index.pieces and index.pieces[k].role == "prop"]
