"""How much a stage may say: far more than a hand can, and not without end."""

import time

MOST_A_SECOND = 400.0
MOST_AT_ONCE = 1200.0
"""A page that was kept busy sends all that it could not send meanwhile."""


class Rate:
    """Messages counted as a leaking bucket: it fills by one each, and empties with time (Turner, 1986)."""

    def __init__(self) -> None:
        self._level = 0.0
        self._at = time.monotonic()

    def is_flood(self) -> bool:
        """One more message; whether it is one too many."""
        now = time.monotonic()
        self._level = max(0.0, self._level - MOST_A_SECOND * (now - self._at)) + 1.0
        self._at = now
        return self._level > MOST_AT_ONCE
