"""Reshape: a region made another size, or put elsewhere."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.fields import Key, PoseForm
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta


@dataclass(frozen=True)
class ReshapeMove:
    """A region at another pose, its size in its scale. What recipes laid by it stays until they are laid again."""

    kind: Literal["reshape"]
    region: Key
    pose: PoseForm


def compute(scene: Scene, move: ReshapeMove) -> Outcome:
    """The region where it is wanted. Raises MoveRefused where it is not there."""
    region = scene.dressed.regions.get(move.region)
    if region is None:
        raise MoveRefused("that volume is no longer there; somebody wiped it out")
    after = replace(region, pose=move.pose.pose())
    return Outcome(Change(f"reshaped {region.name}", (Delta("region", region.key, region, after),)))


REGISTRY.register(ReshapeMove, compute, quick=True)
