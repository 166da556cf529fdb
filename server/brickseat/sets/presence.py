"""Who has a set open, and what each of them holds: a piece dragged by one is not dragged by the other."""

import threading
import uuid
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import TypedDict


class PresenceRecord(TypedDict):
    stage: str
    name: str
    holding: list[str]


@dataclass
class Onlooker:
    name: str
    holding: frozenset[str] = field(default_factory=frozenset)


class Presence:
    """The open stages of every set, in this process. A stage that closes lets go of everything."""

    def __init__(self) -> None:
        self._sets: dict[uuid.UUID, dict[str, Onlooker]] = {}
        self._lock = threading.Lock()

    def join(self, key: uuid.UUID, stage: str, name: str) -> None:
        with self._lock:
            here = self._sets.setdefault(key, {})
            taken = {o.name for o in here.values()}
            number, own = 1, name
            while own in taken:
                number += 1
                own = f"{name} ({number})"
            here[stage] = Onlooker(own)

    def leave(self, key: uuid.UUID, stage: str) -> None:
        with self._lock:
            here = self._sets.get(key, {})
            here.pop(stage, None)
            if not here:
                self._sets.pop(key, None)

    def hold(self, key: uuid.UUID, stage: str, pieces: Iterable[str]) -> str | None:
        """Take hold of exactly these pieces, or say who holds one of them already; then nothing is held."""
        wanted = frozenset(pieces)
        with self._lock:
            here = self._sets.get(key, {})
            if stage not in here:
                return None
            other = self._other(key, stage, wanted)
            here[stage].holding = frozenset() if other else wanted
            return other

    def holder(self, key: uuid.UUID, stage: str, pieces: Iterable[str]) -> str | None:
        """The name of another stage that holds one of these pieces."""
        with self._lock:
            return self._other(key, stage, frozenset(pieces))

    def _other(self, key: uuid.UUID, stage: str, pieces: frozenset[str]) -> str | None:
        for other, onlooker in self._sets.get(key, {}).items():
            if other != stage and onlooker.holding & pieces:
                return onlooker.name
        return None

    def records(self, key: uuid.UUID) -> list[PresenceRecord]:
        with self._lock:
            return [
                {"stage": stage, "name": o.name, "holding": sorted(o.holding)}
                for stage, o in self._sets.get(key, {}).items()
            ]


presence = Presence()
