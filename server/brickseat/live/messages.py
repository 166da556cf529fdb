"""What goes over the WebSocket of a set, both ways. Every message is told apart by its ``kind``.

Frames of a job are binary: the 16 bytes of the job's key, then (n, 7) float32: position, and turn since the start as a
quaternion x, y, z, w, of each row of its cast.
"""

from typing import Annotated, Any, Literal, get_args

from ninja import Schema
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.json_schema import models_json_schema

from brickseat.jobs.schemas import CastSchema, JobSchema
from brickseat.sets.schemas import AnyMove, ChangeSchema, DeltaSchema, FitSchema, PieceSchema, PoseSchema
from brickseat_core.gravity.hand import Strength
from brickseat_core.moves.fields import Factor, Key, Length, Vector
from brickseat_core.placing.frames import Follow, TouchSide

MOST_HELD = 20_000


class RaySchema(BaseModel):
    """A ray from the eye through the pointer, in the world."""

    origin: Vector
    direction: Vector


class PointSlip(BaseModel):
    """How a prop is set down. ``turn``: radians; ``size``: a factor, or one for each of its own axes; lengths in metres."""

    side: TouchSide = "base"
    lean: Annotated[float, Field(ge=0, le=1)] = 0.0
    follow: Follow = "ground"
    turn: Annotated[float, Field(ge=-1e4, le=1e4)] = 0.0
    size: Factor | tuple[Factor, Factor, Factor] = 1.0
    sink: Length = 0.0
    stand_off: Length = 0.0
    aim: Vector | None = None


class PointQuestion(BaseModel):
    """Where does ``prop``, or the standing ``piece``, sit under this ray? The newest question counts."""

    kind: Literal["point"]
    n: int
    ray: RaySchema
    slip: PointSlip
    prop: Key | None = None
    piece: Key | None = None


class PreviewQuestion(BaseModel):
    """What would this move do? The newest question counts."""

    kind: Literal["preview"]
    n: int
    move: AnyMove


class CatchQuestion(BaseModel):
    """Which corner, edge, middle or centre is near this ray? ``pixel``: radians between two pixels. ``skip``: a piece that
    is looked through, ``only``: the one that is looked at, past its outline too. The newest question counts."""

    kind: Literal["catch"]
    n: int
    ray: RaySchema
    pixel: Annotated[float, Field(gt=0, le=0.1)]
    skip: Key | None = None
    only: Key | None = None


class HoldMessage(BaseModel):
    """Take hold of these pieces, so that nobody else moves them; of none to let go."""

    kind: Literal["hold"]
    keys: Annotated[list[Key], Field(max_length=MOST_HELD)]


class DrawnMessage(BaseModel):
    """A frame was drawn: the next may be sent."""

    kind: Literal["drawn"]
    job: Key


class PullMessage(BaseModel):
    """Pull grabbed pieces to a place while gravity acts; null lets them go."""

    kind: Literal["pull"]
    job: Key
    keys: Annotated[list[Key], Field(max_length=MOST_HELD)]
    to: Vector | None
    strength: Strength = "firm"


class StreamMessage(BaseModel):
    """Where the stream of a pour goes; null pauses it."""

    kind: Literal["stream"]
    job: Key
    to: Vector | None


class EnoughMessage(BaseModel):
    """A job that would go on may come to its end."""

    kind: Literal["enough"]
    job: Key


Question = PointQuestion | PreviewQuestion | CatchQuestion
Asked = Question | HoldMessage | DrawnMessage | PullMessage | StreamMessage | EnoughMessage
ASKED: TypeAdapter[Asked] = TypeAdapter(Annotated[Asked, Field(discriminator="kind")])


class ReadyNews(Schema):
    """The first message. ``stage``: the name of this stage. ``revision``: of the set now."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["ready"]
    revision: int
    stage: str


class PointedClash(Schema):
    """What it would be inside of there, and how deep in metres."""

    other: str
    name: str
    depth: float


class PointedNews(Schema):
    """Where it sits, on the set of ``revision``; without a pose, nowhere. ``n``: of the question."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["pointed"]
    n: int
    revision: int
    pose: PoseSchema | None
    direction: Vector | None = None
    touch: Vector | None = None
    normal: Vector | None = None
    on: str | None = None
    clashes: list[PointedClash] = Field(default_factory=list)
    problem: str | None = None


class CaughtNews(Schema):
    """What the pointer is near; nothing where ``what`` is null. ``ends``: of the edge it lies on. ``clock``: 12 o'clock of
    a seat there, as ``facing`` would be its facing."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["caught"]
    n: int
    revision: int
    what: Literal["corner", "edge", "middle", "centre", "face"] | None
    on: str | None = None
    point: Vector | None = None
    facing: Vector | None = None
    clock: Vector | None = None
    ends: tuple[Vector, Vector] | None = None


class PreviewedNews(Schema):
    """The records as the move would leave them. ``shapes``: by piece, the models that would be other ones."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["previewed"]
    n: int
    revision: int
    words: str
    deltas: list[DeltaSchema]
    shapes: dict[str, str]


class RefusedNews(Schema):
    """A question that has no answer, and why. ``n``: of the question, null where it was not understood."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["refused"]
    n: int | None
    error: str
    ties: list[str]


class HeldNews(Schema):
    """What is held now. ``by``: who else holds something of what was asked for; then nothing is held."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["held"]
    keys: list[str]
    by: str | None


class OnlookerSchema(Schema):
    """Somebody who has the set open, and the pieces that they hold."""

    stage: str
    name: str
    holding: list[str]


class PresenceNews(Schema):
    """Who has the set open."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["presence"]
    here: list[OnlookerSchema]


class ChangedNews(ChangeSchema):
    """The set was changed."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["changed"]


class MeasuredNews(Schema):
    """How deep the pieces are in each other of which it was only known that they are. ``revision``: of the set."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["measured"]
    revision: int
    fits: list[FitSchema]


class JobNews(Schema):
    """How a job goes, or what came of it."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["job"]
    job: JobSchema


class CastNews(CastSchema):
    """Who falls in a job: those that join it, or all of them for a stage that opens while it runs."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["cast"]


class PropNews(Schema):
    """A prop was made anew: its model and its figures are others."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["prop"]
    prop: str


class UnderWayNews(Schema):
    """A move that takes its time. ``ask``: its name; ``total``: 0 where nobody knows it. ``pieces``: what it placed since that was sent
    last; they stand on the set when the move is made."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["under_way"]
    ask: str
    done: int
    total: int
    pieces: list[PieceSchema]


News = (
    ReadyNews
    | PointedNews
    | PreviewedNews
    | CaughtNews
    | RefusedNews
    | HeldNews
    | PresenceNews
    | ChangedNews
    | MeasuredNews
    | JobNews
    | CastNews
    | PropNews
    | UnderWayNews
)
NEWS: TypeAdapter[News] = TypeAdapter(Annotated[News, Field(discriminator="kind")])


class NotUnderstood(ValueError):
    """A message that is none of ours, or a question that has no answer; says why. ``n``: of the question, if it had one.

    ``ties``: keys of those that are in the way of the move that was asked about.
    """

    def __init__(self, words: str, n: int | None = None, ties: tuple[str, ...] = ()) -> None:
        super().__init__(words)
        self.n = n
        self.ties = ties


def understood(text: str) -> Asked:
    """A message of a stage. Raises NotUnderstood."""
    try:
        return ASKED.validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"][1:]) or "the message"
        given = first["input"] if isinstance(first["input"], dict) else {}
        raise NotUnderstood(f"{where}: {first['msg'][:1].lower()}{first['msg'][1:]}", number_in(text, given)) from None


def number_in(text: str, given: dict[str, Any]) -> int | None:
    """The number of a question that could not be read, so that whoever asked learns that it failed."""
    if isinstance(given.get("n"), int):
        return int(given["n"])
    try:
        found: dict[str, int] = TypeAdapter(dict[str, Any]).validate_json(text)
    except ValidationError:
        return None
    return found.get("n") if isinstance(found.get("n"), int) else None


def message_schemas() -> dict[str, Any]:
    """The JSON schemas of all messages by name, for the published schema: ``Asked`` and ``News`` are their unions."""
    asked, news = get_args(Asked), get_args(News)
    _, found = models_json_schema(
        [*((m, "validation") for m in asked), *((m, "serialization") for m in news)],
        ref_template="#/components/schemas/{model}",
    )
    schemas: dict[str, Any] = found["$defs"]
    for name, members in (("Asked", asked), ("News", news)):
        schemas[name] = {"oneOf": [{"$ref": f"#/components/schemas/{m.__name__}"} for m in members]}
    return schemas
