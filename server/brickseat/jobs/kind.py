"""What a kind of job is: one class, which the API, the runner and adoption know by its name."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Container, Iterable
from typing import Any, ClassVar, Generic, TypeVar

from ninja import Schema

from brickseat.jobs.base import Moved
from brickseat.jobs.outcome import Outcome
from brickseat.jobs.running import Failed, Job
from brickseat.jobs.shards import shelve_shards
from brickseat.sets.session import LiveSet
from brickseat.sets.snapshot import Snapshot
from brickseat.store.models import StoredProp
from brickseat_core.moves.adopt import AdoptMove
from brickseat_core.scene import Prop
from brickseat_core.scene.encoding import decode_piece, decode_pose

Asked = TypeVar("Asked", bound=Schema)
NAMED = 3
"""Of what has changed, in words; the others are counted."""
Run = Callable[[Job], list[Outcome]]


class MovedSince(Failed):
    """The set has changed since the job began, so that its outcome would undo that, or may no longer fit. ``pieces``: keys of those that
    it would put elsewhere or take away."""

    def __init__(self, moved: Moved) -> None:
        said = []
        if moved.own:
            said.append(
                f"{in_short(moved.own.values())} changed since this was begun, and would lie where it fell then"
            )
        if moved.near:
            said.append(f"{in_short(moved.near.values())} beside it changed since this was begun")
        super().__init__("; ".join(said) + ": adopt it all the same, or begin again")
        self.pieces = tuple(moved.own)


class JobKind(ABC, Generic[Asked]):
    """``name``: in addresses and on the wire. ``asked``: the schema of what is asked for. ``summary``: what it does, for the published API."""

    name: ClassVar[str]
    summary: ClassVar[str]
    asked: type[Asked]

    @abstractmethod
    def prepare(self, now: Snapshot, asked: Asked, prop: Callable[[str], Prop]) -> Run:
        """What is to run in the background, on the set as it is now. ``prop``: the prop of a key that the asker may see.

        Raises Failed where it cannot begin.
        """

    def adopt(self, job: Job, outcome: Outcome, keys: Container[str] | None, anyway: bool, live: LiveSet) -> Any:
        """The move that takes over an outcome: all of it, or only the pieces of ``keys``.

        ``anyway``: also over what somebody has changed since the job began. Shards that it needs go into the store. What broke is gone as
        soon as any of its shards is adopted. Raises Failed where there is nothing to adopt, MovedSince, and FileError.
        """
        there = live.snapshot.dressed.pieces
        fresh = {record["key"]: record for record in outcome.born}
        wanted = [(p["key"], decode_pose(p["pose"])) for p in outcome.poses if keys is None or p["key"] in keys]
        if not wanted:
            raise Failed("none of the selected pieces was settled; select some that were, or adopt all")
        since = job.base.moved(live.snapshot, outcome, keys)
        if not anyway and (since.own or since.near):
            raise MovedSince(since)
        moved = [(key, pose) for key, pose in wanted if key not in fresh and key in there]
        born = [fresh[key] for key, _ in wanted if key in fresh]
        shelve_shards(job, (record["prop"] for record in born))
        broken = {outcome.broke.get(record["key"]) for record in born}
        gone = tuple(k for k in outcome.gone if (keys is None or k in broken) and k in there)
        try:
            pieces = tuple(decode_piece(record, live.prop) for record in born)
        except StoredProp.DoesNotExist:
            raise Failed("a prop of what fell is gone from the store; settle again") from None
        return AdoptMove("adopt", tuple(k for k, _ in moved), tuple(pose for _, pose in moved), pieces, gone)


def in_short(names: Iterable[str]) -> str:
    """The first few of some names, and how many more there are."""
    listed = list(names)
    more = len(listed) - NAMED
    return ", ".join(listed[:NAMED]) + (f" and {more} more" if more > 0 else "")
