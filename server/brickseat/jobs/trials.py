"""Several trials of one thing at once, on the workers of this server."""

import time
from collections.abc import Callable, Sequence
from typing import TypeVar

from brickseat.jobs.running import Job
from brickseat.workers import workers
from brickseat_core.budget import Stopped
from brickseat_core.executing import run_all
from brickseat_core.stopping import Stop

Trial = TypeVar("Trial")
Found = TypeVar("Found")


def side_by_side(run: Callable[[Trial, Stop], Found], trials: Sequence[Trial], job: Job) -> list[tuple[Found, float]]:
    """What came of each in its order, and the seconds after which it was there. ``run`` is a plain function, which can be sent to a worker.

    Raises NoCluster, and Stopped when no trial runs any more.
    """
    found: dict[int, tuple[Found, float]] = {}
    began = time.monotonic()
    job.on_progress("trying", 0.0, 0, len(trials))
    with workers.pool() as pool:
        for number, result in run_all(run, trials, pool, job.stop.is_set):
            found[number] = result, time.monotonic() - began
            job.on_progress("trying", len(found) / len(trials), len(found), len(trials))
    if len(found) < len(trials):
        raise Stopped
    return [found[number] for number in sorted(found)]
