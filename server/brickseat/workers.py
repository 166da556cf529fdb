"""The one executor of this server: processes of this machine that stay, or a cluster when an address is configured."""

import os
import threading
from collections.abc import Iterator
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager

from django.conf import settings

from brickseat_core.executing import LocalPool, OpenPool, Pool, executor, local_workers


class Workers:
    """Local processes are started with the first work that needs them, and serve whatever comes after it."""

    def __init__(self) -> None:
        self._pool: LocalPool | None = None
        self._lock = threading.Lock()

    @contextmanager
    def pool(self) -> Iterator[Pool]:
        """Where work is submitted to. Raises NoCluster."""
        if settings.CLUSTER:
            with executor(cluster=settings.CLUSTER) as pool:
                yield pool
            return
        with self._lock:
            found = self._pool = self._pool or local_workers(max(2, os.cpu_count() or 1))
        try:
            yield found
        except BrokenProcessPool:
            # A worker was killed, perhaps for want of memory. The next work gets new ones.
            with self._lock:
                if self._pool is found:
                    self._pool = None
            raise

    @property
    def cluster(self) -> OpenPool | None:
        """Where a share of a large computation may go; None without a cluster: here it has the cores already."""
        return self.pool if settings.CLUSTER else None

    def close(self) -> None:
        """End the processes."""
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.shutdown(cancel_futures=True)


workers = Workers()
