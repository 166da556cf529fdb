"""Copy: the same pieces once more."""

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.fit.formation import formation
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import FreshNames, chosen, in_short, taken_names
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, Delta, Piece, piece_delta


@dataclass(frozen=True)
class CopyMove:
    """The same pieces once more, moved by a vector in metres and set down there. Copies of joined pieces are joined."""

    kind: Literal["copy"]
    pieces: Pieces
    by: Vector


def compute(scene: Scene, move: CopyMove) -> Outcome:
    """New pieces, each set down before the next is. Raises MoveRefused, or TooLong when the budget passes."""
    pieces = chosen(scene, move.pieces, must_move=False)
    names = FreshNames(taken_names(scene))
    copies = {
        piece.key: replace(
            piece,
            key=scene.fresh_key(),
            name=names.of(piece.prop.name),
            spiked=False,
            recipe="",
            number=None,
            pose=piece.pose.moved(np.asarray(move.by)),
        )
        for piece in pieces
    }
    made: list[Piece] = []
    done: set[str] = set()
    for piece in pieces:
        scene.budget.check(len(made), len(pieces))
        if piece.key in done:
            continue
        body = [k for k in scene.index.bodies.get(piece.key, (piece.key,)) if k in copies]
        done.update(body)
        landed = set_down_as_one(scene, [copies[k] for k in body])
        scene.index.put_all(landed)
        made += landed
    ties = [
        replace(tie, key=scene.fresh_key(), piece=copies[tie.piece].key, to=copies[tie.to].key)
        for tie in scene.dressed.ties.values()
        if tie.tie == "join" and tie.piece in copies and tie.to in copies
    ]
    deltas = [piece_delta(None, p) for p in made] + [Delta("tie", tie.key, None, tie) for tie in ties]
    return Outcome(Change(f"copied {in_short(pieces)}", tuple(deltas)))


def set_down_as_one(scene: Scene, pieces: list[Piece]) -> list[Piece]:
    """New pieces set down where they are, several of them as one body."""
    if len(pieces) == 1:
        return [pieces[0].at(set_down(scene.index, pieces[0]).pose)]
    formed = formation(scene.index, pieces)
    return formed.after(formed.body.at(set_down(scene.index, formed.body).pose))


REGISTRY.register(CopyMove, compute)
