"""Another shape in the place of a joined piece: held by the seats that it is joined by."""

from dataclasses import replace

import numpy as np

from brickseat_core.moves.registry import MoveRefused, Scene
from brickseat_core.scene import Piece, Pose, Prop, Seat, Tie, WorldFrame, in_world

SAME_PLACE, SAME_DIRECTION = 1e-6, 1e-6
"""Metres, and difference of unit vectors, up to which a seat lies where it lay."""


def in_its_seats(scene: Scene, piece: Piece, prop: Prop) -> Piece:
    """``piece`` as a copy of ``prop``, its seats where those of the same names are that it is joined by now.

    What is joined without seats stays where it stands. Raises MoveRefused where a seat is missing, or lies elsewhere.
    """
    ends = [end for tie in scene.dressed.ties.values() if tie.tie == "join" for end in ends_of(tie, piece.key)]
    names = [name for name in dict.fromkeys(ends) if name]
    other = replace(piece, prop=prop)
    if names:
        name = names[0]
        mine, new = joining_seat(piece, name, prop), joining_seat(other, name, prop)
        was, now = in_world(mine, piece.pose), in_world(new, other.pose)
        linear = was.axes() @ now.axes().T @ other.pose.linear
        other = other.at(Pose.of(linear, was.point - linear @ np.asarray(new.point)))
    for name in names[1:]:
        was = in_world(joining_seat(piece, name, prop), piece.pose)
        if not same(was, in_world(joining_seat(other, name, prop), other.pose)):
            raise MoveRefused(
                f"the seat {name} of {prop.name} lies elsewhere than that of {piece.name}; pull it apart first"
            )
    if "" in ends and not np.allclose(other.pose.linear, piece.pose.linear):
        raise MoveRefused(f"{piece.name} is joined as it stands, too, and would be turned; pull it apart first")
    if "" in ends and not np.allclose(other.pose.origin, piece.pose.origin, atol=SAME_PLACE):
        raise MoveRefused(f"{piece.name} is joined as it stands, too, and would be moved; pull it apart first")
    return other


def ends_of(tie: Tie, key: str) -> list[str]:
    """The names of the seats by which a join holds the piece of a key; empty where it is no seat."""
    return [name for piece, name in ((tie.piece, tie.seat), (tie.to, tie.to_seat)) if piece == key]


def joining_seat(piece: Piece, name: str, prop: Prop) -> Seat:
    """The seat of that name of ``piece``, which is to be, or is, a copy of ``prop``. Raises MoveRefused where it has none."""
    seat = piece.prop.seat(name)
    if seat is None:
        known = ", ".join(s.name for s in prop.seats) or "none"
        raise MoveRefused(
            f"{piece.name} is joined by the seat {name}, and {prop.name} has none of that name (its seats: {known}); "
            "set one on the bench, or pull it apart first"
        )
    return seat


def same(one: WorldFrame, other: WorldFrame) -> bool:
    """Whether two frames of the world are one."""
    away = np.linalg.norm(one.point - other.point)
    return bool(away <= SAME_PLACE and np.abs(one.axes() - other.axes()).max() <= SAME_DIRECTION)
