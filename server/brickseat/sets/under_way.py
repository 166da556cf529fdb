"""Moves that are being computed: how far each is, and a way to stop it. Its asker gives it a name, by which its messages are known."""

import threading
import time
import uuid
from collections.abc import Iterator
from contextlib import contextmanager

from brickseat.sets.news import broadcast_progress
from brickseat_core.scene import Piece

MESSAGE_SECONDS = 0.25
"""Between two messages, and before the first: most moves are made sooner."""
SHOW_SECONDS = 0.08
"""The same where there is something to be seen of it already."""


class UnderWay:
    """One move of the set of ``key``, by the name that whoever asked gave it; empty where nobody wants to hear of it."""

    def __init__(self, key: uuid.UUID, ask: str) -> None:
        self.key, self.ask = key, ask
        self._stopped, self._enough = threading.Event(), threading.Event()
        self._last = time.monotonic()
        self._parts: list[Piece] = []

    def stop(self) -> None:
        """Have it given up at its next step. May be called from any thread."""
        self._stopped.set()

    def end(self) -> None:
        """Have it come to its end with what it has made by then, where it is made of parts. May be called from any thread."""
        self._enough.set()

    def enough(self) -> bool:
        """Whether what it has made is all that is wanted."""
        return self._enough.is_set()

    def show(self, part: Piece) -> None:
        """A piece that it placed, which is shown with the next message."""
        self._parts.append(part)

    def on_progress(self, done: int, total: int) -> bool:
        """Send how far it is, now and then. False when it is to be given up."""
        now = time.monotonic()
        if self.ask and now - self._last >= (SHOW_SECONDS if self._parts else MESSAGE_SECONDS):
            self._last = now
            parts, self._parts = self._parts, []
            broadcast_progress(self.key, self.ask, done, total, parts)
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

    def stop(self, key: uuid.UUID, ask: str, keep: bool = False) -> bool:
        """Stop the move of that name, or have it ``keep`` what it has made. False where there is none: it is made by then, or was
        never asked for."""
        with self._lock:
            move = self._moves.get((key, ask))
        if move is not None:
            (move.end if keep else move.stop)()
        return move is not None


moves_under_way = MovesUnderWay()
