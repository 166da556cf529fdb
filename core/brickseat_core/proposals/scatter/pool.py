"""The pool: points of all surfaces of a recipe, in the order in which they are laid on."""

import math
from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.proposals.scatter.sequences import Sequence
from brickseat_core.proposals.scatter.weights import Weight, weights
from brickseat_core.recipes.numbering import MOST_POINTS, number_of
from brickseat_core.recipes.scatter_schema import Facing
from brickseat_core.scene import Piece, Vec

FIRST_SHARE = 1.5
"""Points looked at first, over those that are wanted."""
MORE_THAN_NEEDED = 1.1
LEAST_GROWTH, MOST_GROWTH = 1.2, 16.0
MOST_GROWTHS = 40
WEIGHED_AT_A_TIME = 1 << 15
"""Points that are weighed by the rules in one go."""
FEWEST_LOOKED_AT = 1 << 16
SPARSEST_GROUND = 256
"""Points looked at for each that is wanted, at most: where less of the ground may be laid on, fewer are laid."""


class Candidates(NamedTuple):
    """Points in the order in which they are laid on. ``number``: (n,) what each is called for as long as the recipe lives.

    ``surface``: (n,) which of the surfaces it lies on. ``key``: (n,) laid once so many a square metre are wanted. ``at``,
    ``normal``: (n, 3) in the world.
    """

    number: NDArray[np.int64]
    surface: NDArray[np.int64]
    key: Vec
    at: Vec
    normal: Vec

    def some(self, which: NDArray[np.int64] | NDArray[np.bool_] | slice) -> "Candidates":
        """Those of ``which``: (k,) numbers, (n,) whether, or a slice."""
        return Candidates._make(column[which] for column in self)


NO_CANDIDATES = Candidates(
    np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3))
)


@dataclass
class Surface:
    """One surface of a recipe, with an area: the standing ``piece``, its sequence, how far that was looked at, and its rules, of which the
    first says which way the ground looks."""

    place: int
    piece: Piece
    sequence: Sequence
    rules: list[Weight]
    sign: float
    facing: Facing
    seen: int = 0
    valid: Candidates = field(default=NO_CANDIDATES)

    def look_at(self, count: int, budget: Budget) -> None:
        """Weigh the first ``count`` points, those that were not weighed yet."""
        for end in range(self.seen + WEIGHED_AT_A_TIME, count, WEIGHED_AT_A_TIME):
            budget.check()
            self._weigh(end, budget)
        if count > self.seen:
            self._weigh(count, budget)

    def _weigh(self, count: int, budget: Budget) -> None:
        """As ``look_at``, in one go."""
        at, normal = self._points(self.seen, count, budget)
        rank = np.arange(self.seen, self.seen + len(at))
        weight = weights(self.rules, at, normal)
        some = weight > 0.0
        key = (rank[some] + 0.5) / (self.sequence.area * weight[some])
        place = np.full(int(some.sum()), self.place)
        found = Candidates(number_of(place, rank[some]), place, key, at[some], normal[some])
        self.valid = Candidates._make(map(np.concatenate, zip(self.valid, found, strict=True)))
        self.seen += len(at)

    def _points(self, begin: int, end: int, budget: Budget) -> tuple[Vec, Vec]:
        """(n, 3) points of the world from rank ``begin`` up to ``end``, as far as there are any, and (n, 3) the normals there."""
        points = self.sequence.first(end, budget)
        at = self.piece.pose.apply(points.at[begin:])
        normal = points.normal[begin:] @ np.linalg.inv(self.sequence.scale).T @ self.piece.pose.linear.T
        normal /= np.maximum(np.linalg.norm(normal, axis=1), 1e-300)[:, None]
        if self.sign != 0.0:
            normal *= self.sign
        elif self.facing != "surface":
            # A sheet has two sides: the one that is laid on.
            normal *= np.where((normal[:, 1] < 0.0) == (self.facing == "down"), -1.0, 1.0)[:, None]
        return at, normal

    def barred(self, count: int, budget: Budget) -> Vec:
        """(n, 3) those of the first ``count`` points that look the right way, and on which nothing may lie all the same."""
        facing, *others = self.rules
        at, normal = self._points(0, count, budget)
        right = facing(at, normal) > 0.0
        at, normal = at[right], normal[right]
        return np.asarray(at[weights(others, at, normal) <= 0.0])

    @property
    def horizon(self) -> float:
        """Density below which all keys are known."""
        return self.seen / self.sequence.area


def side_of(index: SceneIndex, piece: Piece) -> float:
    """+1 where the faces of a standing piece look the way they are modelled, -1 where against it, 0 where both ways."""
    row = index.row[piece.key]
    mesh = index.mesh_of(piece)
    if mesh.health.closed and index.placed.sense[row] == 0.0:
        # A room: its faces look into it.
        return 1.0
    return float(index.placed.sense[row])


class Pool:
    """The candidates of all surfaces by their keys, as many as are asked for.

    Raises GivenUp where the ``budget`` says so.
    """

    def __init__(self, surfaces: list[Surface], budget: Budget = UNLIMITED) -> None:
        self._budget = budget
        self.surfaces = [s for s in surfaces if s.sequence.area > 0.0]
        self._area = sum(s.sequence.area for s in self.surfaces)

    def first(self, count: int) -> Candidates:
        """The first ``count`` candidates, or as many as there are."""
        most = max(FEWEST_LOOKED_AT, SPARSEST_GROUND * count)
        density = FIRST_SHARE * count / max(self._area, 1e-12)
        found = NO_CANDIDATES
        for _ in range(MOST_GROWTHS):
            found, all_seen = self._below(density)
            if len(found.key) >= count or all_seen or density * self._area >= most:
                break
            # As many more as it takes, by what of the ground was laid on so far.
            wanted = MORE_THAN_NEEDED * count / max(len(found.key), 1)
            density = min(density * min(max(wanted, LEAST_GROWTH), MOST_GROWTH), most / max(self._area, 1e-12))
        return found.some(slice(count))

    def denser(self, density: float, most: int) -> Candidates:
        """The candidates that are laid where so many a square metre are wanted, ``most`` of them at most."""
        found = self.first(most)
        return found.some(found.key < density)

    def expected(self, density: float) -> int:
        """How many candidates there would be where so many a square metre are wanted, by what of the ground was looked at so far."""
        horizon = min((s.horizon for s in self.surfaces), default=0.0)
        known = sum(int((s.valid.key <= horizon).sum()) for s in self.surfaces)
        return round(density * known / horizon) if horizon > 0.0 else 0

    def _below(self, density: float) -> tuple[Candidates, bool]:
        """The candidates whose keys are below ``density``, and whether there are no more points."""
        for surface in self.surfaces:
            surface.look_at(min(MOST_POINTS, math.ceil(density * surface.sequence.area)), self._budget)
        # Surfaces whose points are all seen hold nothing back any more.
        open_ones = [s.horizon for s in self.surfaces if s.seen < MOST_POINTS]
        horizon = min([density, *open_ones]) if open_ones else math.inf
        together = Candidates._make(
            map(np.concatenate, zip(NO_CANDIDATES, *(s.valid for s in self.surfaces), strict=True))
        )
        some = np.flatnonzero(together.key <= horizon)
        order = some[np.lexsort((together.number[some], together.key[some]))]
        return together.some(order), not open_ones
