"""Slide: pieces along the surface they stand on, staying seated."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, in_short, offset_of
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.placing.sliding import climb_of, slide
from brickseat_core.scene import Piece


@dataclass(frozen=True)
class SlideMove:
    """Pieces by a vector in metres, staying seated. One, or several ``together`` as one body, go over steps and edges,
    and stop at what is too high for them, or go along it. Several each on its own are set down anew where they arrive."""

    kind: Literal["slide"]
    pieces: Pieces
    by: Vector
    together: bool = False


def compute(scene: Scene, move: SlideMove) -> Outcome:
    """The pieces as far as they slide. Raises MoveRefused, or TooLong when the budget passes."""
    pieces, by = chosen(scene, move.pieces), offset_of(move.by)
    stops: list[str] = []

    def slid(index: SceneIndex, piece: Piece) -> Piece:
        found = slide(index, piece, by, climb_of(index, piece), scene.budget)
        stops.extend(index.pieces[k].name for k in found.against)
        return piece.at(found.pose)

    def words(end: str = "") -> str:
        return f"slid {in_short(pieces)}{end}" + (f" against {stops[0]}" if stops else "")

    if len(pieces) == 1:
        (piece,) = pieces
        after = slid(scene.index, piece)
        return each_in_turn(scene, pieces, [after], lambda index, p: p, words())
    if move.together:
        return as_one(scene, pieces, slid, lambda: words(" together"))
    wanted = [p.at(p.pose.moved(np.asarray(by))) for p in pieces]
    return each_in_turn(scene, pieces, wanted, lambda index, p: p.at(set_down(index, p).pose), words())


REGISTRY.register(SlideMove, compute, quick=True, bodily=True)
