"""Join: one piece by a seat onto a seat of another."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.joining import free_seats, joined_pose, taken_seats
from brickseat_core.constraints.obeying import after_motion
from brickseat_core.moves.choosing import FreshNames, chosen, taken_names
from brickseat_core.moves.fields import Degrees, FrameForm, Key, Text
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import Change, Delta, Frame, Piece, Pose, Seat, Tie, in_world, piece_delta


@dataclass(frozen=True)
class JoinMove:
    """A standing piece, or a new copy of ``prop``, by its seat onto a seat of another: facings opposite, clocks equal, then
    turned about the target's facing. ``flip`` reverses the mover's facing. Without names, its first free seat goes
    onto the nearest free one of the target. ``frame`` and ``to_frame`` stand for seats on plain faces, edges or corners.
    ``keep``: the two stay joined."""

    kind: Literal["join"]
    to: Key
    piece: Key | None = None
    prop: Key | None = None
    seat: Text = ""
    to_seat: Text = ""
    frame: FrameForm | None = None
    to_frame: FrameForm | None = None
    turn_deg: Degrees = 0.0
    flip: bool = False
    keep: bool = True


def compute(scene: Scene, move: JoinMove) -> Outcome:
    """The piece and all it is joined to at their new place, and a tie when they are to stay so. Raises MoveRefused."""
    target = own_place(scene, move.to)
    if (move.piece is None) == (move.prop is None):
        raise MoveRefused("a join takes either a piece that stands or the prop of a new one; name one of them")
    if move.piece is not None:
        (body,) = chosen(scene, [move.piece])
        mover = own_place(scene, move.piece)
        if move.to in scene.index.bodies.get(move.piece, (move.piece,)):
            raise MoveRefused(f"{mover.name} and {target.name} are joined already; pull them apart first")
    else:
        prop = scene.prop(move.prop or "")
        name = FreshNames(taken_names(scene)).of(prop.name)
        body = mover = Piece(scene.fresh_key(), name, prop, Pose((0.0, 0.0, 0.0)))
    mine, mine_name, theirs, their_name = frames(scene, move, mover, target)
    pose = joined_pose(
        mover.pose,
        in_world(mine, mover.pose),
        in_world(theirs, target.pose),
        float(np.radians(move.turn_deg)),
        move.flip,
    )
    end = body.at(pose if body.key == mover.key else after_motion(body.pose, mover.pose, pose))
    deltas = [piece_delta(None if move.piece is None else body, end)] if move.piece is None or end != body else []
    if move.keep:
        tie = Tie(
            scene.fresh_key(),
            "join",
            mover.key,
            target.key,
            seat=mine_name,
            to_seat=their_name,
            frame=None if mine_name else mine,
            to_frame=None if their_name else theirs,
        )
        deltas.append(Delta("tie", tie.key, None, tie))
    return Outcome(Change(f"joined {mover.name} to {target.name}", tuple(deltas)))


def frames(scene: Scene, move: JoinMove, mover: Piece, target: Piece) -> tuple[Frame, str, Frame, str]:
    """The two frames that meet, each with the name of its seat, empty where it is none. Raises MoveRefused."""
    taken = taken_seats(scene.apart)
    theirs: Frame
    if move.to_frame is not None:
        theirs, their_name, label = move.to_frame.frame(), "", None
    elif move.to_seat:
        found = seat_of(target, move.to_seat, taken.get(target.key, set()))
        theirs, their_name, label = found, found.name, found
    else:
        mine = move.frame.frame() if move.frame is not None else own_seat(mover, move.seat, taken, None)
        near = nearest_seat(scene, mover, mine, target)
        theirs, their_name, label = near, near.name, near
    if move.frame is not None:
        return move.frame.frame(), "", theirs, their_name
    seat = own_seat(mover, move.seat, taken, label)
    if label is not None and not seat.goes_with(label):
        raise MoveRefused(
            f"{seat.name} is a {seat.label} and {label.name} a {label.label}; choose seats that go together"
        )
    return seat, seat.name, theirs, their_name


def seat_of(piece: Piece, name: str, taken: set[str]) -> Seat:
    """The seat of that name. Raises MoveRefused where there is none, or another piece is in it."""
    seat = piece.prop.seat(name)
    if seat is None:
        known = ", ".join(s.name for s in piece.prop.seats) or "none"
        raise MoveRefused(f"{piece.name} has no seat named {name!r}; its seats: {known}")
    if name in taken and not seat.many:
        raise MoveRefused(f"the seat {name} of {piece.name} is taken; pull that apart first")
    return seat


def own_seat(piece: Piece, name: str, taken: dict[str, set[str]], other: Seat | None) -> Seat:
    """The named seat of the mover, or its first free one that goes with ``other``. Raises MoveRefused."""
    mine = taken.get(piece.key, set())
    if name:
        return seat_of(piece, name, mine)
    free = [s for s in piece.prop.seats if s.many or s.name not in mine]
    found = next((s for s in free if other is None or s.goes_with(other)), None)
    if found is None:
        raise MoveRefused(f"{piece.name} has no free seat that fits; set seats on the bench, or pull it apart first")
    return found


def nearest_seat(scene: Scene, mover: Piece, mine: Frame, target: Piece) -> Seat:
    """The free seat of ``target`` nearest to the mover's own that goes with it, the first for what stands nowhere yet.

    Raises MoveRefused.
    """
    at = in_world(mine, mover.pose).point
    own = mine if isinstance(mine, Seat) else None
    new = mover.key not in scene.apart.pieces
    free = [
        (float(number) if new else float(np.linalg.norm(frame.point - at)), seat.name, seat)
        for number, (piece, seat, frame) in enumerate(free_seats(scene.apart))
        if piece.key == target.key and (own is None or seat.goes_with(own))
    ]
    if not free:
        raise MoveRefused(f"{target.name} has no free seat that fits; set seats on the bench, or choose another piece")
    return min(free, key=lambda found: found[:2])[2]


REGISTRY.register(JoinMove, compute, quick=True, bodily=True)
