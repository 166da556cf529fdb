"""A job on the wire: what is asked, how it goes, and what came of it. Lengths in metres."""

from typing import Annotated

from ninja import Schema
from pydantic import Field

from brickseat.jobs.running import JobKind, Phase, State
from brickseat.sets.schemas import LeftSchema, PieceSchema, PoseSchema
from brickseat_core.moves.fields import Key
from brickseat_core.moves.fields import Pieces as Keys
from brickseat_core.moves.fields import Vector as Triple
from brickseat_core.recipes.fill_schema import FillRecipe

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


class FillTrialsAsked(Schema):
    """A bay to be filled in several ways, from the seed of the recipe on. ``again``: the recipe whose pieces would make room."""

    recipe: FillRecipe
    trials: Annotated[int, Field(ge=2, le=12)] = 6
    again: Key | None = None


class PosedSchema(Schema):
    """Where one piece lies."""

    key: str
    pose: PoseSchema


class WholeSchema(Schema):
    """What was struck hard enough to break, by name, and why it did not."""

    name: str
    reason: str


class OutcomeSchema(Schema):
    """One trial: where everything came to lie, its figures, and what is still wrong.

    ``born``: pieces that are new, poured or shards; ``files``: models of props that are not in the store yet, by key;
    ``gone``: keys of what broke or makes room, and ``broke``: which of them each shard is of; ``whole``: what would have broken, but
    cannot. ``recipe``: of a filling, the one that places it so, and ``words``: how much that is.
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
    broke: dict[str, str]
    gone: list[str]
    whole: list[WholeSchema]
    recipe: FillRecipe | None = None
    words: str = ""


class LackSchema(Schema):
    """A prop that has no contact shape, and why."""

    key: str
    name: str
    reason: str


class JobSchema(Schema):
    """``phase``: what it does now; ``count`` of ``total`` of that is done, where it can be counted; ``share`` of the whole."""

    key: str
    kind: JobKind
    state: State
    phase: Phase
    count: int
    total: int
    share: float
    problem: str | None
    lacking: list[LackSchema]
    outcomes: list[OutcomeSchema]


class CastSchema(Schema):
    """Who falls in a job, by the rows of its frames from ``first`` on: key, and pose before the fall. ``joined``: those that
    are new; ``files``: models that are not in the store, by prop; ``gone``: keys of all that broke so far."""

    job: str
    first: int
    keys: list[str]
    starts: list[PoseSchema]
    joined: list[PieceSchema]
    files: dict[str, str]
    gone: list[str]


class Adoption(Schema):
    """``keys``: only these; null adopts all."""

    trial: int = 0
    keys: Keys | None = None
