"""What goes in and out of the API. Checked here once; inside, types are trusted. Lengths in metres."""

import uuid
from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

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


class PieceSchema(Schema):
    key: str
    name: str
    prop: str
    role: Literal["bearer", "prop"]
    pose: PoseSchema
    direction: Triple
    sink: float
    stand_off: float
    spiked: bool


class ClashSchema(Schema):
    other: str
    depth: float
    point: Triple
    normal: Triple


class FitSchema(Schema):
    key: str
    state: Literal["seated", "floating", "sunk", "clashing", "tippy", "unborne", "unchecked"]
    faults: list[str]
    gap: float | None
    depth: float
    rests_on: list[str]
    clashes: list[ClashSchema]
    contacts: list[Triple]
    touch: Triple | None
    balance_margin: float | None
    tilt_deg: float
    reason: str


class PropSchema(Schema):
    key: str
    name: str
    category: str
    role: Literal["bearer", "prop"]
    direction: Triple
    width: float
    height: float
    depth: float
    volume: float | None
    triangles: int
    listed: bool
    file: str


class LookSchema(Schema):
    eye: Triple
    target: Triple


class SetCard(Schema):
    key: uuid.UUID
    name: str
    pieces: int
    counts: dict[str, int]
    plan: list[tuple[float, float, float, float, str]]
    changed: datetime


class SetSchema(Schema):
    key: uuid.UUID
    name: str
    tolerance: float
    revision: int
    look: LookSchema | None
    pieces: list[PieceSchema]
    fits: list[FitSchema]
    props: list[PropSchema]
    can_undo: str | None
    can_redo: str | None


class HistorySchema(Schema):
    number: int
    words: str
    at: datetime
    actor: str | None
    undone: bool


class DeltaSchema(Schema):
    key: str
    piece: PieceSchema | None


class LeftSchema(Schema):
    key: str
    reason: str


class ChangeSchema(Schema):
    revision: int
    words: str
    deltas: list[DeltaSchema]
    fits: list[FitSchema]
    left: list[LeftSchema]
    can_undo: str | None
    can_redo: str | None


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


class PushMove(Schema):
    kind: Literal["push"]
    keys: Keys
    by: Triple


class TurnMove(Schema):
    kind: Literal["turn"]
    keys: Keys
    angle: Annotated[float, Field(ge=-1e4, le=1e4, allow_inf_nan=False)]


SizeFactor = Annotated[float, Field(ge=0.01, le=100, allow_inf_nan=False)]


class SizeMove(Schema):
    kind: Literal["size"]
    keys: Keys
    factor: SizeFactor | tuple[SizeFactor, SizeFactor, SizeFactor]


class BedMove(Schema):
    kind: Literal["bed"]
    keys: Keys
    sink: Annotated[float, Field(ge=-100, le=100, allow_inf_nan=False)]


class SeatMove(Schema):
    kind: Literal["seat"]
    keys: Keys


class RestMove(Schema):
    kind: Literal["rest"]
    keys: Keys


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


class RepairMove(Schema):
    kind: Literal["repair"]
    keys: Keys | None = None


MoveSchema = Annotated[
    SetDownMove
    | PlaceMove
    | SlideMove
    | PushMove
    | TurnMove
    | SizeMove
    | BedMove
    | SeatMove
    | RestMove
    | SpikeMove
    | CopyMove
    | RemoveMove
    | RepairMove,
    Field(discriminator="kind"),
]


class MoveRequest(Schema):
    move: MoveSchema


class OutlineSchema(Schema):
    key: str
    segments: list[tuple[float, float, float, float]]


class FeelerSchema(Schema):
    """Outlines in an upright plane through ``at``; segments x0, y0, x1, y1 in metres about it."""

    at: Triple
    azimuth: float
    half: float
    piece: OutlineSchema
    others: list[OutlineSchema]
    gap: float | None
    depth: float


class VisitorSchema(Schema):
    name: str
    demo: bool


class Credentials(Schema):
    username: str
    password: str


class NewSet(Schema):
    name: Annotated[str, Field(min_length=1, max_length=200)]
