"""Rename: one piece."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Key, Name
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class RenameMove:
    """Another name for one piece."""

    kind: Literal["rename"]
    piece: Key
    name: Name


def compute(scene: Scene, move: RenameMove) -> Outcome:
    """The piece under its new name. Raises MoveRefused when the name is empty or taken."""
    (piece,) = chosen(scene, [move.piece], must_move=False)
    name = move.name.strip()
    if not name or any(p.name == name for key, p in scene.dressed.pieces.items() if key != piece.key):
        raise MoveRefused(f"“{name}” is empty or taken by another piece; choose another name")
    renamed = replace(piece, name=name)
    deltas = (piece_delta(piece, renamed),) if renamed != piece else ()
    return Outcome(Change(f"named {piece.name} “{name}”", deltas))


REGISTRY.register(RenameMove, compute)
