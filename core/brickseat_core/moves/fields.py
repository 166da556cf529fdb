"""The types that the fields of moves are made of: checked once, when a move comes in. Metres and degrees."""

from typing import Annotated

import numpy as np
from pydantic import AliasChoices, Field
from pydantic.dataclasses import dataclass

from brickseat_core.moves.registry import MoveRefused
from brickseat_core.scene import Frame, Pose, Quaternion, Triple, frame_of

MOST_PIECES = 20_000
Number = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Length = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
SignedLength = Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]
Factor = Annotated[float, Field(ge=0.01, le=100, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
Vector = tuple[Number, Number, Number]
Key = Annotated[str, Field(min_length=1, max_length=200)]
Pieces = Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_PIECES)]
Points = Annotated[tuple[Vector, ...], Field(min_length=1, max_length=3)]
Line = tuple[Vector, Vector]
Text = Annotated[str, Field(max_length=80)]
Name = Annotated[str, Field(min_length=1, max_length=200)]


def degrees_of(*names: str) -> AliasChoices:
    """Other names that a field of degrees is read by."""
    return AliasChoices(*names)


@dataclass(frozen=True)
class PoseForm:
    """Position in metres, unit quaternion x, y, z, w, and factors along the prop's own axes."""

    position: Vector
    orientation: tuple[Number, Number, Number, Number] = (0.0, 0.0, 0.0, 1.0)
    scale: Vector = (1.0, 1.0, 1.0)

    def pose(self) -> Pose:
        """The pose. Raises MoveRefused where it has no orientation or no size."""
        if float(np.linalg.norm(self.orientation)) < 1e-9 or min(abs(s) for s in self.scale) < 1e-6:
            raise MoveRefused("the pose has no orientation or no size; give a quaternion and a scale")
        orientation: Quaternion = self.orientation
        return Pose.from_parts(self.position, orientation, self.scale)


@dataclass(frozen=True)
class FrameForm:
    """A frame in the coordinates of the piece it is on: a point in metres, a direction it faces, and 12 o'clock."""

    point: Vector
    facing: Vector
    clock: Vector = (0.0, 1.0, 0.0)

    def frame(self) -> Frame:
        """The frame, unit and square. Raises MoveRefused where it faces nowhere."""
        return frame_of(np.array(self.point), np.array(unit_vector(self.facing)), np.array(self.clock))


def unit_vector(direction: Triple) -> Triple:
    """``direction`` with the length of one. Raises MoveRefused where it has none."""
    length = float(np.linalg.norm(direction))
    if length < 1e-9:
        raise MoveRefused("the direction has no length; give one like [0, -1, 0]")
    x, y, z = (float(v) / length for v in direction)
    return (x, y, z)
