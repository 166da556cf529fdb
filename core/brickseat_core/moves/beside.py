"""Beside: a piece with one of its edges parallel to another edge, at a distance."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.lining import NotInLine, beside_edge
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen, each_in_turn, in_short
from brickseat_core.moves.fields import Key, Length, Line
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place


@dataclass(frozen=True)
class BesideMove:
    """A piece turned until ``edge``, in its own coordinates, is parallel to ``onto``, in the world, and moved until the two
    lines are ``gap_m`` apart. Turned about the vertical, or ``freely``. ``reseat``: set down again there."""

    kind: Literal["beside"]
    piece: Key
    edge: Line
    onto: Line
    gap_m: Length = 0.0
    freely: bool = False
    reseat: bool = True


def compute(scene: Scene, move: BesideMove) -> Outcome:
    """The piece, with all that it is joined to, beside that edge. Raises MoveRefused."""
    (piece,) = chosen(scene, [move.piece])
    own = own_place(scene, move.piece)
    ends = piece.pose.local(own.pose.apply(np.array(move.edge)))
    try:
        pose = beside_edge(piece.pose, ends, np.array(move.onto), move.gap_m, move.freely)
    except NotInLine as problem:
        raise MoveRefused(str(problem)) from None
    return each_in_turn(
        scene,
        [piece],
        [piece.at(pose)],
        lambda index, p: p.at(set_down(index, p).pose) if move.reseat and not move.freely else p,
        f"put {in_short([piece])} beside an edge",
    )


REGISTRY.register(BesideMove, compute, quick=True, bodily=True)
