"""What every command that reads a set is given."""

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Given:
    """``bearers``: name patterns of what carries and never moves. ``tolerance`` in metres. ``strict``: end with 1 where faults
    are left. ``as_json``, ``quiet``: how what is found is printed. ``floor``: metres of height of a plane that bears besides. ``whole``,
    ``parts``: name patterns of nodes that are one piece with all below them, and of those whose parts are pieces."""

    set: Path
    bearers: Sequence[str]
    tolerance: float
    strict: bool
    as_json: bool
    quiet: bool
    floor: float | None = None
    whole: Sequence[str] = ()
    parts: Sequence[str] = ()
