"""Adjust a tie: what it keeps, or whether it is locked."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.constraints.tie_measures import tie_words
from brickseat_core.moves.fields import Degrees, Key, Length, Share
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta


@dataclass(frozen=True)
class AdjustTieMove:
    """Another distance, angle or lean of a tie; its piece follows at once. What is left out stays as it is."""

    kind: Literal["adjust_tie"]
    tie: Key
    distance_m: Length | None = None
    at_least: bool | None = None
    angle_deg: Degrees | None = None
    lean: Share | None = None
    locked: bool | None = None


def compute(scene: Scene, move: AdjustTieMove) -> Outcome:
    """The tie as it is from now on. Raises MoveRefused where it is gone."""
    tie = scene.dressed.ties.get(move.tie)
    if tie is None:
        raise MoveRefused("that tie is no longer there; somebody loosened it")
    given = {
        "distance": move.distance_m,
        "at_least": move.at_least,
        "angle": move.angle_deg,
        "lean": move.lean,
        "locked": move.locked,
    }
    # Each value was checked against its own type when the move came in.
    after = replace(tie, **{name: value for name, value in given.items() if value is not None})  # type: ignore[arg-type]
    deltas = (Delta("tie", tie.key, tie, after),) if after != tie else ()
    locking = move.locked is not None and replace(after, locked=tie.locked) == tie
    did = ("locked" if move.locked else "unlocked") if locking else "adjusted"
    return Outcome(Change(f"{did} {tie_words(after, scene.dressed)}", deltas))


REGISTRY.register(AdjustTieMove, compute, quick=True)
