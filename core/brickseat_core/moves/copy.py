"""Copy: the same pieces once more."""

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.fit.formation import formation
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import FreshNames, chosen, in_short, taken_names
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.following import seated_in_walls
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, CutOut, Delta, Piece, piece_delta


@dataclass(frozen=True)
class CopyMove:
    """The same pieces once more, moved by a vector in metres and set down there. Copies of joined pieces are joined, and copies of what cuts an
    opening cut one, too."""

    kind: Literal["copy"]
    pieces: Pieces
    by: Vector


def compute(scene: Scene, move: CopyMove) -> Outcome:
    """New pieces, each set down before the next is. Raises MoveRefused, or TooLong when the budget passes."""
    pieces = chosen(scene, move.pieces, must_move=False)
    names, index = FreshNames(taken_names(scene)), scene.index.fork()
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
    cuts = [
        CutOut(
            scene.fresh_key(),
            copies[cut.piece].key,
            copies[cut.bearer].key if cut.bearer in copies else cut.bearer,
            cut.clearance,
        )
        for cut in scene.dressed.cut_outs.values()
        if cut.piece in copies
    ]
    cutting = {cut.piece for cut in cuts}
    made: list[Piece] = []
    done: set[str] = set()
    for piece in pieces:
        scene.budget.check(len(made), len(pieces))
        if piece.key in done:
            continue
        body = [k for k in scene.index.bodies.get(piece.key, (piece.key,)) if k in copies]
        done.update(body)
        # What cuts an opening stands in a wall that is whole there still: it is seated when that is cut.
        own = [copies[k] for k in body]
        landed = own if cutting & {p.key for p in own} else set_down_as_one(scene, own)
        scene.index.put_all(landed)
        made += landed
    ties = [
        replace(tie, key=scene.fresh_key(), piece=copies[tie.piece].key, to=copies[tie.to].key)
        for tie in scene.dressed.ties.values()
        if tie.tie == "join" and tie.piece in copies and tie.to in copies
    ]
    deltas = [piece_delta(None, p) for p in made] + [Delta("tie", tie.key, None, tie) for tie in ties]
    change = Change(f"copied {in_short(pieces)}", tuple(deltas))
    if not cuts:
        return Outcome(change)
    cut = Change(change.words, (*change.deltas, *(Delta("cut_out", c.key, None, c) for c in cuts)))
    originals = {copies[key].key: key for key in copies if copies[key].key in cutting}
    return Outcome(seated_in_walls(scene.dressed, index, cut, originals))


def set_down_as_one(scene: Scene, pieces: list[Piece]) -> list[Piece]:
    """New pieces set down where they are, several of them as one body."""
    if len(pieces) == 1:
        return [pieces[0].at(set_down(scene.index, pieces[0]).pose)]
    formed = formation(scene.index, pieces)
    return formed.after(formed.body.at(set_down(scene.index, formed.body).pose))


REGISTRY.register(CopyMove, compute)
