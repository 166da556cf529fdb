"""Pose: a piece bent at its joints, seated again as it is then."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen, each_in_turn
from brickseat_core.moves.fields import Key
from brickseat_core.moves.in_seats import in_its_seats
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene


@dataclass(frozen=True)
class PoseMove:
    """One piece in another pose of its prop: ``prop`` is that shape. Where its trunk stands it stays, and it is seated
    again with the touch side that it has."""

    kind: Literal["pose"]
    piece: Key
    prop: Key


def compute(scene: Scene, move: PoseMove) -> Outcome:
    """The piece in its new shape, set down; what is joined is held by its seats instead. Raises MoveRefused when there is no such shape,
    or a seat that it is joined by moves against another one."""
    (piece,) = chosen(scene, [move.piece])
    if piece.key in scene.index.bodies:
        held = in_its_seats(scene, piece, scene.prop(move.prop))
        return each_in_turn(scene, [piece], [held], lambda i, p: p, f"posed {piece.name}")
    bent = replace(piece, prop=scene.prop(move.prop))
    return each_in_turn(scene, [piece], [bent], lambda i, p: p.at(set_down(i, p).pose), f"posed {piece.name}")


REGISTRY.register(PoseMove, compute)
