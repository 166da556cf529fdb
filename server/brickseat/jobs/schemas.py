"""A job on the wire: how it goes, and what came of it. Lengths in metres. What is asked is with its kind."""

from typing import Annotated

from ninja import Schema
from pydantic import WithJsonSchema

from brickseat.jobs.kinds import KINDS
from brickseat.jobs.running import Phase, State
from brickseat.sets.schemas import LeftSchema, PieceSchema, PoseSchema
from brickseat_core.moves.fields import Pieces as Keys
from brickseat_core.recipes.fill_schema import FillRecipe

KindName = Annotated[str, WithJsonSchema({"type": "string", "enum": sorted(KINDS)})]


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
    """``phase``: what it does now; ``count`` of ``total`` of that is done, where it can be counted; ``share`` of the whole. ``revision``: of
    the set that it is computed on."""

    key: str
    kind: KindName
    state: State
    phase: Phase
    count: int
    total: int
    share: float
    revision: int
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
    """``keys``: only these; null adopts all. ``anyway``: also where that undoes what was changed since the job began, or lies beside it."""

    trial: int = 0
    keys: Keys | None = None
    anyway: bool = False
