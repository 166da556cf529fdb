"""Hang: a piece under the middle of another."""

from dataclasses import replace
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.lining import middle_of_side, world_vertices
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Key, Vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import UP, Change, piece_delta


@dataclass(frozen=True)
class HangMove:
    """A piece brought under ``to`` and up until its top touches it: under ``at``, a point of the world, or under the
    middle of what it hangs on. It is seated upwards from then on."""

    kind: Literal["hang"]
    piece: Key
    to: Key
    at: Vector | None = None


def compute(scene: Scene, move: HangMove) -> Outcome:
    """The piece where it hangs. Raises MoveRefused where nothing of ``to`` is above it there."""
    (piece,) = chosen(scene, [move.piece])
    to = own_place(scene, move.to)
    lo, hi = scene.index.box_of(to)
    at = np.array(move.at) if move.at is not None else 0.5 * (lo + hi)
    points = world_vertices(scene.index, piece)
    offset = at - middle_of_side(points, np.asarray(UP))
    # From well below, so that its way up is free.
    offset[1] = float(lo[1]) - float(points[:, 1].max()) - 1e-3
    wanted = replace(piece, pose=piece.pose.moved(offset), direction=UP, sink=0.0, stand_off=0.0)
    row = scene.index.row[scene.joined.key_of(to.key)]
    found = set_down(scene.index, wanted, [row])
    if found.travel is None:
        raise MoveRefused(f"nothing of {to.name} is above that place; choose a point under it")
    end = wanted.at(found.pose)
    deltas = (piece_delta(piece, end),) if end != piece else ()
    return Outcome(Change(f"hung {piece.name} under {to.name}", deltas))


REGISTRY.register(HangMove, compute, quick=True, bodily=True)
