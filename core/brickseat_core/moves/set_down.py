"""Set down: a new piece, as the ghost showed it."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import FreshNames, taken_names
from brickseat_core.moves.fields import Key, Length, PoseForm, Vector, unit_vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, Piece, piece_delta


@dataclass(frozen=True)
class SetDownMove:
    """A new piece of a prop at a pose, as the ghost showed it: exactly there."""

    kind: Literal["set_down"]
    prop: Key
    pose: PoseForm
    direction: Vector = (0.0, -1.0, 0.0)
    sink: Length = 0.0
    stand_off: Length = 0.0


def compute(scene: Scene, move: SetDownMove) -> Outcome:
    """One new piece, with a name that is free. Raises MoveRefused when there is no such prop."""
    prop = scene.prop(move.prop)
    name = FreshNames(taken_names(scene)).of(prop.name)
    piece = Piece(
        scene.fresh_key(),
        name,
        prop,
        move.pose.pose(),
        "prop",
        unit_vector(move.direction),
        move.sink,
        move.stand_off,
    )
    return Outcome(Change(f"set down {name}", (piece_delta(None, piece),)))


REGISTRY.register(SetDownMove, compute)
