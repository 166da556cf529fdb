"""Turn about a joint: a joined piece about the facing of the seat that it is in."""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.joining import frames_of_tie, turned_about_frame
from brickseat_core.moves.choosing import chosen
from brickseat_core.moves.fields import Degrees, Key
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Tie, bodies_of, piece_delta

USUAL_STEP = 15.0
"""Degrees of a step about a seat that any angle is allowed in."""


@dataclass(frozen=True)
class TurnJointMove:
    """A joined piece, with all that hangs on it, by so many of its seat's steps, or by an angle in degrees."""

    kind: Literal["turn_joint"]
    piece: Key
    steps: Annotated[int, Field(ge=-360, le=360)] = 1
    angle_deg: Degrees | None = None


def compute(scene: Scene, move: TurnJointMove) -> Outcome:
    """The piece and what is joined to it on its side of the joint, turned. Raises MoveRefused where it is in no seat."""
    (piece,) = chosen(scene, [move.piece])
    pieces = scene.dressed.pieces
    for tie in joints_of(scene, move.piece):
        found = frames_of_tie(tie, pieces)
        other = tie.to if tie.piece == move.piece else tie.piece
        side = bodies_of(t for t in scene.dressed.ties.values() if t is not tie).get(move.piece, (move.piece,))
        if found is None or other in side:
            continue
        held = next((pieces[k] for k in side if not pieces[k].movable), None)
        if held is not None:
            raise MoveRefused(f"{held.name} is joined to {piece.name} and may not move; free it or pull it apart first")
        angle = move.angle_deg if move.angle_deg is not None else move.steps * step_of(scene, tie)
        frame = found[1] if tie.piece == move.piece else found[0]
        turned = [(pieces[k], turned_about_frame(pieces[k].pose, frame, float(np.radians(angle)))) for k in side]
        deltas = tuple(piece_delta(p, p.at(pose)) for p, pose in turned)
        return Outcome(Change(f"turned {piece.name} in its seat", deltas))
    raise MoveRefused(f"{piece.name} is in no seat that it could turn in; join it first")


def joints_of(scene: Scene, key: str) -> list[Tie]:
    """The joins of a piece, those in which it is the guest first."""
    mine = [t for t in scene.dressed.ties.values() if t.tie == "join" and key in (t.piece, t.to)]
    return sorted(mine, key=lambda t: t.to == key)


def step_of(scene: Scene, tie: Tie) -> float:
    """Degrees of one step in a joint: of the host's seat, else of the guest's."""
    for key, name in ((tie.to, tie.to_seat), (tie.piece, tie.seat)):
        seat = scene.dressed.pieces[key].prop.seat(name)
        if seat is not None and seat.step_deg > 0.0:
            return seat.step_deg
    return USUAL_STEP


REGISTRY.register(TurnJointMove, compute, quick=True)
