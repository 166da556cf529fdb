"""Copy: the same pieces once more."""

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import FreshNames, chosen, in_short, taken_names
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, Piece, piece_delta


@dataclass(frozen=True)
class CopyMove:
    """The same pieces once more, moved by a vector in metres and set down there."""

    kind: Literal["copy"]
    pieces: Pieces
    by: Vector


def compute(scene: Scene, move: CopyMove) -> Outcome:
    """New pieces, each set down before the next is. Raises MoveRefused, or TooLong when the deadline passes."""
    pieces = chosen(scene, move.pieces, must_move=False)
    names = FreshNames(taken_names(scene))
    made: list[Piece] = []
    for piece in pieces:
        scene.deadline.check()
        copy = replace(
            piece,
            key=scene.fresh_key(),
            name=names.of(piece.prop.name),
            spiked=False,
            recipe="",
            number=None,
            pose=piece.pose.moved(np.asarray(move.by)),
        )
        copy = copy.at(set_down(scene.index, copy).pose)
        scene.index.put(copy)
        made.append(copy)
    return Outcome(Change(f"copied {in_short(pieces)}", tuple(piece_delta(None, p) for p in made)))


REGISTRY.register(CopyMove, compute)
