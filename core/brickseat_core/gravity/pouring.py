"""Pouring: a stream of props under the pointer, each let go just above what lies there already."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.free_drop import free_drop
from brickseat_core.contact.index import SceneIndex
from brickseat_core.gravity.breaking import key_of
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Vec, rotation_about

UP = np.array([0.0, 1.0, 0.0])
PLACES_TRIED = 6
HEADROOM = 0.002
"""Metres kept clear of what lies under a piece that is let go."""
MOST_SPIN = 6.0
"""Radians a second of a piece in a lively stream."""


@dataclass(frozen=True)
class PourSlip:
    """``props``: what is poured, each as likely as the other. ``rate``: a second. ``most``: in all. ``size``: factor
    from, to. ``tumbled``: turned any way instead of upright. ``spread``: metres about the pointer. ``fall``: metres
    above what lies there. ``lively``: 0 let go at rest, 1 thrown about. ``large_first``: the small ones come last and
    find their places round the large. ``seed``: the same stream each time."""

    props: tuple[Prop, ...]
    rate: float = 8.0
    most: int = 200
    size: tuple[float, float] = (1.0, 1.0)
    tumbled: bool = True
    spread: float = 0.1
    fall: float = 0.05
    lively: float = 0.3
    large_first: bool = False
    seed: int = 0


@dataclass(frozen=True)
class Release:
    """One piece of the stream as it is let go: velocity in m/s, spin in rad/s."""

    piece: Piece
    velocity: Vec
    spin: Vec


class Stream:
    """What is still to come of a pour. ``to``: (3,) the place under the pointer; None while it pauses."""

    def __init__(self, index: SceneIndex, slip: PourSlip, nonce: str = "") -> None:
        """``index``: what stands there already. ``nonce``: makes the keys of this stream's pieces its own."""
        self.index, self.slip, self.nonce = index, slip, nonce
        self.to: Vec | None = None
        self.let_go = 0
        self._owed = 0.0
        self._rng = np.random.default_rng(slip.seed)
        which = self._rng.integers(0, len(slip.props), slip.most)
        factor = self._rng.uniform(min(slip.size), max(slip.size), slip.most)
        radius = np.array([0.5 * float(np.linalg.norm(np.ptp(p.mesh.box, axis=0))) for p in slip.props])
        order = np.arange(slip.most)
        if slip.large_first:
            order = np.argsort(-radius[which] * factor, kind="stable")
        self._which, self._factor = which[order], factor[order]

    @property
    def over(self) -> bool:
        """Whether everything has been let go."""
        return self.let_go >= self.slip.most

    def due(self, seconds: float, around: Vec, radius: Vec, moving: NDArray[np.bool_]) -> list[Release]:
        """What is let go in the next ``seconds``. ``around`` (n, 3), ``radius`` (n,): middles and half sizes of what
        is loose; ``moving`` (n,): whether it still falls."""
        if self.to is None or self.over:
            self._owed = 0.0
            return []
        # A few at a time, however long the pointer was elsewhere.
        self._owed = min(self._owed + seconds * self.slip.rate, 3.0)
        found: list[Release] = []
        while self._owed >= 1.0 and not self.over:
            drop = self._next(around, radius, moving)
            if drop is None:
                # No room yet: it waits until what was let go before has fallen out of the direction.
                break
            self._owed -= 1.0
            lo, hi = self.index.box_of(drop.piece)
            around = np.vstack([around, 0.5 * (lo + hi)])
            radius = np.append(radius, 0.5 * np.linalg.norm(hi - lo))
            moving = np.append(moving, True)
            found.append(drop)
            self.let_go += 1
        return found

    def _next(self, around: Vec, radius: Vec, moving: NDArray[np.bool_]) -> Release | None:
        """The next piece where it is free of everything, above something that bears it; None where no place is."""
        slip, rng, number = self.slip, self._rng, self.let_go
        prop = slip.props[self._which[number]]
        turn = rotation_about(UP, float(rng.uniform(-np.pi, np.pi)))
        if slip.tumbled:
            axis = rng.normal(size=3)
            turn = rotation_about(axis / np.linalg.norm(axis), float(rng.uniform(-np.pi, np.pi))) @ turn
        linear = turn * float(self._factor[number])
        box = np.array([np.where(np.array(ends), *prop.mesh.box[::-1]) for ends in np.ndindex(2, 2, 2)]) @ linear.T
        half = 0.5 * float(np.linalg.norm(np.ptp(box, axis=0)))
        assert self.to is not None
        for tried in range(PLACES_TRIED):
            direction = rng.normal(size=2)
            aside = slip.spread * np.sqrt(rng.random()) * direction / max(float(np.linalg.norm(direction)), 1e-9)
            spot = self.to + np.array([aside[0], 0.0, aside[1]])
            # Above everything that lies in its column, by the balls about them.
            level = np.hypot(around[:, 0] - spot[0], around[:, 2] - spot[2])
            below = ~moving & (level < radius + half)
            tops = around[below, 1] + np.sqrt(np.maximum((radius[below] + half) ** 2 - level[below] ** 2, 0.0))
            # Lower each time, where something is in the direction above.
            height = max(spot[1] + half, float(tops.max(initial=-np.inf))) + HEADROOM + slip.fall / (tried + 1)
            near = np.hypot(level, around[:, 1] - height) < radius + half + HEADROOM
            if (near & moving).any():
                continue
            middle = 0.5 * (box.min(axis=0) + box.max(axis=0))
            pose = Pose.of(linear, np.array([spot[0], height, spot[2]]) - middle)
            name = f"{prop.name} {number + 1}"
            piece = Piece(key_of("poured", self.nonce, slip.seed, number), name, prop, pose, direction=DOWN)
            if self._is_free(piece):
                velocity, spin = rng.normal(size=3) * 0.4 * slip.lively, rng.normal(size=3) * MOST_SPIN * slip.lively
                return Release(piece, velocity, spin)
        return None

    def _is_free(self, piece: Piece) -> bool:
        """Whether it cuts nothing that stands, and something is below it."""
        free, travel, _ = free_drop(self.index, piece, -1)
        return free and travel is not None
