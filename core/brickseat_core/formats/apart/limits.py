"""How much a process of its own may take."""

import resource
from dataclasses import dataclass
from pathlib import Path

MEGABYTE = 1 << 20


@dataclass(frozen=True)
class Limits:
    """``seconds``: by the clock. ``memory``: bytes beside what the process has when it begins. ``output``: bytes of a file that it writes."""

    seconds: float = 20.0
    memory: int = 1024 * MEGABYTE
    output: int = 1024 * MEGABYTE


LIMITS = Limits()
"""For a file that somebody sends."""


def limit_this_process(limits: Limits) -> None:
    """From now on this process has no more than that; what asks for more fails with MemoryError or OSError, or is ended."""
    lower(resource.RLIMIT_AS, address_space() + limits.memory)
    lower(resource.RLIMIT_FSIZE, limits.output)
    # The clock of whoever waits ends it earlier: this one is for the case that nobody does any more.
    lower(resource.RLIMIT_CPU, int(limits.seconds) + 2)
    lower(resource.RLIMIT_CORE, 0)


def lower(kind: int, most: int) -> None:
    """Set a limit of the process, where it is not lower already."""
    _, hard = resource.getrlimit(kind)
    most = most if hard == resource.RLIM_INFINITY else min(most, hard)
    resource.setrlimit(kind, (most, most))


def address_space() -> int:
    """Bytes of address space that this process has (Linux, proc(5): the first figure of statm, in pages)."""
    return int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
