"""What else goes in and out of the API: props, sets as a whole, visitors. Checked here once; inside, types are trusted.
Lengths in metres."""

import uuid
from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from brickseat.sets.schemas import (
    CutOutSchema,
    FitSchema,
    FrameSchema,
    MeasureSchema,
    PieceSchema,
    PoseSchema,
    PropChangeSchema,
    RecipeSchema,
    RegionSchema,
    SeatSchema,
    TieSchema,
)
from brickseat_core.moves.fields import Key, Name, Number
from brickseat_core.moves.fields import Vector as Triple
from brickseat_core.recipes.fill_schema import FillRule
from brickseat_core.recipes.scatter_schema import ScatterRecipe


class QuestionSchema(Schema):
    about: Literal["unit", "up"]
    proposal: str
    text: str


class TurnSchema(Schema):
    joint: Annotated[str, Field(max_length=200)]
    axis: Literal["x", "y", "z"]
    degrees: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]


class PropSchema(Schema):
    key: str
    name: str
    category: str
    role: Literal["bearer", "prop"]
    direction: Triple
    width: float
    height: float
    depth: float
    corner: Triple | None
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
    seats: list[SeatSchema]
    joints: list[str]
    turns: list[TurnSchema]
    mine: bool
    posed_from: str | None
    came_of: str | None
    doubt: QuestionSchema | None
    file: str


class UnlistedSchema(Schema):
    """A prop that the store does not show. ``of``: name of what it came of; ``standing``: copies on sets; ``undoable``: a change names it
    that can be undone or done again."""

    key: str
    name: str
    of: str | None
    size: int
    standing: int
    undoable: bool


class SpaceSchema(Schema):
    props: int
    most_props: int
    bytes: int
    most_bytes: int
    unlisted: list[UnlistedSchema]


class FreedSchema(Schema):
    freed: int


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


class CatchAsked(Schema):
    """A ray in the prop's own coordinates. ``pixel``: radians between two pixels."""

    origin: Triple
    direction: Triple
    pixel: Annotated[float, Field(gt=0, le=0.1)]


class CaughtSchema(Schema):
    """What of the prop is near the ray, and the frame of a seat there; nothing where ``what`` is null."""

    what: Literal["corner", "edge", "middle", "centre", "face"] | None
    frame: FrameSchema | None


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
    seats: Annotated[list[SeatSchema], Field(max_length=200)] | None = None
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


class PieceTurns(Schema):
    """How the joints of a piece are turned; none for as it came."""

    turns: Annotated[list[TurnSchema], Field(max_length=200)]


class PlaceAsked(Schema):
    """A place in the world, in metres."""

    x: Annotated[float, Field(ge=-1e6, le=1e6)]
    y: Annotated[float, Field(ge=-1e6, le=1e6)]
    z: Annotated[float, Field(ge=-1e6, le=1e6)]


class LimbSchema(Schema):
    """The joint that moves a place of a piece; ``pivot`` where it turns, ``axes`` its own x, y and z, in the world."""

    joint: str | None
    pivot: Triple
    axes: tuple[Triple, Triple, Triple]


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


class SetPicture(Schema):
    """A small JPEG, as base64."""

    picture: Annotated[str, Field(max_length=600_000)]


class SetCard(Schema):
    """``picture``: where the picture of it is; null where none was drawn yet, and its plan is shown."""

    key: uuid.UUID
    name: str
    pieces: int
    counts: dict[str, int]
    plan: list[tuple[float, float, float, float, str]]
    changed: datetime
    owner: str | None
    picture: str | None


class FileGroup(Schema):
    """Something of a file that may be one piece, or several. ``times``: how many of that name there are, each of so many ``parts``.
    ``picture``: polygons in a square of 100 by 100, the farthest first: corners, and a shade from 0 to 1."""

    name: str
    times: int
    parts: int
    likely_whole: bool
    picture: list[tuple[str, float]]


class SetSchema(Schema):
    """A whole set. ``shapes``: by piece, the model it is drawn by instead of its prop's."""

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
    measures: list[MeasureSchema]
    shapes: dict[str, str]
    props: list[PropSchema]
    can_undo: str | None
    can_redo: str | None


class HistorySchema(Schema):
    """``elsewhere``: it happened to a prop of the set, in the store; it cannot be taken back here."""

    number: int
    words: str
    at: datetime
    actor: str | None
    undone: bool
    elsewhere: bool


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
    username: Annotated[str, Field(max_length=150)]
    password: Annotated[str, Field(max_length=1000)]


class ChosenKey(Schema):
    """``press``: modifiers and the place of the key on the keyboard (a code of UI Events), joined by +; ``shown``: as it is written."""

    press: Annotated[str, Field(min_length=1, max_length=60)]
    shown: Annotated[str, Field(min_length=1, max_length=40)]


class ChosenKeys(Schema):
    """Keys by the name of their command."""

    keys: Annotated[dict[Annotated[str, Field(max_length=60)], ChosenKey], Field(max_length=200)]


class KeysAsked(Schema):
    keys: Annotated[list[Annotated[str, Field(max_length=80)]], Field(min_length=1, max_length=100)]


class NewSet(Schema):
    name: Annotated[str, Field(min_length=1, max_length=200)]


class SetLook(Schema):
    """Where a set is looked at from when it is opened. It is no part of the set: everything else changes by moves."""

    look: LookSchema


class Dresser(Schema):
    username: Annotated[str, Field(min_length=1, max_length=150)]


class BayAsked(Schema):
    """Where was pressed: a point of a surface, and the unit normal there."""

    point: Triple
    normal: Triple


class BaySchema(Schema):
    """The compartment about a point: the pose of a box of one metre. ``floor``: key of what it stands on."""

    pose: PoseSchema
    floor: str


class ListAsked(Schema):
    """A list of props as CSV. Props go by the names of those on the trolley."""

    text: Annotated[str, Field(max_length=1_000_000)]
    props: Annotated[dict[Name, Key], Field(max_length=10_000)]


class ListSchema(Schema):
    """The props of a fill recipe."""

    props: list[FillRule]


class ListWritten(Schema):
    """A list of props as CSV."""

    text: str


class ListToWrite(Schema):
    """The props of a fill recipe, and their names by key."""

    props: Annotated[list[FillRule], Field(max_length=100)]
    names: Annotated[dict[Key, str], Field(max_length=10_000)]


class DotsAsked(Schema):
    """A recipe that is not laid yet. ``again``: the one whose pieces it would take the place of."""

    recipe: ScatterRecipe
    again: Key | None = None


class DotsSchema(Schema):
    """``points``: x, y, z of each in metres, one after the other. ``wanted``: how many pieces there would be at most. ``barred``: points of the
    ground, some ``apart`` metres from each other, where the recipe lays nothing."""

    points: list[float]
    wanted: int
    barred: list[float]
    apart: float
