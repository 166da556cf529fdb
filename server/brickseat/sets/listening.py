"""Who listens to a set: every open stage, in this process. News are handed over in order and never dropped unsaid.

A channel layer drops what a slow reader has not fetched, without a word. Here each listener keeps its own news, and one that
falls too far behind is closed: it comes back and loads the set anew.
"""

import threading
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol


@dataclass(frozen=True)
class Frame:
    """One frame of a job. ``data``: as it goes over the line. Only the newest of them counts."""

    job: str
    data: bytes


MOST_OF_USER = 8
"""Stages that one user may have open at once, of all sets together."""
News = str | Frame
"""A message as JSON text, or a frame."""


class Listener(Protocol):
    """Somebody who hears of a set. Each of these may be called from any thread, and none of them waits."""

    user: int
    session: str

    def hear(self, news: News) -> None: ...

    def end(self, code: int) -> None:
        """Say no more, and close with this code of the WebSocket protocol."""


class Listeners:
    """All listeners by set."""

    def __init__(self) -> None:
        self._sets: dict[uuid.UUID, list[Listener]] = {}
        self._lock = threading.Lock()

    def join(self, key: uuid.UUID, listener: Listener) -> bool:
        """Hear all news of a set from now on; False, and not so, where its user listens in too many places already."""
        with self._lock:
            theirs = sum(other.user == listener.user for here in self._sets.values() for other in here)
            if theirs >= MOST_OF_USER:
                return False
            self._sets.setdefault(key, []).append(listener)
            return True

    def leave(self, key: uuid.UUID, listener: Listener) -> None:
        """Hear no more of it."""
        with self._lock:
            here = [other for other in self._sets.get(key, []) if other is not listener]
            if here:
                self._sets[key] = here
            else:
                self._sets.pop(key, None)

    def broadcast(self, key: uuid.UUID, news: News) -> None:
        """To everybody who listens to one set."""
        for listener in self.of(key):
            listener.hear(news)

    def broadcast_to_all(self, news: News) -> None:
        """To everybody, whatever they listen to."""
        for listener in self._chosen(lambda _key, _listener: True):
            listener.hear(news)

    def end(self, code: int, which: Callable[[uuid.UUID, Listener], bool]) -> None:
        """Close those listeners for which ``which`` says so of the set and the listener."""
        for listener in self._chosen(which):
            listener.end(code)

    def of(self, key: uuid.UUID) -> list[Listener]:
        """Those who listen to a set."""
        with self._lock:
            return list(self._sets.get(key, ()))

    def _chosen(self, which: Callable[[uuid.UUID, Listener], bool]) -> list[Listener]:
        with self._lock:
            return [listener for key, here in self._sets.items() for listener in here if which(key, listener)]


listeners = Listeners()

NO_LONGER_OPEN = 4404
"""The set is not, or no longer, open to this visitor."""
SIGNED_OUT = 4401
TOO_MUCH = 4429
"""More stages of one user than may be open, or more messages than a hand can send."""
FELL_BEHIND = 4408
"""The news were not fetched in time; the stage comes back and loads the set anew."""
