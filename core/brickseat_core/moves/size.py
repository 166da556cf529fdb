"""Size: pieces about where they touch, staying seated."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, foot_of, in_short, is_uneven
from brickseat_core.moves.fields import Factor, Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Piece, Pose


@dataclass(frozen=True)
class SizeMove:
    """Pieces by a factor, or one for each of the prop's own axes, about where they touch."""

    kind: Literal["size"]
    pieces: Pieces
    factor: Factor | tuple[Factor, Factor, Factor]
    together: bool = False


def compute(scene: Scene, move: SizeMove) -> Outcome:
    """The pieces in their new size, set down anew. Raises MoveRefused when one body is to be sized unevenly."""
    pieces = chosen(scene, move.pieces)
    together = move.together and len(pieces) > 1
    if is_uneven(move.factor) and any(p.key in scene.joined.formations for p in pieces):
        raise MoveRefused("joined pieces are sized evenly; pull them apart first for other proportions")
    if together and is_uneven(move.factor):
        raise MoveRefused("pieces that keep together are sized evenly; size them one by one for other proportions")

    def sized(index: SceneIndex, piece: Piece) -> Piece:
        # Along the prop's own axes, so that it is never sheared.
        foot = foot_of(index, piece)
        linear = piece.pose.linear * np.asarray(move.factor)
        inner = piece.pose.local(foot)
        return piece.at(Pose.of(linear, foot - linear @ inner))

    def landed(index: SceneIndex, piece: Piece) -> Piece:
        return piece.at(set_down(index, piece).pose)

    words = f"sized {in_short(pieces)}"
    if together:
        return as_one(scene, pieces, lambda i, body: landed(i, sized(i, body)), lambda: f"{words} together")
    return each_in_turn(scene, pieces, [sized(scene.index, p) for p in pieces], landed, words)


REGISTRY.register(SizeMove, compute, quick=True, bodily=True)
