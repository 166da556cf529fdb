"""One runner for all long work of sets."""

import logging
import os
import queue
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol

from brickseat.jobs.base import UNKNOWN, Base
from brickseat.jobs.outcome import Outcome, Record
from brickseat_core.budget import Stopped

log = logging.getLogger(__name__)
JOBS_KEPT_SECONDS = 3600.0
NEWS_SECONDS = 0.3
TURN_SECONDS = 0.1
"""How often a job that waits for its turn looks whether it is still wanted."""
MOST_AT_ONCE = max(2, os.cpu_count() or 1)
State = Literal["running", "done", "stopped", "failed", "dropped"]
"""Dropped: what came of it was adopted or discarded."""
Phase = Literal["waiting", "making contact shapes", "easing apart", "settling", "pouring", "trying", "finishing"]


@dataclass(frozen=True)
class Lack:
    """A thing that a job could not go on without: the key and the name of what lacks it, and why it does."""

    key: str
    name: str
    reason: str


class Failed(Exception):
    """The job cannot be done; says why, in words for the dresser, and what it lacked when that can be given."""

    def __init__(self, words: str, lacking: tuple[Lack, ...] = ()) -> None:
        super().__init__(words)
        self.lacking = lacking


@dataclass(frozen=True)
class Shard:
    """A prop that came of a job and is not in the store yet. ``of``: key of the stored prop that it is a shard of; ``data``:
    its model as GLB."""

    key: str
    name: str
    of: str
    data: bytes


@dataclass
class Cast:
    """Who falls in a job, in the order of the rows of its frames: key and pose before it, as JSON values.

    ``joined``: those that came while it ran, whole; ``files``: models that are not in the store, by prop; ``gone``: keys
    of what broke.
    """

    keys: list[str] = field(default_factory=list)
    starts: list[Record] = field(default_factory=list)
    joined: list[Record] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)
    gone: list[str] = field(default_factory=list)


@dataclass
class Job:
    """A job as it goes, and what came of it.

    ``phase``: what it does now; ``count`` of ``total`` of that is done, where it can be counted; ``share``: of the whole, 0 to
    1. ``stop``: nothing of it is wanted. ``enough``: it may come to its end now. ``commands``: what is asked of it while
    it runs. ``outcomes``: proposed changes, one for each trial, and ``base``: the set that they were computed on. ``shards``: props that it made, by key.
    ``problem``: why nothing came of it, and ``lacking`` what it lacked. ``heard`` is called with the job now and then.
    """

    dressed: uuid.UUID
    kind: str = "settle"
    key: str = field(default_factory=lambda: uuid.uuid4().hex)
    state: State = "running"
    phase: Phase = "waiting"
    count: int = 0
    total: int = 0
    share: float = 0.0
    outcomes: list[Outcome] = field(default_factory=list)
    base: Base = UNKNOWN
    shards: dict[str, Shard] = field(default_factory=dict)
    problem: str | None = None
    lacking: tuple[Lack, ...] = ()
    cast: Cast = field(default_factory=Cast)
    stop: threading.Event = field(default_factory=threading.Event)
    enough: threading.Event = field(default_factory=threading.Event)
    commands: "queue.SimpleQueue[Any]" = field(default_factory=queue.SimpleQueue)
    touched: float = field(default_factory=time.monotonic)
    heard: Callable[["Job"], None] = lambda job: None
    _last: float = 0.0

    def on_progress(self, phase: Phase, share: float, count: int = 0, total: int = 0) -> bool:
        """Progress; False once the job is to stop."""
        turned = phase != self.phase
        self.phase, self.share, self.count, self.total = phase, share, count, total
        self.touched = time.monotonic()
        if turned or self.touched - self._last > NEWS_SECONDS:
            self._last = self.touched
            self.heard(self)
        return not self.stop.is_set()


class Shelf(Protocol):
    """Where jobs that are done outlast the server."""

    def keep(self, job: Job) -> None: ...
    def of(self, dressed: uuid.UUID, key: str) -> Job | None: ...
    def newest(self, dressed: uuid.UUID) -> list[Job]: ...
    def drop(self, job: Job) -> None: ...


class NoShelf:
    """Nothing outlasts the server."""

    def keep(self, job: Job) -> None:
        """Not kept."""

    def of(self, dressed: uuid.UUID, key: str) -> Job | None:
        """None."""
        return None

    def newest(self, dressed: uuid.UUID) -> list[Job]:
        """None."""
        return []

    def drop(self, job: Job) -> None:
        """Was not kept."""


class Jobs:
    """The jobs of this server. One a set runs at a time, and no more at once than there are cores."""

    def __init__(self, shelf: Shelf | None = None) -> None:
        self.shelf = shelf or NoShelf()
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()
        self._turns = threading.Semaphore(MOST_AT_ONCE)

    def start(
        self,
        dressed: uuid.UUID,
        run: Callable[[Job], list[Outcome]],
        heard: Callable[[Job], None],
        kind: str = "settle",
        base: Base = UNKNOWN,
    ) -> Job:
        """Run ``run`` in the background; ``heard`` is called now and then, and at the end.

        Raises Failed when one is under way on that set.
        """
        with self._lock:
            now = time.monotonic()
            old = [k for k, j in self._jobs.items() if j.state != "running" and now - j.touched > JOBS_KEPT_SECONDS]
            for key in old:
                del self._jobs[key]
            if self._under_way(dressed) is not None:
                raise Failed("something is under way on this set already; stop it first, or wait")
            job = Job(dressed, kind, heard=heard, base=base)
            self._jobs[job.key] = job
        # A daemon: a server that is told to end does not wait for what was not adopted yet.
        threading.Thread(target=self._run, args=(job, run), name="job", daemon=True).start()
        return job

    def _run(self, job: Job, run: Callable[[Job], list[Outcome]]) -> None:
        state: State = "failed"
        try:
            while not self._turns.acquire(timeout=TURN_SECONDS):
                if job.stop.is_set():
                    raise Stopped
            try:
                found = run(job)
            finally:
                self._turns.release()
            if job.stop.is_set():
                raise Stopped
            job.outcomes, state = found, "done"
            self.shelf.keep(job)
        except Stopped:
            state = "stopped"
        except Failed as problem:
            job.problem, job.lacking = str(problem), problem.lacking
        except Exception:
            log.exception("a job failed")
            state, job.problem = "failed", "the server could not do it; nothing was changed"
        if state != "done":
            job.outcomes = []
        if job.stop.is_set():
            try:
                self.shelf.drop(job)
            except Exception:
                # It has ended all the same: else nothing could be begun on this set any more.
                log.exception("a job that was stopped could not be taken off the shelf")
        # Last of all: whoever sees that it has ended sees all that came of it, and nothing is written any more.
        job.touched, job.state = time.monotonic(), state
        if job.stop.is_set():
            self._forget(job)
        job.heard(job)

    def of(self, dressed: uuid.UUID, key: str) -> Job | None:
        """A job of a set, in memory or from the shelf."""
        with self._lock:
            job = self._jobs.get(key)
        if job is not None:
            return job if job.dressed == dressed and not job.stop.is_set() else None
        return self.shelf.of(dressed, key)

    def running_on(self, dressed: uuid.UUID) -> Job | None:
        """The job that is under way on a set and not to be stopped."""
        with self._lock:
            return self._under_way(dressed)

    def _under_way(self, dressed: uuid.UUID) -> Job | None:
        wanted = (j for j in self._jobs.values() if j.dressed == dressed and j.state == "running")
        return next((j for j in wanted if not j.stop.is_set()), None)

    def on(self, dressed: uuid.UUID) -> list[Job]:
        """What is under way on a set, then what was done and neither adopted nor discarded, newest first."""
        with self._lock:
            here = [j for j in reversed(self._jobs.values()) if j.dressed == dressed and not j.stop.is_set()]
        found = [j for j in here if j.state == "running"] + [j for j in here if j.state == "done"]
        known = {j.key for j in found}
        return [*found, *(j for j in self.shelf.newest(dressed) if j.key not in known)]

    def drop(self, job: Job) -> None:
        """Stop it, and forget what came of it. One that still runs keeps its place until its workers are free."""
        job.stop.set()
        if job.state != "running":
            job.state, job.outcomes = "dropped", []
            self._forget(job)
        self.shelf.drop(job)

    def _forget(self, job: Job) -> None:
        """Have it no longer in memory."""
        with self._lock:
            self._jobs.pop(job.key, None)

    def clear(self) -> None:
        """Stop all, and forget what is in memory, as a server that is started again does."""
        with self._lock:
            gone = list(self._jobs.values())
            self._jobs.clear()
        for job in gone:
            if job.state == "running":
                job.stop.set()
