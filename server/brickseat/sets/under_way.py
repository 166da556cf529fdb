"""Moves that are being computed: how far each is, and a way to stop it. Whoever asks for a move names it, and is told by that name."""

import threading
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

from brickseat.sets.telling import tell_under_way

TELL_SECONDS = 0.25
"""Between two tellings, and before the first: most moves are made sooner."""


class UnderWay:
    """One move of the set of ``key``, by the name that whoever asked gave it; empty where nobody wants to hear of it."""

    def __init__(self, key: uuid.UUID, ask: str) -> None:
        self.key, self.ask = key, ask
        self._stopped = threading.Event()
        self._told = time.monotonic()

    def stop(self) -> None:
        """Have it given up at its next step. May be called from any thread."""
        self._stopped.set()

    def told(self, done: int, total: int) -> bool:
        """Tell how far it is, now and then. False when it is to be given up."""
        now = time.monotonic()
        if self.ask and now - self._told >= TELL_SECONDS:
            self._told = now
            tell_under_way(self.key, self.ask, done, total)
        return not self._stopped.is_set()


class MovesUnderWay:
    """All of them, by set and name. Safe to use from several threads."""

    def __init__(self) -> None:
        self._moves: dict[tuple[uuid.UUID, str], UnderWay] = {}
        self._lock = threading.Lock()

    @contextmanager
    def asked(self, key: uuid.UUID, ask: str) -> Iterator[UnderWay]:
        """A move that is under way for as long as this lasts."""
        move = UnderWay(key, ask)
        with self._lock:
            self._moves[key, ask] = move
        try:
            yield move
        finally:
            with self._lock:
                if self._moves.get((key, ask)) is move:
                    del self._moves[key, ask]

    def stop(self, key: uuid.UUID, ask: str) -> bool:
        """Stop the move of that name. False where there is none: it is made by then, or was never asked for."""
        with self._lock:
            move = self._moves.get((key, ask))
        if move is not None:
            move.stop()
        return move is not None


moves_under_way = MovesUnderWay()
