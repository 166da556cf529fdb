"""Cut: a piece makes its own opening in a bearer, and takes it along wherever it goes."""

from typing import Literal

from pydantic.dataclasses import dataclass

from brickseat_core.constraints.cutting import prism_for
from brickseat_core.constraints.solids import CannotCut
from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Key, Length
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import Change, CutOut, Delta


@dataclass(frozen=True)
class CutMove:
    """The silhouette of a piece, wider by ``clearance_m`` all round, cut through the wall it is at."""

    kind: Literal["cut"]
    piece: Key
    bearer: Key
    clearance_m: Length = 0.0


def compute(scene: Scene, move: CutMove) -> Outcome:
    """The cut-out, in the place of the one there was. Raises MoveRefused where the bearer cannot be cut."""
    (piece,) = chosen(scene, [move.piece], must_move=False)
    bearer = own_place(scene, move.bearer)
    if bearer.key == piece.key:
        raise MoveRefused(f"{piece.name} cannot be cut by itself; choose a wall")
    if piece.role == "bearer" and bearer.role == "prop":
        raise MoveRefused(f"{piece.name} bears and is not cut into {bearer.name}; cut {bearer.name} into it instead")
    try:
        prism_for(bearer, piece, move.clearance_m)
    except CannotCut as problem:
        raise MoveRefused(str(problem)) from None
    cuts = scene.dressed.cut_outs.values()
    before = next((c for c in cuts if (c.piece, c.bearer) == (piece.key, bearer.key)), None)
    key = before.key if before is not None else scene.fresh_key()
    after = CutOut(key, piece.key, bearer.key, move.clearance_m)
    deltas = (Delta("cut_out", key, before, after),) if after != before else ()
    return Outcome(Change(f"cut {piece.name} into {bearer.name}", deltas))


REGISTRY.register(CutMove, compute)
