"""Seats: frames on a prop where another one fits. Lengths in metres, in the prop's own coordinates."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from brickseat_core.scene.names import Names
from brickseat_core.scene.pose import Pose, Triple, Vec, cross

LEAST_SQUARE = 1e-6
"""Sine of the angle between facing and clock below which the clock says nothing."""


@dataclass(frozen=True)
class Frame:
    """A point, the unit direction that it faces, away from the prop, and 12 o'clock, a unit vector square to it."""

    point: Triple
    facing: Triple
    clock: Triple


@dataclass(frozen=True)
class Seat(Frame):
    """A frame with a name. ``step_deg``: by how much one turns in it at once, 0 for any angle. ``label``: a seat goes
    onto seats of the same label, or onto any where one has none. ``many``: it takes more than one guest."""

    name: str
    step_deg: float = 0.0
    label: str = ""
    many: bool = False

    def goes_with(self, other: "Seat") -> bool:
        """Whether the two labels allow a join."""
        return not self.label or not other.label or self.label == other.label


class WorldFrame(NamedTuple):
    """A frame in the world: ``point`` (3,) metres, ``facing`` and ``clock`` (3,) unit and square to each other."""

    point: Vec
    facing: Vec
    clock: Vec

    def axes(self, facing: float = 1.0) -> Vec:
        """(3, 3) clock, side and facing as columns, right-handed; ``facing`` -1 looks at it from the other side."""
        f = facing * self.facing
        return np.stack([self.clock, cross(f, self.clock), f], axis=1)


def square_to(facing: Vec, clock: Vec) -> Vec:
    """Unit (3,) part of ``clock`` square to unit ``facing``; any where the two are parallel."""
    across = clock - facing * float(facing @ clock)
    length = float(np.linalg.norm(across))
    if length < LEAST_SQUARE * max(1.0, float(np.linalg.norm(clock))):
        axis = np.zeros(3)
        axis[int(np.argmin(np.abs(facing)))] = 1.0
        across = axis - facing * float(facing @ axis)
        length = float(np.linalg.norm(across))
    return np.asarray(across / length)


def frame_of(point: Vec, facing: Vec, clock: Vec) -> Frame:
    """The frame at a point (3,), with facing and clock (3,) of any length made unit and square."""
    f = facing / np.linalg.norm(facing)
    (px, py, pz), (fx, fy, fz), (cx, cy, cz) = point.tolist(), f.tolist(), square_to(f, clock).tolist()
    return Frame((px, py, pz), (fx, fy, fz), (cx, cy, cz))


def in_world(frame: Frame, pose: Pose) -> WorldFrame:
    """A frame of a prop that stands at ``pose``; uneven sizes tilt a face's direction as they tilt the face."""
    facing = np.linalg.inv(pose.linear).T @ np.asarray(frame.facing)
    facing /= np.linalg.norm(facing)
    clock = square_to(facing, pose.linear @ np.asarray(frame.clock))
    return WorldFrame(pose.apply(np.asarray(frame.point)), facing, clock)


def in_prop(point: Vec, facing: Vec, clock: Vec, pose: Pose) -> Frame:
    """The frame of a prop at ``pose`` that stands in the world as given: what ``in_world`` leads back to."""
    inverse = np.linalg.inv(pose.linear)
    return frame_of(inverse @ (point - pose.origin), pose.linear.T @ facing, inverse @ clock)


def carried(seat: Seat, pose: Pose) -> Seat:
    """The same seat in the coordinates that ``pose`` leads to from its own."""
    if pose == Pose((0.0, 0.0, 0.0)):
        return seat
    world = in_world(seat, pose)
    at = frame_of(world.point, world.facing, world.clock)
    return replace(seat, point=at.point, facing=at.facing, clock=at.clock)


def named_apart(seats: Iterable[Seat]) -> tuple[Seat, ...]:
    """The same seats, the second and third of one name with a number behind it."""
    names = Names()
    found = [(seat, names.of(seat.name)) for seat in seats]
    return tuple(seat if name == seat.name else replace(seat, name=name) for seat, name in found)
