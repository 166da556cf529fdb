"""Seats of many copies, looked for on a cluster: parts of them, each with the ground that it needs. They are the same as here, bit for bit."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.budget import Stopped
from brickseat_core.contact.arena import Forest
from brickseat_core.contact.index import Placed, SceneIndex
from brickseat_core.contact.kernels.mesh_table import MeshTable
from brickseat_core.executing import OpenPool, run_all
from brickseat_core.proposals.scatter.seating import CHUNK, Seats, Wanted, seats_kernel
from brickseat_core.stopping import NEVER, Stop

PARTS = 8
"""In which copies are sent: as many as most clusters have workers."""


@dataclass(frozen=True)
class SeatingPart:
    """What one worker needs: plain arrays, pickled as they are. ``rows``: of what is lain on. ``wanted``: this part alone."""

    forest: Forest
    placed: Placed
    rows: NDArray[np.int64]
    table: MeshTable
    wanted: Wanted
    band: float


def seat_part(part: SeatingPart, stop: Stop = NEVER) -> Seats:
    """The seats of a part; the same on every machine of one kind. Raises Stopped as soon as ``stop`` is set."""
    found = []
    for begin in range(0, len(part.wanted.which), CHUNK):
        if stop.is_set():
            raise Stopped
        some = Wanted._make(column[begin : begin + CHUNK] for column in part.wanted)
        found.append(Seats(*seats_kernel(part.forest, part.placed, part.rows, part.table, *some, part.band)))
    return Seats._make(map(np.concatenate, zip(*found, strict=True)))


def seats_apart(
    index: SceneIndex,
    rows: NDArray[np.int64],
    table: MeshTable,
    wanted: Wanted,
    band: float,
    pool: OpenPool,
    on_wait: Callable[[], None],
) -> Seats:
    """As ``seats_of`` of all of ``wanted``, one at least, on ``rows`` (k,). ``on_wait``: called as each part comes; it may raise GivenUp. Raises NoCluster."""
    size = -(-len(wanted.which) // PARTS)
    parts = [
        SeatingPart(
            index.forest,
            index.placed,
            rows,
            table,
            Wanted._make(column[begin : begin + size] for column in wanted),
            band,
        )
        for begin in range(0, len(wanted.which), size)
    ]

    def stopped() -> bool:
        on_wait()
        return False

    with pool() as workers:
        found = dict(run_all(seat_part, parts, workers, stopped))
    return Seats._make(map(np.concatenate, zip(*(found[k] for k in range(len(parts))), strict=True)))
