"""Where trials run, side by side: processes of this machine, or a cluster."""

import importlib
import multiprocessing
import os
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from contextlib import AbstractContextManager, contextmanager
from functools import partial
from pathlib import Path
from typing import TypeVar

LOOK_SECONDS = 0.25
CLUSTER_SECONDS = 10.0


class NoCluster(RuntimeError):
    """The cluster that trials were to run on is not there; says what to do."""


@contextmanager
def executor(workers: int | None = None, cluster: str = "") -> Iterator[Executor]:
    """Where trials run: local processes, or the Dask cluster at an address like ``tcp://host:8786``.

    Raises NoCluster when there is none at that address.
    """
    if cluster:
        with cluster_executor(cluster) as pool:
            yield pool
        return
    with local_workers(workers or os.cpu_count() or 1) as pool:
        yield pool


def local_workers(count: int) -> ProcessPoolExecutor:
    """So many processes of this machine, which end when the one that made them does."""
    # Spawned: forking after the engine has run hangs.
    context = multiprocessing.get_context("spawn")
    return ProcessPoolExecutor(count, mp_context=context, initializer=end_with, initargs=(os.getpid(),))


def end_with(parent: int) -> None:
    """End this process once ``parent`` is gone: a server that was killed leaves no workers behind."""

    def look() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_SECONDS)
        os._exit(1)

    threading.Thread(target=look, daemon=True).start()


@contextmanager
def cluster_executor(address: str) -> Iterator[Executor]:
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
    with client, client.get_executor(pure=False) as pool:
        yield pool


OpenPool = Callable[[], AbstractContextManager[Executor]]
"""Opens where work is submitted to. Raises NoCluster."""


def cluster_of(environment: Mapping[str, str]) -> OpenPool | None:
    """The cluster that the environment names; None where it names none, and this machine is all there is."""
    address = environment.get("BRICKSEAT_CLUSTER", "")
    return partial(executor, cluster=address) if address else None


T = TypeVar("T")
R = TypeVar("R")


def run_all(
    run: Callable[[T, str], R], trials: Sequence[T], pool: Executor, stopped: Callable[[], bool] = lambda: False
) -> Iterator[tuple[int, R]]:
    """Outcomes as they come, with their numbers. ``run``: does one trial; it ends as soon as the file that it is given exists.
    Once ``stopped``, it ends early, and only when no trial runs any more."""
    with tempfile.TemporaryDirectory(prefix="trials-") as folder:
        stop = Path(folder) / "stop"
        waiting: dict[Future[R], int] = {pool.submit(run, t, str(stop)): k for k, t in enumerate(trials)}
        try:
            while waiting and not stopped():
                done, _ = wait(waiting, LOOK_SECONDS, FIRST_COMPLETED)
                for future in sorted(done, key=lambda f: waiting[f]):
                    yield waiting.pop(future), future.result()
        finally:
            stop.touch()
            for future in waiting:
                future.cancel()
            # Whoever runs the next trials finds the workers free.
            wait(waiting)
