"""Stop: an event that reaches work wherever it runs, in processes of this machine and on workers of a cluster alike.

It is pickled with the work. Who asked for the work sets it; the work asks now and then whether it is set.
"""

import importlib
import time
from dataclasses import dataclass, field
from multiprocessing.context import SpawnContext
from typing import Any, Protocol

SLOTS = 64
"""Runs that one pool of processes may have at once and stop one by one."""
ASK_SECONDS = 0.25
"""How often a worker of a cluster asks its scheduler."""
_flags: Any = None
"""In a worker process of this machine: the flags that it shares with who started it."""


class Stop(Protocol):
    """What work asks whether it is still wanted."""

    def is_set(self) -> bool:
        """Whether nobody wants it any more."""


@dataclass(frozen=True)
class Never:
    """Nobody stops it."""

    def is_set(self) -> bool:
        """Never."""
        return False


NEVER = Never()


@dataclass(frozen=True)
class Flag:
    """A flag that the processes of one pool share, by its number."""

    number: int

    def is_set(self) -> bool:
        """Whether the flag is up; asked in a process of the pool."""
        return _flags is not None and bool(_flags[self.number])


@dataclass
class ClusterEvent:
    """An event of a cluster's scheduler, by its name."""

    name: str
    _asked: float = field(default=0.0, compare=False)
    _found: bool = field(default=False, compare=False)

    def is_set(self) -> bool:
        """Whether it is set, as the scheduler said within the last ``ASK_SECONDS``."""
        if not self._found and time.monotonic() - self._asked >= ASK_SECONDS:
            event = importlib.import_module("distributed").Event(self.name)
            self._found, self._asked = bool(event.is_set()), time.monotonic()
        return self._found


def shared_flags(context: SpawnContext) -> Any:
    """Flags for a pool of processes: handed to each when it starts."""
    return context.RawArray("b", SLOTS)


def share(flags: Any) -> None:
    """Keep the flags of the pool that this process belongs to."""
    global _flags
    _flags = flags
