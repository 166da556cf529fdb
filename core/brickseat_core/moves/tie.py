"""Tie: a lasting relation between two pieces, which all later moves obey."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.constraints.gaps import gap_to, nearest_side
from brickseat_core.geometry.lengths import in_words
from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Degrees, Key, Length, Share, Vector, unit_vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import Change, Delta, Tie


@dataclass(frozen=True)
class TieMove:
    """A tie of a piece to another. ``cling``: it stays on it. ``gap``: it stays ``distance_m`` from the face that is met
    along ``side``, exactly or ``at_least``; as far as it is now where no distance is given. ``square``: one of its axes
    stays square to that face, at ``angle_deg``. ``join``: the two keep together as they stand."""

    kind: Literal["tie"]
    tie: Literal["cling", "gap", "square", "join"]
    piece: Key
    to: Key
    side: Vector | None = None
    distance_m: Length | None = None
    at_least: bool = False
    angle_deg: Degrees = 0.0
    lean: Share = 0.0
    smooth: bool = True
    locked: bool = False


def compute(scene: Scene, move: TieMove) -> Outcome:
    """The tie, in the place of the same one there was. Raises MoveRefused where it can keep nothing."""
    (piece,) = chosen(scene, [move.piece], must_move=False)
    to = own_place(scene, move.to)
    if to.key == piece.key:
        raise MoveRefused(f"{piece.name} cannot be tied to itself; choose another piece")
    if move.tie != "join" and not piece.movable:
        raise MoveRefused(f"{piece.name} stays where it is; tie what moves to it instead")
    side = unit_vector(move.side) if move.side is not None else None
    distance = move.distance_m or 0.0
    if move.tie in ("gap", "square"):
        side = side or nearest_side(scene.index, piece, to)
    if move.tie == "gap" and side is not None:
        now = gap_to(scene.index, piece, to, side).distance
        distance = max(0.0, now) if move.distance_m is None else move.distance_m
    before = next((t for t in scene.dressed.ties.values() if same_tie(t, move, side)), None)
    tie = Tie(
        before.key if before is not None else scene.fresh_key(),
        move.tie,
        piece.key,
        to.key,
        side if move.tie in ("gap", "square") else None,
        distance,
        move.at_least,
        move.angle_deg,
        locked=move.locked,
        lean=move.lean,
        smooth=move.smooth,
    )
    return Outcome(Change(words(tie, piece.name, to.name), (Delta("tie", tie.key, before, tie),)))


def same_tie(tie: Tie, move: TieMove, side: Vector | None) -> bool:
    """Whether a tie keeps what this move is to keep: it takes its place."""
    return (tie.tie, tie.piece, tie.to) == (move.tie, move.piece, move.to) and (move.tie != "gap" or tie.side == side)


def words(tie: Tie, mine: str, theirs: str) -> str:
    """What the tie does, for people."""
    if tie.tie == "gap":
        return f"tied {mine} {'at least ' if tie.at_least else ''}{in_words(tie.distance)} from {theirs}"
    if tie.tie == "square":
        return f"tied {mine} square to {theirs}"
    return f"tied {mine} {'onto' if tie.tie == 'cling' else 'to'} {theirs}"


REGISTRY.register(TieMove, compute, quick=True)
