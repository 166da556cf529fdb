"""Settle: gravity acts on pieces of the set, once and seen live, or several times side by side."""

from collections.abc import Callable
from typing import Annotated

from ninja import Schema
from pydantic import Field

from brickseat.jobs.contact_shapes import PropKeys
from brickseat.jobs.falling import Fall
from brickseat.jobs.kind import JobKind, Run
from brickseat.sets.snapshot import Snapshot
from brickseat_core.gravity.settling import SettleSlip
from brickseat_core.moves.fields import Pieces as Keys
from brickseat_core.scene import Prop


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


class Settle(JobKind[SettleAsked]):
    name = "settle"
    summary = "Let gravity act on pieces, in the background; frames and the end come over the WebSocket."
    asked = SettleAsked

    def prepare(self, now: Snapshot, asked: SettleAsked, prop: Callable[[str], Prop]) -> Run:
        """Raises Failed where nothing of what is chosen may move."""
        slip = SettleSlip(
            asked.lift, asked.jitter, asked.seed, asked.calm, asked.seconds, hand=asked.hand, breaks=asked.breaks
        )
        return Fall(now, slip, tuple(asked.boxed), keys=tuple(asked.keys), trials=asked.trials).run


KIND = Settle()
