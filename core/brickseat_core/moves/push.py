"""Push: pieces along a direction, up to the first contact and then along it."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.moves.choosing import as_one, chosen, in_short, offset_of
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.placing.sliding import PUSH_CLIMB, slide
from brickseat_core.scene import Change, Piece, piece_delta


@dataclass(frozen=True)
class PushMove:
    """Pieces along a vector in metres, foremost first: up to the first contact, then along it, never through."""

    kind: Literal["push"]
    pieces: Pieces
    by: Vector
    together: bool = False


def compute(scene: Scene, move: PushMove) -> Outcome:
    """The pieces as far as they go, one after another or as one body. Raises MoveRefused, or TooLong."""
    pieces, by = chosen(scene, move.pieces), offset_of(move.by)
    stops: list[str] = []

    def pushed(index: SceneIndex, piece: Piece) -> Piece:
        found = slide(index, piece, by, PUSH_CLIMB, scene.budget)
        stops.extend(index.pieces[k].name for k in found.against)
        return piece.at(found.pose)

    def words(end: str = "") -> str:
        return f"pushed {in_short(pieces)}{end}" + (f" against {stops[0]}" if stops else "")

    if move.together and len(pieces) > 1:
        return as_one(scene, pieces, pushed, lambda: words(" together"))
    after: dict[str, Piece] = {}
    for piece in sorted(pieces, key=lambda p: (-float(p.pose.origin @ by), p.key)):
        after[piece.key] = pushed(scene.index, piece)
        scene.index.put(after[piece.key])
    return Outcome(Change(words(), tuple(piece_delta(p, after[p.key]) for p in pieces if after[p.key] != p)))


REGISTRY.register(PushMove, compute, quick=True, bodily=True)
