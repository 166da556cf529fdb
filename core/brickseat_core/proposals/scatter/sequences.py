"""Sequences: endless lists of points on a surface, of which the first so many always lie evenly, or by pure chance.

They depend on the shape of the surface, its size and a seed, and on nothing that a recipe says: whatever it changes, its
pieces stay where they lie.
"""

import math
from collections import OrderedDict
from threading import Lock
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.geometry.mesh import Mesh, crossed
from brickseat_core.proposals.scatter.darts import darts_kernel
from brickseat_core.recipes.chance import chances
from brickseat_core.recipes.numbering import MOST_POINTS
from brickseat_core.recipes.scatter_schema import Spread
from brickseat_core.scene import Pose, Vec

SHRINKING = 2.0 ** (-1.0 / 8.0)
"""What the radius is multiplied by from one level to the next: the finer, the more even is what lies between two levels."""
DARTS = 1.5
"""Darts for each point that a level holds when it is full."""
FULL = 0.7
"""Points of a full level times its radius squared over the area (Feder, "Random sequential adsorption", 1980)."""
FEWEST_DARTS = 64
DARTS_AT_A_TIME = 1 << 18
"""Darts that are thrown in one call: some hundredths of a second."""
MOST_LEVELS = 200
SEQUENCES_HELD = 32
POINTS_HELD = 1 << 21
"""Points of all sequences that are kept for the next time."""


class SurfacePoints(NamedTuple):
    """Points of a mesh, in the order of their ranks: (n,) ``triangle`` in the order of its tree, and (n, 3) ``at`` and
    (n, 3) unit ``normal`` in its own coordinates."""

    triangle: NDArray[np.int64]
    at: Vec
    normal: Vec


class Sequence:
    """The points of one surface and one seed, as many as were asked for so far. Threads may share it.

    An even one is made by darts whose radius shrinks level by level (McCool and Fiume, "Hierarchical Poisson disk sampling
    distributions", 1992): whatever comes later, a point stays, and the first n are even for any n.
    """

    def __init__(self, mesh: Mesh, scale: Vec, spread: Spread, seed: int) -> None:
        """``scale``: (3, 3) from the coordinates of the mesh into those in which distances are measured, in metres."""
        self._corners = mesh.tree.corners
        self.scale = scale
        scaled = self._corners @ scale.T
        cross = crossed(scaled[:, 1] - scaled[:, 0], scaled[:, 2] - scaled[:, 0])
        doubled = np.linalg.norm(cross, axis=1)
        cross *= np.sign(np.linalg.det(scale))
        self._normals = cross / np.maximum(doubled, 1e-300)[:, None]
        self._area_up_to = np.cumsum(0.5 * doubled)
        self.area = float(self._area_up_to[-1])
        self._spread, self._seed = spread, seed
        self._level, self._darts_thrown = 0, 0
        self._points = SurfacePoints(np.zeros(0, np.int64), np.zeros((0, 3)), np.zeros((0, 3)))
        self._measured = np.zeros((0, 3))
        self._lock = Lock()

    def __len__(self) -> int:
        return len(self._points.triangle)

    def first(self, count: int, budget: Budget = UNLIMITED) -> SurfacePoints:
        """The first ``count`` points, or as many as there are: at most ``MOST_POINTS``, none where there is no area.

        Raises GivenUp where the budget says so; what was found by then is kept for the next who asks.
        """
        wanted = min(count, MOST_POINTS)
        while len(self) < wanted and self.area > 0.0 and self._level < MOST_LEVELS:
            budget.check()
            # Held for one level: who asks for fewer does not wait for who asks for more.
            with self._lock:
                if len(self) < wanted:
                    self._grow(wanted, budget)
        return SurfacePoints._make(column[:wanted] for column in self._points)

    def _grow(self, wanted: int, budget: Budget) -> None:
        if self._spread == "random":
            many = wanted - len(self)
            shares = chances(np.arange(len(self), wanted), self._seed, "where")
            drawn = self._drawn(shares, np.arange(len(self), wanted))
            self._keep(drawn, drawn.at @ self.scale.T, np.arange(many))
            return
        radius = math.sqrt(self.area) * SHRINKING**self._level
        darts = max(FEWEST_DARTS, math.ceil(DARTS * FULL * self.area / radius**2))
        numbers = self._darts_thrown + np.arange(darts)
        # One in each of so many parts of equal area, so that no part is left out.
        shares = (np.arange(darts) + chances(numbers, self._seed, "where")) / darts
        drawn = self._drawn(shares, numbers)
        measured = drawn.at @ self.scale.T
        stay = np.zeros(0, np.int64)
        order = spread_order(darts)
        # Some at a time, each among those that stay before it: as all in one call, and whoever waits is asked between.
        for begin in range(0, darts, DARTS_AT_A_TIME):
            budget.check()
            among = (
                np.concatenate([self._measured, measured[stay]]),
                np.concatenate([self._points.normal, drawn.normal[stay]]),
            )
            some = order[begin : begin + DARTS_AT_A_TIME]
            found = darts_kernel(
                *among, np.ascontiguousarray(measured[some]), drawn.normal[some], np.arange(len(some)), radius
            )
            stay = np.concatenate([stay, some[found]])
        self._keep(drawn, measured, stay)
        self._level += 1
        self._darts_thrown += darts

    def _drawn(self, shares: Vec, numbers: NDArray[np.int64]) -> SurfacePoints:
        """Points at these shares of the area, evenly within their triangles (Turk, "Generating random points in triangles", 1990)."""
        triangle = np.minimum(
            np.searchsorted(self._area_up_to, shares * self.area, side="right"), len(self._area_up_to) - 1
        )
        root = np.sqrt(chances(numbers, self._seed, "across"))
        along = chances(numbers, self._seed, "along")
        a, b, c = (self._corners[triangle, k] for k in range(3))
        at = a * (1.0 - root)[:, None] + b * (root * (1.0 - along))[:, None] + c * (root * along)[:, None]
        return SurfacePoints(triangle, at, self._normals[triangle])

    def _keep(self, drawn: SurfacePoints, measured: Vec, stay: NDArray[np.int64]) -> None:
        kept = SurfacePoints._make(column[stay] for column in drawn)
        self._points = SurfacePoints._make(map(np.concatenate, zip(self._points, kept, strict=True)))
        self._measured = np.concatenate([self._measured, measured[stay]])


def spread_order(count: int) -> NDArray[np.int64]:
    """(n,) the numbers from 0 in an order in which the first few are spread over all of them: steps of the golden ratio."""
    step = max(1, round(count * (math.sqrt(5.0) - 1.0) / 2.0))
    while math.gcd(step, count) != 1:
        step += 1
    return (np.arange(count) * step) % count


def measuring_scale(pose: Pose) -> Vec:
    """(3, 3) under which distances on a mesh are those in the world. Where it is not sheared, its turn does not matter."""
    return pose.linear if pose.sheared else np.diag(np.abs(pose.scale))


_held: OrderedDict[tuple[object, ...], Sequence] = OrderedDict()
_held_lock = Lock()


def sequence_on(mesh: Mesh, pose: Pose, spread: Spread, seed: int) -> Sequence:
    """The sequence of a surface at a pose; the last ones are kept."""
    scale = measuring_scale(pose)
    key = (mesh.digest, tuple(scale.ravel().tolist()), spread, seed)
    with _held_lock:
        found = _held.pop(key, None)
        if found is None:
            found = Sequence(mesh, scale, spread, seed)
        _held[key] = found
        while len(_held) > SEQUENCES_HELD or (len(_held) > 1 and sum(map(len, _held.values())) > POINTS_HELD):
            _held.popitem(last=False)
    return found
