"""The hand: pieces grabbed while gravity acts, pulled to where the pointer is, and thrown when let go."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from brickseat_core.gravity.world import SPEED_CAP, World
from brickseat_core.scene import Triple, Vec

Strength = Literal["soft", "firm"]
GAIN: dict[Strength, float] = {"soft": 5.0, "firm": 15.0}
"""Metres a second for each metre that the piece lags behind: firm keeps within some 4 cm of a quick pointer."""
FASTEST: dict[Strength, float] = {"soft": 1.2, "firm": SPEED_CAP}


@dataclass(frozen=True)
class Pull:
    """Where grabbed pieces are wanted: the first of ``keys`` at ``to`` (world), the others as far from it as they
    were when they were grabbed. ``to`` None lets go."""

    keys: tuple[str, ...]
    to: Triple | None
    strength: Strength = "firm"


class Hand:
    """What is grabbed, and the pull on it at every step."""

    def __init__(self, world: World) -> None:
        self.world = world
        self._held: dict[int, Vec] = {}
        self._to: Vec | None = None
        self._strength: Strength = "firm"

    def pull(self, pull: Pull) -> None:
        """Grab, pull on, or let go. Keys that are not loose here are passed over."""
        if pull.to is None:
            # Let go: what it has of speed, it keeps.
            self._held, self._to = {}, None
            return
        where = {key: n for n, key in enumerate(self.world.keys) if self.world.there(n)}
        numbers = [where[k] for k in pull.keys if k in where]
        if not numbers:
            return
        if set(numbers) != set(self._held):
            first = self.world.place(numbers[0])
            self._held = {n: self.world.place(n) - first for n in numbers}
        self._to, self._strength = np.array(pull.to), pull.strength

    @property
    def held(self) -> list[int]:
        """The numbers of what is grabbed and still there."""
        return [n for n in self._held if self.world.there(n)]

    def act(self) -> None:
        """Before each step: grabbed pieces are driven towards where they are wanted."""
        if self._to is None:
            return
        for number in self.held:
            offset = self._held[number]
            velocity = GAIN[self._strength] * (self._to + offset - self.world.place(number))
            speed = float(np.linalg.norm(velocity))
            if speed > FASTEST[self._strength]:
                velocity *= FASTEST[self._strength] / speed
            self.world.drive(number, velocity)
