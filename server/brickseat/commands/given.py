"""What every command that reads a set is given."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Given:
    """``bearers``: name patterns of what carries and never moves. ``tolerance`` in metres. ``strict``: end with 1 where faults
    are left. ``as_json``, ``quiet``: how what is found is printed."""

    set: Path
    bearers: Sequence[str]
    tolerance: float
    strict: bool
    as_json: bool
    quiet: bool
