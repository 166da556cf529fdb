"""The endpoints of jobs: each kind is begun at an address of its own; how it goes, what came of it, and its end are the same for all."""

import uuid
from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status
from ninja.errors import HttpError

from brickseat.api.access import PROBLEMS, open_set_of, user_of, visible_prop
from brickseat.api.answers import file_of
from brickseat.api.prop_routes import GLB
from brickseat.api.set_routes import asking_of, changed
from brickseat.jobs import schemas
from brickseat.jobs.adopting import adoption
from brickseat.jobs.beginning import begin
from brickseat.jobs.keeping import jobs
from brickseat.jobs.kind import JobKind
from brickseat.jobs.kinds import KINDS
from brickseat.jobs.running import Job
from brickseat.jobs.telling import broadcast_job, job_record
from brickseat.sets import schemas as set_schemas
from brickseat.sets.changing import make_move
from brickseat.sets.session import LiveSet, sessions
from brickseat.store.shelving import prop_of

router = Router(tags=["jobs"])


def beginning_of(kind: JobKind[Any]) -> Callable[..., Any]:
    """The endpoint that begins a job of a kind."""

    def begin_job(request: HttpRequest, key: uuid.UUID, asked: Any) -> Any:
        live = sessions.of(open_set_of(request, key))
        job = begin(kind, live, asked, lambda prop: prop_of(visible_prop(request, prop)))
        return Status(202, job_record(job))

    # The schema of what is asked is read from here.
    begin_job.__annotations__["asked"] = kind.asked
    return begin_job


for _kind in KINDS.values():
    router.post(
        f"/sets/{{uuid:key}}/jobs/{_kind.name}",
        response={202: schemas.JobSchema, **PROBLEMS},
        operation_id=f"begin_{_kind.name}",
        summary=f"Begin: {_kind.name}",
        description=_kind.summary,
    )(beginning_of(_kind))


@router.get(
    "/sets/{uuid:key}/jobs/{job}/shards/{prop}.glb", response={200: None, **PROBLEMS}, openapi_extra=file_of(GLB)
)
def get_shard_file(request: HttpRequest, key: uuid.UUID, job: str, prop: str) -> Any:
    """The model of a shard that came of a job, before it is adopted. Raises HttpError."""
    found = job_of(request, key, job).shards.get(prop)
    if found is None:
        raise HttpError(404, "that shard is no longer there; begin again")
    return HttpResponse(
        found.data, content_type="model/gltf-binary", headers={"Cache-Control": "private, max-age=3600"}
    )


@router.get("/sets/{uuid:key}/jobs", response={200: list[schemas.JobSchema], **PROBLEMS})
def list_jobs(request: HttpRequest, key: uuid.UUID) -> Any:
    """What is under way, then what was done and neither adopted nor discarded, newest first; also from before a restart."""
    return [job_record(j) for j in jobs.on(open_set_of(request, key).key)]


@router.get("/sets/{uuid:key}/jobs/{job}", response={200: schemas.JobSchema, **PROBLEMS})
def get_job(request: HttpRequest, key: uuid.UUID, job: str) -> Any:
    """How a job goes, or what came of it. Raises HttpError."""
    return job_record(job_of(request, key, job))


@router.delete("/sets/{uuid:key}/jobs/{job}", response={204: None, **PROBLEMS})
def stop_job(request: HttpRequest, key: uuid.UUID, job: str) -> Any:
    """Stop it, or discard what came of it. The set is as it was."""
    drop_and_tell(job_of(request, key, job))
    return Status(204, None)


@router.post("/sets/{uuid:key}/jobs/{job}/adopt", response={200: set_schemas.ChangeSchema, **PROBLEMS})
def adopt_outcome(request: HttpRequest, key: uuid.UUID, job: str, asked: schemas.Adoption) -> Any:
    """Pieces to where they came to lie: all of an outcome, or only some. One step of the history; the job is done with.

    Where the set has changed since the job began, so that this would undo something or may no longer fit: 409 with the code
    `moved_since`, and in `pieces` those that would be put elsewhere.
    """
    dressed = open_set_of(request, key)
    found, keys = job_of(request, key, job), tuple(asked.keys) if asked.keys is not None else None

    def build(live: LiveSet) -> Any:
        return adoption(found, asked.trial, keys, asked.anyway, live)

    news = make_move(dressed.key, user_of(request), build, asking=asking_of(request))
    # Here and not by one more question of the page, which may be gone by then.
    drop_and_tell(found)
    return changed(news)


def drop_and_tell(job: Job) -> None:
    """Drop a job, and tell every stage that still looks at what came of it. One that runs tells by itself when it has ended."""
    jobs.drop(job)
    if job.state == "dropped":
        broadcast_job(job.dressed, job)


def job_of(request: HttpRequest, key: uuid.UUID, job: str) -> Job:
    """A job of a set that the visitor may dress. Raises HttpError."""
    found = jobs.of(open_set_of(request, key).key, job)
    if found is None:
        raise HttpError(404, "that job is no longer there; begin again")
    return found
