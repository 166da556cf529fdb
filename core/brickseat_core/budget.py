"""How long a computation may take before it is given up, and who hears how far it is: a preview has a moment, a move some seconds."""

import time
from collections.abc import Callable
from typing import Any


class GivenUp(ValueError):
    """A computation was given up; nothing of it is kept. Its words say why."""


class TooLong(GivenUp):
    """Its time was over."""


class Stopped(GivenUp):
    """Whoever asked for it does not want it any more."""


class Budget:
    """Raises TooLong once ``seconds`` have passed since it was made. None: it never does.

    ``on_progress(done, total)`` may return False to stop the computation; ``total`` is 0 where nobody knows it. ``on_part``: shown
    each part of what is made, where it is made of parts. ``enough``: whether what was made so far is all that is wanted.
    """

    def __init__(
        self,
        seconds: float | None = None,
        on_progress: Callable[[int, int], bool] = lambda done, total: True,
        on_part: Callable[[Any], None] = lambda part: None,
        enough: Callable[[], bool] = lambda: False,
    ) -> None:
        self._until = time.monotonic() + seconds if seconds is not None else None
        self._on_progress = on_progress
        self.on_part, self.enough = on_part, enough

    def check(self, done: int = 0, total: int = 0) -> None:
        """To be called once in each round of a long loop. Raises TooLong and Stopped."""
        if self._until is not None and time.monotonic() > self._until:
            raise TooLong("that takes too long here; do it in smaller steps, or with fewer pieces")
        if not self._on_progress(done, total):
            raise Stopped("stopped; nothing was changed")


UNLIMITED = Budget()
