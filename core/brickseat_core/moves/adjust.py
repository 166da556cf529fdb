"""Adjust: the set's own name, tolerance and trolley."""

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.meshes.lengths import in_words
from brickseat_core.moves.fields import Key, Name
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import SETTINGS_KEY, Change, Delta


@dataclass(frozen=True)
class AdjustMove:
    """The set's own name, its tolerance in metres, and the props on its trolley; what is left out stays as it is."""

    kind: Literal["adjust"]
    name: Name | None = None
    tolerance_m: Annotated[float, Field(ge=1e-5, le=0.1, allow_inf_nan=False)] | None = None
    trolley: Annotated[tuple[Key, ...], Field(max_length=2000)] | None = None


def compute(scene: Scene, move: AdjustMove) -> Outcome:
    """The settings written anew where they differ. Raises MoveRefused for an empty name."""
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
    if move.trolley is not None and tuple(dict.fromkeys(move.trolley)) != before.trolley:
        after = replace(after, trolley=tuple(dict.fromkeys(move.trolley)))
        came = len(set(after.trolley) - set(before.trolley))
        went = len(set(before.trolley) - set(after.trolley))
        moved = [
            f"{n} prop{'' if n == 1 else 's'} {where} the trolley" for n, where in ((came, "onto"), (went, "off")) if n
        ]
        said.append(f"wheeled {' and '.join(moved)}" if moved else "put the trolley in another order")
    deltas = (Delta("set", SETTINGS_KEY, before, after),) if after != before else ()
    return Outcome(Change(" and ".join(said) or "adjusted nothing", deltas))


REGISTRY.register(AdjustMove, compute)
