"""Pull apart: joined pieces are pieces of their own again."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta


@dataclass(frozen=True)
class PullApartMove:
    """Pieces freed from all that they are joined to; they stay where they are, and their seats are free again."""

    kind: Literal["pull_apart"]
    pieces: Pieces


def compute(scene: Scene, move: PullApartMove) -> Outcome:
    """The joins of these pieces gone. Raises MoveRefused where there are none."""
    pieces = chosen(scene, move.pieces, must_move=False)
    keys = {p.key for p in pieces}
    ties = [t for t in scene.dressed.ties.values() if t.tie == "join" and keys & {t.piece, t.to}]
    if not ties:
        raise MoveRefused(f"{in_short(pieces)} is joined to nothing")
    return Outcome(Change(f"pulled {in_short(pieces)} apart", tuple(Delta("tie", t.key, t, None) for t in ties)))


REGISTRY.register(PullApartMove, compute)
