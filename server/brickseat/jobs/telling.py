"""How a job goes, told to the stages of its set."""

import uuid

from brickseat.jobs.outcome import Record
from brickseat.jobs.running import Cast, Job
from brickseat.sets.listening import listeners
from brickseat.sets.news import message


def broadcast_job(dressed: uuid.UUID, job: Job) -> None:
    """Tell the stages of a set how a job of it goes."""
    listeners.broadcast(dressed, message("job", {"job": job_record(job)}))


def job_record(job: Job) -> Record:
    """A job as JSON values, with its outcomes once there are any."""
    return {
        "key": job.key,
        "kind": job.kind,
        "state": job.state,
        "phase": job.phase,
        "count": job.count,
        "total": job.total,
        "share": job.share,
        "revision": job.base.revision,
        "problem": job.problem,
        "lacking": [{"key": lack.key, "name": lack.name, "reason": lack.reason} for lack in job.lacking],
        "outcomes": [outcome.told() for outcome in job.outcomes],
    }


def cast_joins(
    job: Job,
    rows: list[tuple[str, Record]],
    joined: list[Record] | None = None,
    files: dict[str, str] | None = None,
    gone: list[str] | None = None,
) -> None:
    """More rows of the frames: key and pose before the fall, and what a stage needs to draw those that are new."""
    first, cast = len(job.cast.keys), job.cast
    keys, starts = [key for key, _ in rows], [pose for _, pose in rows]
    more = Cast(keys, starts, joined or [], files or {}, gone or [])
    # Made anew, not grown: a stage that opens meanwhile reads the old one or the new one.
    job.cast = Cast(
        cast.keys + more.keys,
        cast.starts + more.starts,
        cast.joined + more.joined,
        {**cast.files, **more.files},
        more.gone or cast.gone,
    )
    listeners.broadcast(job.dressed, message("cast", cast_record(job, more, first)))


def cast_record(job: Job, cast: Cast, first: int = 0) -> Record:
    """Who falls in a job, by the rows of its frames from ``first`` on."""
    record = {"job": job.key, "first": first, "keys": cast.keys, "starts": cast.starts}
    return {**record, "joined": cast.joined, "files": cast.files, "gone": cast.gone}
