"""Stand: a bearer brought onto the set."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import FreshNames, taken_names
from brickseat_core.moves.fields import Key, PoseForm
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, Piece, piece_delta


@dataclass(frozen=True)
class StandMove:
    """A bearer brought onto the set; it stays exactly where it is put."""

    kind: Literal["stand"]
    prop: Key
    pose: PoseForm


def compute(scene: Scene, move: StandMove) -> Outcome:
    """One new bearer, with a name that is free. Raises MoveRefused when there is no such prop."""
    prop = scene.prop(move.prop)
    taken = taken_names(scene)
    name = prop.name if prop.name not in taken else FreshNames(taken).of(prop.name)
    piece = Piece(scene.fresh_key(), name, prop, move.pose.pose(), "bearer")
    return Outcome(Change(f"brought {name}", (piece_delta(None, piece),)))


REGISTRY.register(StandMove, compute)
