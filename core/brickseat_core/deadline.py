"""How long a computation may take before it is given up: a preview a moment, a move some seconds."""

import time


class TooLong(ValueError):
    """A computation was given up because its time was over; nothing of it is kept."""


class Deadline:
    """Raises TooLong once ``seconds`` have passed since it was made. None: it never does."""

    def __init__(self, seconds: float | None = None) -> None:
        self._until = time.monotonic() + seconds if seconds is not None else None

    def check(self) -> None:
        """To be called once in each round of a long loop. Raises TooLong."""
        if self._until is not None and time.monotonic() > self._until:
            raise TooLong("that takes too long here; do it in smaller steps, or with fewer pieces")


UNLIMITED = Deadline()
