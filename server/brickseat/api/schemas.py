"""What goes in and out of the API. Checked here once; inside, types are trusted. Lengths in metres."""

import uuid
from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from brickseat_core.moves import REGISTRY
from brickseat_core.moves.fields import Number
from brickseat_core.moves.fields import Pieces as Keys
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


class QuestionSchema(Schema):
    about: Literal["unit", "up"]
    proposal: str
    text: str


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
    tags: list[str]
    size: int
    material: str
    mass: float
    grip: float
    bounce: float
    fall: float | None
    contact: str
    mine: bool
    posed_from: str | None
    doubt: QuestionSchema | None
    file: str


class SideSchema(Schema):
    """A way the prop can stand; ``orientation`` turns it so that this side is down."""

    down: Triple
    orientation: tuple[Number, Number, Number, Number]
    steadiness_deg: float
    height: float
    centre_height: float


class HealthSchema(Schema):
    triangles: int
    closed: bool
    open_edges: int
    shells: int
    degenerate: int
    duplicate: int
    inward: bool


class MaterialSchema(Schema):
    key: str
    name: str
    density: float
    grip: float
    bounce: float


class TurnSchema(Schema):
    joint: Annotated[str, Field(max_length=200)]
    axis: Literal["x", "y", "z"]
    degrees: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]


class PropDetail(Schema):
    """Everything the bench shows of one prop."""

    prop: PropSchema
    unit: str
    up: str
    sides: list[SideSchema]
    health: HealthSchema
    questions: list[QuestionSchema]
    joints: list[str]
    turns: list[TurnSchema]
    poses: list[PropSchema]
    materials: list[MaterialSchema]
    own_mass: bool
    centre: Triple
    standing: int


class PropChanges(Schema):
    """What is left out stays; null for mass, grip, bounce or fall means as the material has it. ``fall``: metres onto
    something hard before it breaks, 0 for never."""

    name: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    category: Annotated[str, Field(min_length=1, max_length=60)] | None = None
    tags: Annotated[list[Annotated[str, Field(min_length=1, max_length=40)]], Field(max_length=30)] | None = None
    material: Annotated[str, Field(max_length=20)] | None = None
    mass: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] | None = None
    grip: Annotated[float, Field(ge=0, le=3, allow_inf_nan=False)] | None = None
    bounce: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None = None
    fall: Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)] | None = None
    contact: Literal["", "ball", "box", "capsule", "hull", "parts"] | None = None
    unit: Literal["", "mm", "cm", "m", "in", "ft"] | None = None
    up: Literal["", "y", "z"] | None = None


class ContactSchema(Schema):
    """A contact shape and its error in metres; ``problem`` says why there is none."""

    kind: str
    parts: int
    bulge: float
    uncovered: float
    good: bool
    problem: str | None
    file: str | None


class PoseAsked(Schema):
    name: Annotated[str, Field(min_length=1, max_length=80)]
    turns: Annotated[list[TurnSchema], Field(min_length=1, max_length=200)]


class HouseItem(Schema):
    """Something the prop house lends. ``state``: what became of the visitor's order; ``prop``: what came."""

    key: str
    name: str
    says: str
    state: Literal["there", "ordered", "delivered"]
    prop: str | None


class BearerAsked(Schema):
    """Measures in metres; those that a kind has no use for are ignored."""

    kind: Literal["floor", "wall", "shelf", "steps", "sweep", "box"]
    name: Annotated[str, Field(min_length=1, max_length=200)] | None = None
    across: Annotated[float, Field(gt=0.01, le=500)] = 3.0
    along: Annotated[float, Field(gt=0.01, le=500)] = 3.0
    height: Annotated[float, Field(gt=0.01, le=100)] = 2.4
    thickness: Annotated[float, Field(gt=0.001, le=5)] = 0.1
    radius: Annotated[float, Field(gt=0.01, le=50)] = 0.8
    count: Annotated[int, Field(ge=1, le=60)] = 4


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
    owner: str | None


class SetSchema(Schema):
    key: uuid.UUID
    name: str
    tolerance: float
    trolley: list[str]
    dressers: list[str]
    own: bool
    revision: int
    look: LookSchema | None
    pieces: list[PieceSchema]
    regions: list[RegionSchema]
    ties: list[TieSchema]
    recipes: list[RecipeSchema]
    cut_outs: list[CutOutSchema]
    prop_changes: list[PropChangeSchema]
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
    left: list[LeftSchema]
    can_undo: str | None
    can_redo: str | None


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


class SetLook(Schema):
    """Where a set is looked at from when it is opened. It is no part of the set: everything else changes by moves."""

    look: LookSchema


class Dresser(Schema):
    username: Annotated[str, Field(min_length=1, max_length=150)]


PropKeys = Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=200)]


class SettleAsked(Schema):
    """How gravity is to act. Lengths in metres; ``calm`` 0 as things fall, 1 as if in honey. ``hand``:
    pieces are shoved meanwhile, over the WebSocket. ``breaks``: metres of the smallest shard; null: nothing breaks.
    ``boxed``: props that fall as their boxes, since they have no other contact shape."""

    keys: Keys
    lift: Annotated[float, Field(ge=0, le=10)] = 0.0
    jitter: Annotated[float, Field(ge=0, le=0.5)] = 0.0
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0
    calm: Annotated[float, Field(ge=0, le=1)] = 0.3
    seconds: Annotated[float, Field(gt=0.1, le=600)] = 8.0
    hand: bool = False
    breaks: Annotated[float, Field(ge=0.005, le=0.5)] | None = None
    trials: Annotated[int, Field(ge=1, le=12)] = 1
    boxed: PropKeys = Field(default_factory=list)


PourFactor = Annotated[float, Field(ge=0.05, le=20)]


class PourAsked(Schema):
    """What is poured, and how; over the WebSocket goes where. Lengths in metres, ``rate`` a second, ``most`` in all;
    ``calm`` 0 as things fly, 1 as if in honey. ``at``: where the stream begins; null: it waits."""

    props: Annotated[list[Annotated[str, Field(max_length=80)]], Field(min_length=1, max_length=24)]
    at: Triple | None = None
    rate: Annotated[float, Field(ge=0.5, le=30)] = 8.0
    most: Annotated[int, Field(ge=1, le=1000)] = 200
    size: tuple[PourFactor, PourFactor] = (1.0, 1.0)
    tumbled: bool = True
    spread: Annotated[float, Field(ge=0, le=5)] = 0.1
    fall: Annotated[float, Field(ge=0, le=3)] = 0.05
    calm: Annotated[float, Field(ge=0, le=1)] = 0.6
    large_first: bool = False
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0
    breaks: Annotated[float, Field(ge=0.005, le=0.5)] | None = None
    boxed: PropKeys = Field(default_factory=list)


class PosedSchema(Schema):
    key: str
    pose: PoseSchema


class WholeSchema(Schema):
    name: str
    reason: str


class OutcomeSchema(Schema):
    """One trial: where everything came to lie, its figures, and what is still wrong.

    ``born``: pieces that are new, poured or shards; ``files``: models of props that are not in the store yet, by key;
    ``gone``: keys of what broke; ``whole``: what would have broken, but cannot.
    """

    seed: int
    score: float
    spread: float
    height: float
    seconds: float
    named: list[LeftSchema]
    poses: list[PosedSchema]
    born: list[PieceSchema]
    files: dict[str, str]
    gone: list[str]
    whole: list[WholeSchema]


class LackSchema(Schema):
    """A prop that has no contact shape, and why."""

    key: str
    name: str
    reason: str


class JobSchema(Schema):
    key: str
    state: Literal["running", "done", "stopped", "failed"]
    words: str
    share: float
    problem: str | None
    lacking: list[LackSchema]
    outcomes: list[OutcomeSchema]


class Adoption(Schema):
    """``keys``: only these; null adopts all."""

    trial: int = 0
    keys: Keys | None = None
