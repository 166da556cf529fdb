"""Fix: pieces made fixed, or loose again."""

from dataclasses import replace
from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, Role, piece_delta


@dataclass(frozen=True)
class FixMove:
    """Pieces made fixed (bearers, which carry and are not picked up), or loose again."""

    kind: Literal["fix"]
    pieces: Pieces
    fixed: bool = True


def compute(scene: Scene, move: FixMove) -> Outcome:
    """The pieces in their new role, in no group. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces, must_move=False)
    role: Role = "bearer" if move.fixed else "prop"
    written = [(p, replace(p, role=role, group="")) for p in pieces]
    deltas = tuple(piece_delta(p, q) for p, q in written if q != p)
    return Outcome(Change(f"{'fixed' if move.fixed else 'made loose'} {in_short(pieces)}", deltas))


REGISTRY.register(FixMove, compute)
