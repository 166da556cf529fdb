"""An outcome of a job is adopted, as its kind does it."""

from typing import Any

from brickseat.jobs.kinds import KINDS
from brickseat.jobs.running import Failed, Job
from brickseat.sets.session import LiveSet


def adoption(job: Job, trial: int, keys: tuple[str, ...] | None, anyway: bool, live: LiveSet) -> Any:
    """The move that takes over an outcome of a job: all of it, or only the pieces of ``keys``. ``anyway``: whatever changed since.

    Raises Failed where there is nothing to adopt, MovedSince, and FileError.
    """
    if not 0 <= trial < len(job.outcomes):
        raise Failed("there is no such outcome to adopt; settle again")
    return KINDS[job.kind].adopt(job, job.outcomes[trial], keys, anyway, live)
