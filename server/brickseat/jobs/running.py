"""One runner for all long work of sets."""

import logging
import queue
import threading
import time
import uuid
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal

log = logging.getLogger(__name__)
JOBS_KEPT_SECONDS = 3600.0
NEWS_SECONDS = 0.3
MOST_AT_ONCE = 4
State = Literal["running", "done", "stopped", "failed"]


class Stopped(Exception):
    """Somebody stopped the job."""


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


@dataclass
class Job:
    """``stop``: nothing of it is wanted. ``enough``: it may come to its end now. ``commands``: what is asked of it while
    it runs. ``findings``: things it came upon that somebody may ask for by name. ``outcome``: what came of it, for those who started it. ``problem``: why nothing did, and ``lacking`` what. ``heard`` is called with
    the job now and then as it goes on."""

    dressed: uuid.UUID
    key: str = field(default_factory=lambda: uuid.uuid4().hex)
    state: State = "running"
    words: str = "beginning"
    share: float = 0.0
    outcome: Any = None
    problem: str | None = None
    lacking: tuple[Lack, ...] = ()
    stop: threading.Event = field(default_factory=threading.Event)
    enough: threading.Event = field(default_factory=threading.Event)
    commands: "queue.SimpleQueue[Any]" = field(default_factory=queue.SimpleQueue)
    findings: dict[str, Any] = field(default_factory=dict)
    touched: float = field(default_factory=time.monotonic)
    heard: Callable[["Job"], None] = lambda job: None
    _last: float = 0.0

    def tell(self, words: str, share: float) -> bool:
        """Progress; False once the job is to stop."""
        self.words, self.share, self.touched = words, share, time.monotonic()
        if self.touched - self._last > NEWS_SECONDS:
            self._last = self.touched
            self.heard(self)
        return not self.stop.is_set()


class Jobs:
    """The jobs of this process. One a set runs at a time."""

    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()
        self._turns = threading.Semaphore(MOST_AT_ONCE)

    def start(self, dressed: uuid.UUID, run: Callable[[Job], Any], heard: Callable[[Job], None]) -> Job:
        """Run ``run`` in the background; ``heard`` is called now and then, and at the end.

        Raises Failed when one is under way on that set.
        """
        with self._lock:
            now = time.monotonic()
            old = [k for k, j in self._jobs.items() if j.state != "running" and now - j.touched > JOBS_KEPT_SECONDS]
            for key in old:
                del self._jobs[key]
            if any(j.dressed == dressed and j.state == "running" for j in self._jobs.values()):
                raise Failed("something is under way on this set already; stop it first, or wait")
            job = Job(dressed, heard=heard)
            self._jobs[job.key] = job
        # A daemon: a server that is told to end does not wait for what was not adopted yet.
        threading.Thread(target=self._run, args=(job, run), name="job", daemon=True).start()
        return job

    def _run(self, job: Job, run: Callable[[Job], Any]) -> None:
        try:
            with self._turns:
                job.outcome = run(job)
            job.state = "stopped" if job.stop.is_set() else "done"
        except Stopped:
            job.state = "stopped"
        except Failed as problem:
            job.state, job.problem, job.lacking = "failed", str(problem), problem.lacking
        except Exception:
            log.exception("a job failed")
            job.state, job.problem = "failed", "the server could not do it; nothing was changed"
        if job.state != "done":
            job.outcome = None
        job.touched = time.monotonic()
        job.heard(job)

    def of(self, dressed: uuid.UUID, key: str) -> Job | None:
        with self._lock:
            job = self._jobs.get(key)
        return job if job is not None and job.dressed == dressed else None

    def running_on(self, dressed: uuid.UUID) -> Job | None:
        with self._lock:
            return next((j for j in self._jobs.values() if j.dressed == dressed and j.state == "running"), None)

    def drop(self, job: Job) -> None:
        job.stop.set()
        with self._lock:
            self._jobs.pop(job.key, None)


jobs = Jobs()
