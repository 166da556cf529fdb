"""Mark out: a volume that nothing may stand in, or that is filled: drawn as paper, it bears nothing and hits nothing."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import FreshNames, taken_names
from brickseat_core.moves.fields import Key, PoseForm, Text
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta, Region


@dataclass(frozen=True)
class MarkOutMove:
    """A new region of the closed shape of a prop, at a pose. ``name``: what it is called; as its prop by default."""

    kind: Literal["mark_out"]
    prop: Key
    pose: PoseForm
    name: Text = ""


def compute(scene: Scene, move: MarkOutMove) -> Outcome:
    """One new region, with a name that neither a piece nor a region has. Raises MoveRefused where the shape is not closed."""
    prop = scene.prop(move.prop)
    if not prop.mesh.health.closed:
        raise MoveRefused(f"{prop.name} is not closed, so that nothing is inside of it; choose another shape")
    taken = taken_names(scene) | {region.name for region in scene.dressed.regions.values()}
    wanted = move.name or prop.name
    name = wanted if move.name and wanted not in taken else FreshNames(taken).of(wanted)
    region = Region(scene.fresh_key(), name, prop, move.pose.pose())
    return Outcome(Change(f"marked out {name}", (Delta("region", region.key, None, region),)))


REGISTRY.register(MarkOutMove, compute)
