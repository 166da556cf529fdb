"""Swap: other copies in the place of pieces."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen, each_in_turn, foot_of, in_short
from brickseat_core.moves.fields import Key, Pieces
from brickseat_core.moves.in_seats import in_its_seats
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Piece


@dataclass(frozen=True)
class SwapMove:
    """Pieces exchanged for copies of another prop, where they touch, turned and sized as they are. What is joined is held by seats of the
    same names."""

    kind: Literal["swap"]
    pieces: Pieces
    prop: Key


def compute(scene: Scene, move: SwapMove) -> Outcome:
    """The pieces of the other prop, each set down anew in turn. Raises MoveRefused."""
    pieces, prop = chosen(scene, move.pieces), scene.prop(move.prop)
    bodies = scene.index.bodies

    def swapped(piece: Piece) -> Piece:
        if piece.key in bodies:
            return in_its_seats(scene, piece, prop)
        other = replace(piece, prop=prop)
        return other.at(other.pose.moved(foot_of(scene.index, piece) - foot_of(scene.index, other)))

    words = f"swapped {in_short(pieces)} for {prop.name}"
    return each_in_turn(
        scene,
        pieces,
        [swapped(p) for p in pieces],
        lambda i, p: p if p.key in bodies else p.at(set_down(i, p).pose),
        words,
    )


REGISTRY.register(SwapMove, compute)
