"""A stop reaches work wherever it runs: processes of this machine, and workers of a cluster."""

import time
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from brickseat_core.executing import Pool, executor, run_all
from brickseat_core.stopping import NEVER, SLOTS, Stop

MOST_SECONDS = 60.0


def waits(number: int, stop: Stop) -> tuple[int, bool]:
    """Work that goes on until it is stopped."""
    until = time.monotonic() + MOST_SECONDS
    while time.monotonic() < until:
        if stop.is_set():
            return number, True
        time.sleep(0.01)
    return number, False


def ends(number: int, stop: Stop) -> tuple[int, bool]:
    return number, stop.is_set()


@contextmanager
def cluster() -> Iterator[Pool]:
    distributed = pytest.importorskip("distributed")
    with (
        distributed.LocalCluster(n_workers=1, threads_per_worker=2, processes=True, dashboard_address=None) as there,
        executor(cluster=there.scheduler_address) as pool,
    ):
        yield pool


@pytest.mark.parametrize("where", ["here", "cluster"])
def test_what_is_stopped_ends_and_what_comes_after_it_runs(where: str) -> None:
    with executor(2) if where == "here" else cluster() as pool:
        assert dict(run_all(ends, [1, 2, 3], pool)) == {0: (1, False), 1: (2, False), 2: (3, False)}
        asked = 0

        def stopped() -> bool:
            nonlocal asked
            asked += 1
            return asked > 8

        began = time.monotonic()
        assert list(run_all(waits, [1, 2], pool, stopped)) == []
        # Far sooner than it would end by itself: that is what is asked here, not how quick a machine is.
        assert time.monotonic() - began < 0.5 * MOST_SECONDS
        assert dict(run_all(ends, [7], pool)) == {0: (7, False)}


def test_more_runs_than_flags_take_turns() -> None:
    with executor(1) as pool:
        for _ in range(SLOTS + 3):
            with pool.stopping() as (stop, set_stop):
                assert not stop.is_set() or stop is not NEVER
                set_stop()


def test_never_is_never() -> None:
    assert not NEVER.is_set()
