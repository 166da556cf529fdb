"""Trials: the same pieces settled with several seeds, side by side in processes of their own."""

import importlib
import multiprocessing
import os
import tempfile
import threading
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TypeVar

from brickseat_core.contact.index import SceneIndex
from brickseat_core.gravity.settling import Settled, SettleSlip, settle
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.gravity.world import PhysicalProperties
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece

LOOK_SECONDS = 0.25
CLUSTER_SECONDS = 10.0


class NoCluster(RuntimeError):
    """The cluster that trials were to run on is not there; says what to do."""


@dataclass(frozen=True)
class Trial:
    """What one process needs to settle: plain data, pickled as it is. ``derived``: as in ``SceneIndex``."""

    pieces: tuple[Piece, ...]
    keys: tuple[str, ...]
    slip: SettleSlip
    shapes: Mapping[str, ContactShape]
    properties: Mapping[str, PhysicalProperties]
    tolerance: float
    derived: Mapping[str, Mesh] = field(default_factory=dict)


def run_trial(trial: Trial, stop: str = "") -> Settled:
    """One trial, from nothing. The same in every process: the same seed gives the same outcome.

    ``stop``: a file that ends the trial as soon as it is there, by raising Stopped. A worker on another machine does not
    see that file and goes on to the end.
    """
    index = SceneIndex(trial.pieces, derived=trial.derived)

    def wanted(_phase: str, _share: float) -> bool:
        return not (stop and Path(stop).exists())

    # Trials run side by side: each has a core of its own, not several.
    return settle(
        index, list(trial.keys), trial.slip, trial.shapes, trial.properties, trial.tolerance, wanted, threads=1
    )


def trials_of(trial: Trial, count: int) -> list[Trial]:
    """``count`` trials that differ in their seeds only; chance is put on the pieces where the slip had none."""
    jitter = trial.slip.jitter or (0.01 if count > 1 else 0.0)
    return [replace(trial, slip=replace(trial.slip, seed=trial.slip.seed + k, jitter=jitter)) for k in range(count)]


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


T = TypeVar("T")
R = TypeVar("R")


def run_all(
    run: Callable[[T, str], R], trials: Sequence[T], pool: Executor, stopped: Callable[[], bool] = lambda: False
) -> Iterator[tuple[int, R]]:
    """Outcomes as they come, with their numbers. ``run``: does one trial; it ends as soon as the file that it is told is there.
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
