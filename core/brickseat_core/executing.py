"""Where trials run, side by side: processes of this machine, or a cluster."""

import importlib
import multiprocessing
import os
import threading
import time
import uuid
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from typing import Any, Protocol, TypeVar

from brickseat_core.stopping import SLOTS, ClusterEvent, Flag, Stop, share, shared_flags

LOOK_SECONDS = 0.25
CLUSTER_SECONDS = 10.0
T = TypeVar("T")
R = TypeVar("R")


class Pool(Protocol):
    """Where work is submitted to, and how it is told to stop."""

    def submit(self, run: Callable[..., R], /, *args: Any, **named: Any) -> "Future[R]":
        """As any executor."""

    def stopping(self) -> AbstractContextManager[tuple[Stop, Callable[[], None]]]:
        """A stop that goes with work to where it runs, and what sets it."""


class NoCluster(RuntimeError):
    """The cluster that trials were to run on is not there; says what to do."""


@contextmanager
def executor(workers: int | None = None, cluster: str = "") -> Iterator[Pool]:
    """Where trials run: local processes, or the Dask cluster at an address like ``tcp://host:8786``.

    Raises NoCluster when there is none at that address.
    """
    if cluster:
        with cluster_executor(cluster) as pool:
            yield pool
        return
    with local_workers(workers or os.cpu_count() or 1) as pool:
        yield pool


class LocalPool(ProcessPoolExecutor):
    """Processes of this machine, which end when the one that made them does, and stop when they are told."""

    def __init__(self, count: int) -> None:
        # Spawned: forking after the engine has run hangs.
        context = multiprocessing.get_context("spawn")
        self._flags = shared_flags(context)
        self._free = set(range(SLOTS))
        self._slots = threading.Condition()
        super().__init__(count, mp_context=context, initializer=begin, initargs=(os.getpid(), self._flags))

    @contextmanager
    def stopping(self) -> Iterator[tuple[Stop, Callable[[], None]]]:
        """A stop for work of this pool, and what sets it. Where too many are in use, it waits for one."""
        with self._slots:
            self._slots.wait_for(lambda: bool(self._free))
            number = self._free.pop()
        self._flags[number] = 0

        def set_flag() -> None:
            self._flags[number] = 1

        try:
            yield Flag(number), set_flag
        finally:
            with self._slots:
                self._free.add(number)
                self._slots.notify()


class ClusterPool(Executor):
    """Workers of a Dask cluster, and how they are told to stop. ``client``: of its scheduler."""

    def __init__(self, client: Any) -> None:
        self._client, self._pool = client, client.get_executor(pure=False)

    def submit(self, run: Callable[..., R], /, *args: Any, **named: Any) -> "Future[R]":
        """As any executor."""
        found: Future[R] = self._pool.submit(run, *args, **named)
        return found

    def shutdown(self, wait: bool = True, *, cancel_futures: bool = False) -> None:
        """Let go of the cluster; what runs there for others goes on."""
        self._pool.shutdown(wait)

    @contextmanager
    def stopping(self) -> Iterator[tuple[Stop, Callable[[], None]]]:
        """A stop for work on the cluster, and what sets it."""
        name = f"stop {uuid.uuid4().hex}"
        event = importlib.import_module("distributed").Event(name, client=self._client)
        yield ClusterEvent(name), event.set


def local_workers(count: int) -> LocalPool:
    """So many processes of this machine."""
    return LocalPool(count)


def begin(parent: int, flags: Any) -> None:
    """What a process of a pool does first."""
    share(flags)
    end_with(parent)


def end_with(parent: int) -> None:
    """End this process once ``parent`` is gone: a server that was killed leaves no workers behind."""

    def look() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_SECONDS)
        os._exit(1)

    threading.Thread(target=look, daemon=True).start()


@contextmanager
def cluster_executor(address: str) -> Iterator[ClusterPool]:
    """Runs trials on a Dask cluster at ``address``. Raises NoCluster when none answers."""
    try:
        # Not among what is always installed.
        distributed = importlib.import_module("distributed")
    except ImportError:
        raise NoCluster("a cluster needs the package “distributed”; install it, or run on this machine") from None
    try:
        client = distributed.Client(address, timeout=CLUSTER_SECONDS, set_as_default=False)
    except (OSError, ValueError) as problem:
        raise NoCluster(f"no cluster answers at {address} ({problem}); start it, or run on this machine") from None
    with client, ClusterPool(client) as pool:
        yield pool


OpenPool = Callable[[], AbstractContextManager[Pool]]
"""Opens where work is submitted to. Raises NoCluster."""


def cluster_of(environment: Mapping[str, str]) -> OpenPool | None:
    """The cluster that the environment names; None where it names none, and this machine is all there is."""
    address = environment.get("BRICKSEAT_CLUSTER", "")
    return partial(executor, cluster=address) if address else None


def run_all(
    run: Callable[[T, Stop], R], trials: Sequence[T], pool: Pool, stopped: Callable[[], bool] = lambda: False
) -> Iterator[tuple[int, R]]:
    """Outcomes as they come, with their numbers. ``run``: does one trial, and ends as soon as the stop that it is given is set.
    Once ``stopped``, it ends early, and only when no trial runs any more."""
    with pool.stopping() as (stop, set_stop):
        waiting: dict[Future[R], int] = {pool.submit(run, t, stop): k for k, t in enumerate(trials)}
        try:
            while waiting and not stopped():
                done, _ = wait(waiting, LOOK_SECONDS, FIRST_COMPLETED)
                for future in sorted(done, key=lambda f: waiting[f]):
                    yield waiting.pop(future), future.result()
        finally:
            set_stop()
            for future in waiting:
                future.cancel()
            # Whoever runs the next trials finds the workers free.
            wait(waiting)
