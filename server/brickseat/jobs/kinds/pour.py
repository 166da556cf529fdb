"""Pour: props stream under the pointer and pile up; everything that stands there already is fixed."""

from collections.abc import Callable
from typing import Annotated

from ninja import Schema
from pydantic import Field

from brickseat.jobs.contact_shapes import PropKeys
from brickseat.jobs.falling import Fall
from brickseat.jobs.kind import JobKind, Run
from brickseat.sets.snapshot import Snapshot
from brickseat_core.gravity.pouring import PourSlip
from brickseat_core.gravity.settling import SettleSlip
from brickseat_core.moves.fields import Vector as Triple
from brickseat_core.scene import Prop

LONGEST_S = 600.0
"""Of simulated time."""
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


class Pour(JobKind[PourAsked]):
    name = "pour"
    summary = "Pour props under the pointer, in the background; everything that stands there already is fixed."
    asked = PourAsked

    def prepare(self, now: Snapshot, asked: PourAsked, prop: Callable[[str], Prop]) -> Run:
        """Never fails here."""
        stream = PourSlip(
            tuple(prop(key) for key in dict.fromkeys(asked.props)),
            rate=asked.rate,
            most=asked.most,
            size=asked.size,
            tumbled=asked.tumbled,
            spread=asked.spread,
            fall=asked.fall,
            lively=1.0 - asked.calm,
            large_first=asked.large_first,
            seed=asked.seed,
        )
        slip = SettleSlip(seed=asked.seed, calm=asked.calm, seconds=LONGEST_S, breaks=asked.breaks)
        return Fall(now, slip, tuple(asked.boxed), pour=stream, at=asked.at).run


KIND = Pour()
