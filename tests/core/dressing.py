"""A set that moves are made on, one after the other, as the server does it."""

from collections.abc import Iterable
from itertools import count
from typing import Any

from brickseat_core.admission.proof import proved
from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.constraints.indexing import index_of
from brickseat_core.executing import OpenPool
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
from brickseat_core.moves import Outcome, PropFacts, compute_move, parse
from brickseat_core.moves.registry import MESHES_ALONE
from brickseat_core.scene import Change, Piece, Pose, Prop, Seat, Set, Vec, in_world


class Dressed:
    """``set`` and ``index`` after all moves so far. Pieces have their names as keys."""

    def __init__(self, *pieces: Piece, props: Iterable[Prop] = ()) -> None:
        self.set = Set.of("a set", pieces)
        self.index = index_of(self.set)
        self.props = {p.key: p for p in (*props, *(piece.prop for piece in pieces))}
        self.numbers = count(1)
        self.fits = check(self.index)

    def look(
        self,
        kind: str,
        budget: Budget = UNLIMITED,
        facts: PropFacts = MESHES_ALONE,
        pool: OpenPool | None = None,
        **fields: Any,
    ) -> Outcome:
        """What a move would do."""
        return compute_move(
            self.set,
            self.index,
            self.fits,
            parse({"kind": kind, **fields}),
            self.props.__getitem__,
            self.fresh_key,
            budget,
            facts,
            pool,
        )

    def fresh_key(self) -> str:
        """A key that no record has."""
        return f"new-{next(self.numbers)}"

    def do(self, kind: str, **fields: Any) -> Outcome:
        """Make a move."""
        outcome = self.look(kind, **fields)
        self.take(outcome.change)
        return outcome

    def take(self, change: Change) -> None:
        """Bring everything up to a change."""
        after = proved(self.set, self.index, self.fits, change)
        self.set, self.index, self.fits = after.dressed, after.index, dict(after.fits)

    def piece(self, key: str) -> Piece:
        return self.set.pieces[key]

    def at(self, key: str) -> Vec:
        return self.piece(key).pose.origin

    def fit(self, key: str) -> Fit:
        return self.fits[key]

    def seat(self, key: str, name: str) -> Any:
        """Where a seat is in the world."""
        seat = self.piece(key).prop.seat(name)
        assert seat is not None
        return in_world(seat, self.piece(key).pose)


def seat(name: str, point: Any, facing: Any, clock: Any = (0.0, 0.0, 1.0), step: float = 0.0, label: str = "") -> Seat:
    return Seat(tuple(point), tuple(facing), tuple(clock), name, step, label)


def with_seats(piece: Piece, *seats: Seat, pose: Pose | None = None) -> Piece:
    prop = Prop(piece.prop.key, piece.prop.name, piece.prop.mesh, seats)
    return Piece(piece.key, piece.name, prop, pose or piece.pose, piece.role, piece.direction)
