"""A set on the wire: its records, what becomes of them, and how they fit. Lengths in metres."""

from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from brickseat_core.moves import REGISTRY
from brickseat_core.moves.fields import Number
from brickseat_core.moves.fields import Vector as Triple


class PoseSchema(Schema):
    """``basis``: world = basis · local + position, row by row; orientation and scale say the same for those who draw."""

    position: Triple
    orientation: tuple[Number, Number, Number, Number]
    scale: Triple
    basis: tuple[float, float, float, float, float, float, float, float, float]


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
    group: str
    recipe: str
    number: int | None


class FrameSchema(Schema):
    """A point in metres, the unit direction it faces, and 12 o'clock, in the coordinates of what it is on."""

    point: Triple
    facing: Triple
    clock: Triple


class SeatSchema(FrameSchema):
    """A frame where another piece fits. ``step_deg``: 0 for any angle."""

    name: Annotated[str, Field(min_length=1, max_length=80)]
    step_deg: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 0.0
    label: Annotated[str, Field(max_length=80)] = ""
    many: bool = False


class RegionSchema(Schema):
    """A keep-out or a bay: shown see-through, bears nothing, hits nothing."""

    key: str
    name: str
    prop: str
    pose: PoseSchema


class TieSchema(Schema):
    key: str
    tie: Literal["cling", "gap", "square", "join"]
    piece: str
    to: str
    side: Triple | None
    distance_m: float
    at_least: bool
    angle_deg: float
    seat: str
    to_seat: str
    locked: bool
    frame: FrameSchema | None
    to_frame: FrameSchema | None
    lean: float
    smooth: bool


class MeasureSchema(Schema):
    """What a tie keeps now: metres of a gap, degrees out of square, metres off the bearer or between joined points."""

    key: str
    words: str
    value: float | None
    holds: bool
    mine: Triple
    theirs: Triple


class ExceptionsSchema(Schema):
    taken_out: list[int]
    nudged: dict[str, PoseSchema]


class RecipeSchema(Schema):
    key: str
    name: str
    recipe: Literal["scatter", "row", "fill"]
    seed: int
    parameters: dict[str, Any]
    exceptions: ExceptionsSchema


class CutOutSchema(Schema):
    key: str
    piece: str
    bearer: str
    clearance_m: float


class PropChangeSchema(Schema):
    key: str
    unit: str
    up: str
    turns: list[tuple[str, str, float]]
    material: str


class SettingsSchema(Schema):
    name: str
    tolerance_m: float
    trolley: list[str]


class ClashSchema(Schema):
    other: str
    depth: float
    point: Triple
    normal: Triple
    upward: float


class FitSchema(Schema):
    """The verdict on a piece; where it touches is asked for on its own (``MeasuredFitSchema``). ``deeper``: how deep it is in
    others is still being measured; it is deeper than its depths say."""

    key: str
    state: Literal["seated", "floating", "sunk", "clashing", "tippy", "unborne", "unchecked"]
    faults: list[str]
    gap: float | None
    depth: float
    rests_on: list[str]
    clashes: list[ClashSchema]
    touch: Triple | None
    balance_margin: float | None
    tilt_deg: float
    reason: str
    grip: float | None
    deeper: bool


class MeasuredFitSchema(FitSchema):
    """All that is measured of a piece. ``contacts``: world points where it touches, a few that are spread over them all."""

    contacts: list[Triple]


class PieceDelta(Schema):
    kind: Literal["piece"]
    key: str
    after: PieceSchema | None


class RegionDelta(Schema):
    kind: Literal["region"]
    key: str
    after: RegionSchema | None


class TieDelta(Schema):
    kind: Literal["tie"]
    key: str
    after: TieSchema | None


class RecipeDelta(Schema):
    kind: Literal["recipe"]
    key: str
    after: RecipeSchema | None


class CutOutDelta(Schema):
    kind: Literal["cut_out"]
    key: str
    after: CutOutSchema | None


class PropDelta(Schema):
    kind: Literal["prop"]
    key: str
    after: PropChangeSchema | None


class SettingsDelta(Schema):
    kind: Literal["set"]
    key: str
    after: SettingsSchema


DeltaSchema = Annotated[
    PieceDelta | RegionDelta | TieDelta | RecipeDelta | CutOutDelta | PropDelta | SettingsDelta,
    Field(discriminator="kind"),
]
"""What one record became; null: it is gone."""

AnyMove: Any = REGISTRY.any_form()


class MoveRequest(Schema):
    """One move, told apart by its kind."""

    move: AnyMove


class LeftSchema(Schema):
    key: str
    reason: str


class ChangeSchema(Schema):
    revision: int
    words: str
    deltas: list[DeltaSchema]
    fits: list[FitSchema]
    measures: list[MeasureSchema]
    shapes: dict[str, str]
    left: list[LeftSchema]
    can_undo: str | None
    can_redo: str | None
