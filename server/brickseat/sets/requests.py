"""Moves as they are asked for from outside: checked here once, and made the core's commands."""

import uuid
from collections.abc import Callable
from typing import Annotated, Any, Literal

import numpy as np
from ninja import Schema
from pydantic import Field

from brickseat.sets.records import pose_of
from brickseat_core.placing import moves
from brickseat_core.placing.moves import Move, MoveRefused
from brickseat_core.scene import Pose, Prop

Number = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
Length = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Factor = Annotated[float, Field(allow_inf_nan=False)]
Triple = tuple[Number, Number, Number]
Quaternion = tuple[Number, Number, Number, Number]
Keys = Annotated[list[Annotated[str, Field(max_length=40)]], Field(min_length=1, max_length=20000)]


class PoseSchema(Schema):
    position: Triple
    orientation: Quaternion
    scale: Triple


class SetDownMove(Schema):
    kind: Literal["set_down"]
    prop: str
    pose: PoseSchema
    direction: Triple = (0.0, -1.0, 0.0)
    sink: Length = 0.0
    stand_off: Length = 0.0


class PlaceMove(Schema):
    kind: Literal["place"]
    key: str
    pose: PoseSchema
    direction: Triple | None = None
    reseat: bool = False


class SlideMove(Schema):
    kind: Literal["slide"]
    keys: Keys
    by: Triple
    together: bool = False


class CarryMove(Schema):
    """Freely through the air."""

    kind: Literal["carry"]
    keys: Keys
    by: Triple


class PushMove(Schema):
    kind: Literal["push"]
    keys: Keys
    by: Triple
    together: bool = False


class TurnMove(Schema):
    kind: Literal["turn"]
    keys: Keys
    angle: Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]
    together: bool = False


SizeFactor = Annotated[float, Field(ge=0.01, le=100, allow_inf_nan=False)]


class SizeMove(Schema):
    kind: Literal["size"]
    keys: Keys
    factor: SizeFactor | tuple[SizeFactor, SizeFactor, SizeFactor]
    together: bool = False


class BedMove(Schema):
    kind: Literal["bed"]
    keys: Keys
    sink: Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]


class SeatMove(Schema):
    kind: Literal["seat"]
    keys: Keys
    together: bool = False


class RestMove(Schema):
    kind: Literal["rest"]
    keys: Keys
    together: bool = False


class SpikeMove(Schema):
    kind: Literal["spike"]
    keys: Keys
    spiked: bool


class CopyMove(Schema):
    kind: Literal["copy"]
    keys: Keys
    by: Triple


class RemoveMove(Schema):
    kind: Literal["remove"]
    keys: Keys


class SwapMove(Schema):
    """Pieces exchanged for copies of another prop."""

    kind: Literal["swap"]
    keys: Keys
    prop: str


class StandMove(Schema):
    """A bearer brought onto the set."""

    kind: Literal["stand"]
    prop: str
    pose: PoseSchema


class FixMove(Schema):
    kind: Literal["fix"]
    keys: Keys
    fixed: bool


class GroupMove(Schema):
    """``name`` empty: parted again."""

    kind: Literal["group"]
    keys: Keys
    name: Annotated[str, Field(max_length=80)] = ""


class RenameMove(Schema):
    kind: Literal["rename"]
    key: str
    name: Annotated[str, Field(min_length=1, max_length=200)]


class RepairMove(Schema):
    kind: Literal["repair"]
    keys: Keys | None = None


MoveSchema = Annotated[
    SetDownMove
    | PlaceMove
    | SlideMove
    | CarryMove
    | PushMove
    | TurnMove
    | SizeMove
    | BedMove
    | SeatMove
    | RestMove
    | SpikeMove
    | CopyMove
    | RemoveMove
    | SwapMove
    | StandMove
    | FixMove
    | GroupMove
    | RenameMove
    | RepairMove,
    Field(discriminator="kind"),
]


class MoveRequest(Schema):
    move: MoveSchema


def core_move(asked: Any, prop: Callable[[str], Prop]) -> Move:
    """The core's command for a request. ``prop``: the prop of a key, raising MoveRefused where there is none."""
    match asked:
        case SetDownMove():
            return moves.SetDown(
                uuid.uuid4().hex,
                prop(asked.prop),
                pose_from(asked.pose),
                unit(asked.direction),
                asked.sink,
                asked.stand_off,
            )
        case PlaceMove():
            direction = unit(asked.direction) if asked.direction else None
            return moves.Place(asked.key, pose_from(asked.pose), direction, asked.reseat)
        case SlideMove():
            return moves.Slide(tuple(asked.keys), asked.by, asked.together)
        case CarryMove():
            return moves.Carry(tuple(asked.keys), asked.by)
        case PushMove():
            return moves.Push(tuple(asked.keys), asked.by, asked.together)
        case TurnMove():
            return moves.Turn(tuple(asked.keys), asked.angle, asked.together)
        case SizeMove():
            return moves.Size(tuple(asked.keys), asked.factor, asked.together)
        case BedMove():
            return moves.Bed(tuple(asked.keys), asked.sink)
        case RestMove():
            return moves.Rest(tuple(asked.keys), asked.together)
        case SeatMove():
            return moves.Seat(tuple(asked.keys), asked.together)
        case SpikeMove():
            return moves.Spike(tuple(asked.keys), asked.spiked)
        case CopyMove():
            return moves.Copy(tuple(asked.keys), tuple(uuid.uuid4().hex for _ in asked.keys), asked.by)
        case RemoveMove():
            return moves.Remove(tuple(asked.keys))
        case SwapMove():
            return moves.Swap(tuple(asked.keys), prop(asked.prop))
        case StandMove():
            wanted = prop(asked.prop)
            return moves.Stand(uuid.uuid4().hex, wanted.name, wanted, pose_from(asked.pose))
        case FixMove():
            return moves.Fix(tuple(asked.keys), asked.fixed)
        case GroupMove():
            return moves.Group(tuple(asked.keys), asked.name.strip())
        case RenameMove():
            return moves.Rename(asked.key, asked.name.strip())
        case RepairMove():
            return moves.Mend(tuple(asked.keys) if asked.keys is not None else None)
    raise MoveRefused("that move is not known")


def keys_of(move: Move) -> tuple[str, ...]:
    """The standing pieces that a move touches by name."""
    key = getattr(move, "key", None)
    if isinstance(key, str):
        return (key,)
    return (*(getattr(move, "keys", None) or ()), *getattr(move, "gone", ()))


def unit(direction: tuple[float, float, float]) -> tuple[float, float, float]:
    length = float(np.linalg.norm(direction))
    if length < 1e-9:
        raise MoveRefused("the direction has no length; give one like [0, -1, 0]")
    x, y, z = (float(v) / length for v in direction)
    return (x, y, z)


def pose_from(asked: PoseSchema) -> Pose:
    if float(np.linalg.norm(asked.orientation)) < 1e-9 or min(abs(s) for s in asked.scale) < 1e-6:
        raise MoveRefused("the pose has no orientation or no size; give a quaternion and a scale")
    return pose_of({"position": asked.position, "orientation": asked.orientation, "scale": asked.scale})
