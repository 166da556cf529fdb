"""Adjust: the set's own name, tolerance and trolley."""

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.geometry.lengths import in_words
from brickseat_core.moves.fields import Key, Name
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import SETTINGS_KEY, Change, Delta

MOST_ON_TROLLEY = 2000
Props = Annotated[tuple[Key, ...], Field(max_length=MOST_ON_TROLLEY)]


@dataclass(frozen=True)
class AdjustMove:
    """The set's own name, its tolerance in metres, and the props that go onto its trolley or off it; what is left out stays.

    The trolley is changed and not given whole, so that two dressers who pack it at once do not unpack each other's.
    """

    kind: Literal["adjust"]
    name: Name | None = None
    tolerance_m: Annotated[float, Field(ge=1e-5, le=0.1, allow_inf_nan=False)] | None = None
    trolley_add: Props = ()
    trolley_remove: Props = ()


def compute(scene: Scene, move: AdjustMove) -> Outcome:
    """The settings written anew where they differ. Raises MoveRefused for an empty name or a trolley too full."""
    before = after = scene.dressed.settings
    said = []
    if move.name is not None and move.name.strip() != before.name:
        if not move.name.strip():
            raise MoveRefused("a set has a name; give it one")
        after = replace(after, name=move.name.strip())
        said.append(f"named the set “{after.name}”")
    if move.tolerance_m is not None and move.tolerance_m != before.tolerance:
        after = replace(after, tolerance=move.tolerance_m)
        said.append(f"set the tolerance to {in_words(move.tolerance_m)}")
    kept = [key for key in before.trolley if key not in set(move.trolley_remove)]
    trolley = tuple(dict.fromkeys([*kept, *move.trolley_add]))
    if len(trolley) > MOST_ON_TROLLEY:
        raise MoveRefused(f"a trolley holds {MOST_ON_TROLLEY} props at most; wheel some off first")
    if trolley != before.trolley:
        after = replace(after, trolley=trolley)
        came = len(set(trolley) - set(before.trolley))
        went = len(set(before.trolley) - set(trolley))
        moved = [
            f"{n} prop{'' if n == 1 else 's'} {where} the trolley" for n, where in ((came, "onto"), (went, "off")) if n
        ]
        said.append(f"wheeled {' and '.join(moved)}")
    deltas = (Delta("set", SETTINGS_KEY, before, after),) if after != before else ()
    return Outcome(Change(" and ".join(said) or "adjusted nothing", deltas))


REGISTRY.register(AdjustMove, compute)
