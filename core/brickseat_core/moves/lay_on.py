"""Lay on: a piece by one to three of its points onto points of the world."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.lining import AXIS_WORDS, AxisWord, NotInLine, axis_of, laid_pose
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen, each_in_turn, hung, in_short
from brickseat_core.moves.fields import Key, Points
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place


@dataclass(frozen=True)
class LayOnMove:
    """A piece laid by its ``points``, in its own coordinates, ``onto`` as many points of the world: the first moves it, the
    second swings it, the third rolls it. What comes against an underside hangs there. ``axes``: along which the first moves it, all by default. ``reseat``: set down
    again there."""

    kind: Literal["lay_on"]
    piece: Key
    points: Points
    onto: Points
    axes: Annotated[tuple[AxisWord, ...], Field(max_length=3)] = AXIS_WORDS
    reseat: bool = False


def compute(scene: Scene, move: LayOnMove) -> Outcome:
    """The piece, with all that it is joined to, where it is laid. Raises MoveRefused."""
    if len(move.points) != len(move.onto):
        raise MoveRefused("as many points of the piece are needed as of the place; pair each with one")
    (piece,) = chosen(scene, [move.piece])
    own = own_place(scene, move.piece)
    onto = np.array(move.onto)
    # A body's own coordinates are others than those of the piece that is named.
    points = np.array(move.points)
    if own.key != piece.key:
        points = piece.pose.local(own.pose.apply(points))
    if set(move.axes) != set(AXIS_WORDS):
        offset = onto[0] - piece.pose.apply(points)[0]
        kept = sum((axis * float(axis @ offset) for axis in map(axis_of, move.axes)), np.zeros(3))
        onto = onto + (kept - offset)
    try:
        pose = laid_pose(piece.pose, points, onto)
    except NotInLine as problem:
        raise MoveRefused(str(problem)) from None
    return each_in_turn(
        scene,
        [piece],
        [piece.at(pose)],
        lambda index, p: p.at(set_down(index, p).pose) if move.reseat else hung(index, p, scene.dressed.tolerance),
        f"laid {in_short([piece])}",
    )


REGISTRY.register(LayOnMove, compute, quick=True, bodily=True)
