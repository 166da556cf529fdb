"""Join: bring the frame of one piece onto that of another, facing each other, 12 o'clock on 12 o'clock."""

from collections.abc import Iterable, Mapping

import numpy as np
from numpy.typing import NDArray

from brickseat_core.scene import Piece, Pose, Seat, Set, Tie, Vec, WorldFrame, in_world, rotation_about

SAME_POINT = 1e-6
"""Metres within which two seats that face each other are joined, whether or not a tie says so."""
OPPOSITE = -1.0 + 1e-6


def joined_pose(pose: Pose, mine: WorldFrame, theirs: WorldFrame, turn: float = 0.0, flip: bool = False) -> Pose:
    """The pose that brings ``mine``, a frame of what stands at ``pose``, onto ``theirs``.

    ``turn``: radians about their facing. ``flip``: my facing is reversed first.
    """
    rotation = theirs.axes(-1.0) @ mine.axes(-1.0 if flip else 1.0).T
    rotation = rotation_about(theirs.facing, turn) @ rotation
    return Pose.of(rotation @ pose.linear, theirs.point + rotation @ (pose.origin - mine.point))


def turned_about_frame(pose: Pose, frame: WorldFrame, angle: float) -> Pose:
    """``pose`` turned by radians about the facing of a frame."""
    rotation = rotation_about(frame.facing, angle)
    return Pose.of(rotation @ pose.linear, frame.point + rotation @ (pose.origin - frame.point))


def taken_seats(dressed: Set) -> dict[str, set[str]]:
    """By key of a piece, the names of its seats that a join holds."""
    taken: dict[str, set[str]] = {}
    for tie in dressed.ties.values():
        if tie.tie == "join":
            taken.setdefault(tie.piece, set()).add(tie.seat)
            taken.setdefault(tie.to, set()).add(tie.to_seat)
    return taken


def free_seats(dressed: Set, leaving_out: Iterable[str] = ()) -> list[tuple[Piece, Seat, WorldFrame]]:
    """The seats of all pieces that another one may still be joined to, with where they are.

    Left out are those that a join holds, and those that another seat lies on face to face.
    """
    taken, out = taken_seats(dressed), set(leaving_out)
    found = [
        (piece, seat, in_world(seat, piece.pose))
        for piece in dressed.pieces.values()
        for seat in piece.prop.seats
        if piece.key not in out and (seat.many or seat.name not in taken.get(piece.key, ()))
    ]
    if len(found) < 2:
        return found
    points = np.array([frame.point for _, _, frame in found])
    facing = np.array([frame.facing for _, _, frame in found])
    met = met_face_to_face(points, facing)
    return [entry for entry, hit in zip(found, met, strict=True) if not hit or entry[1].many]


def met_face_to_face(points: Vec, facing: Vec) -> NDArray[np.bool_]:
    """(n,) whether another of the frames at ``points`` (n, 3) lies on it and faces it (``facing`` (n, 3) unit)."""
    order = np.argsort(points[:, 0], kind="stable")
    met = np.zeros(len(points), np.bool_)
    x = points[order, 0]
    ends = np.searchsorted(x, x + SAME_POINT, side="right")
    for i, a in enumerate(order):
        for b in order[i + 1 : ends[i]]:
            if np.abs(points[a] - points[b]).max() <= SAME_POINT and float(facing[a] @ facing[b]) <= OPPOSITE:
                met[a] = met[b] = True
    return met


def frames_of_tie(tie: Tie, pieces: Mapping[str, Piece]) -> tuple[WorldFrame, WorldFrame] | None:
    """Where the two pieces of a join are joined, in the world: mine and theirs; None where the tie does not say."""
    found = []
    for key, name, frame in ((tie.piece, tie.seat, tie.frame), (tie.to, tie.to_seat, tie.to_frame)):
        piece = pieces[key]
        own = frame if frame is not None else piece.prop.seat(name)
        if own is None:
            return None
        found.append(in_world(own, piece.pose))
    return found[0], found[1]
