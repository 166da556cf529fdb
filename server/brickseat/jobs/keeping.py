"""Jobs that are done outlast the server: their outcomes in the database, the models of their shards beside it."""

import shutil
import uuid
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.utils import timezone

from brickseat.jobs.base import Base
from brickseat.jobs.models import KeptJob
from brickseat.jobs.outcome import Outcome
from brickseat.jobs.running import Job, Jobs, Shard
from brickseat.sets.models import DressedSet
from brickseat_core.formats.writing import write_whole

KEPT_DAYS = 7
MOST_A_SET = 5


def folder_of(key: str) -> Path:
    """Where the models of a job's shards lie."""
    return Path(settings.DATA) / "jobs" / key


class StoredJobs:
    """The shelf of the database."""

    def keep(self, job: Job) -> None:
        """Write it down, and drop what is older than a week or beyond the newest few of its set."""
        if not DressedSet.objects.filter(key=job.dressed).exists():
            return
        folder = folder_of(job.key)
        if job.shards:
            folder.mkdir(parents=True, exist_ok=True)
            for shard in job.shards.values():
                write_whole(folder / f"{shard.key}.glb", shard.data)
        shards = {s.key: {"name": s.name, "of": s.of} for s in job.shards.values()}
        with transaction.atomic():
            KeptJob.objects.create(
                key=job.key,
                dressed_id=job.dressed,
                kind=job.kind,
                outcomes=[outcome.record() for outcome in job.outcomes],
                shards=shards,
                base=job.base.record(),
            )
            mine = KeptJob.objects.filter(dressed_id=job.dressed)
            before = timezone.now() - timedelta(days=KEPT_DAYS)
            old = [*mine.values_list("key", flat=True)[MOST_A_SET:]]
            old += KeptJob.objects.filter(at__lt=before).values_list("key", flat=True)
            KeptJob.objects.filter(key__in=old).delete()
        for key in old:
            shutil.rmtree(folder_of(key), ignore_errors=True)

    def of(self, dressed: uuid.UUID, key: str) -> Job | None:
        """The job, as it was when it was done, with its shards."""
        row = KeptJob.objects.filter(key=key, dressed_id=dressed).first()
        if row is None:
            return None
        job = job_of(row)
        for shard, said in row.shards.items():
            path = folder_of(row.key) / f"{shard}.glb"
            if path.exists():
                job.shards[shard] = Shard(shard, said["name"], said["of"], path.read_bytes())
        return job

    def newest(self, dressed: uuid.UUID) -> list[Job]:
        """Those of a set, newest first. Their shards are read when one of them is asked for by itself."""
        return [job_of(row) for row in KeptJob.objects.filter(dressed_id=dressed)]

    def drop(self, job: Job) -> None:
        """Forget it."""
        KeptJob.objects.filter(key=job.key).delete()
        shutil.rmtree(folder_of(job.key), ignore_errors=True)


def job_of(row: KeptJob) -> Job:
    """A job that is done, from its row, without the models of its shards."""
    outcomes = [Outcome(**record) for record in row.outcomes]
    base = Base.read(row.base)
    return Job(row.dressed_id, row.kind, row.key, "done", "finishing", share=1.0, outcomes=outcomes, base=base)


jobs = Jobs(StoredJobs())
