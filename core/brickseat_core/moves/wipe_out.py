"""Wipe out: regions taken away."""

from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.moves.fields import Key
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta


@dataclass(frozen=True)
class WipeOutMove:
    """Regions taken away. A recipe that names one says so when it is laid again."""

    kind: Literal["wipe_out"]
    regions: Annotated[tuple[Key, ...], Field(min_length=1, max_length=1000)]


def compute(scene: Scene, move: WipeOutMove) -> Outcome:
    """The regions gone. Raises MoveRefused where one is not there."""
    found = [scene.dressed.regions.get(key) for key in dict.fromkeys(move.regions)]
    regions = [region for region in found if region is not None]
    if len(regions) < len(found):
        raise MoveRefused("that volume is no longer there; somebody wiped it out")
    what = regions[0].name if len(regions) == 1 else f"{len(regions)} volumes"
    return Outcome(Change(f"wiped out {what}", tuple(Delta("region", r.key, r, None) for r in regions)))


REGISTRY.register(WipeOutMove, compute)
