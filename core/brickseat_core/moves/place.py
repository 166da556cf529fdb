"""Place: one piece to another pose."""

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.obeying import after_motion
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Key, PoseForm, Vector, unit_vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place


@dataclass(frozen=True)
class PlaceMove:
    """One piece to another pose; ``reseat`` sets it down anew from there."""

    kind: Literal["place"]
    piece: Key
    pose: PoseForm
    direction: Vector | None = None
    reseat: bool = False


def compute(scene: Scene, move: PlaceMove) -> Outcome:
    """The piece at its new pose, set down from there when that is asked for. Raises MoveRefused."""
    (piece,) = chosen(scene, [move.piece])
    direction = unit_vector(move.direction) if move.direction is not None else piece.direction
    own = own_place(scene, move.piece)
    pose = move.pose.pose()
    if own.key != piece.key:
        # A body goes where that piece of it goes.
        if not np.allclose(np.abs(pose.scale), np.abs(own.pose.scale), rtol=1e-6):
            raise MoveRefused("joined pieces are sized together; size them, then place them")
        pose = after_motion(piece.pose, own.pose, pose)
    wanted = replace(piece, pose=pose, direction=direction)
    return each_in_turn(
        scene,
        [piece],
        [wanted],
        lambda index, p: p.at(set_down(index, p).pose) if move.reseat else p,
        f"moved {in_short([piece])}",
    )


REGISTRY.register(PlaceMove, compute, quick=True, bodily=True)
