"""Fill in: the openings that pieces cut are gone without a trace."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Key, Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta


@dataclass(frozen=True)
class FillInMove:
    """The openings of these pieces filled in again, in all bearers or in one."""

    kind: Literal["fill_in"]
    pieces: Pieces
    bearer: Key | None = None


def compute(scene: Scene, move: FillInMove) -> Outcome:
    """The cut-outs gone. Raises MoveRefused where these pieces cut nothing."""
    pieces = chosen(scene, move.pieces, must_move=False)
    keys = {p.key for p in pieces}
    cuts = [
        c
        for c in scene.dressed.cut_outs.values()
        if c.piece in keys and (move.bearer is None or c.bearer == move.bearer)
    ]
    if not cuts:
        raise MoveRefused(f"{in_short(pieces)} cuts no opening there")
    return Outcome(
        Change(f"filled in behind {in_short(pieces)}", tuple(Delta("cut_out", c.key, c, None) for c in cuts))
    )


REGISTRY.register(FillInMove, compute)
