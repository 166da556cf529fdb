"""A job of any kind is begun on a set."""

from collections.abc import Callable
from typing import Any

from brickseat.jobs.base import Base
from brickseat.jobs.keeping import jobs
from brickseat.jobs.kind import JobKind
from brickseat.jobs.outcome import Outcome
from brickseat.jobs.running import Job
from brickseat.jobs.telling import broadcast_job
from brickseat.sets.session import LiveSet
from brickseat_core.scene import Prop


def begin(kind: JobKind[Any], live: LiveSet, asked: Any, prop: Callable[[str], Prop]) -> Job:
    """Begin what is asked for on the set as it is now. ``prop``: the prop of a key that the asker may see. Raises Failed."""
    now = live.snapshot
    prepared = kind.prepare(now, asked, prop)

    def run(job: Job) -> list[Outcome]:
        job.base = Base.of(now)
        return prepared(job)

    return jobs.start(live.key, run, lambda job: broadcast_job(live.key, job), kind.name, Base(now.revision))
