"""Shift: bearers, with what stands on them, exactly as they stand."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Annotated, Literal

import numpy as np
from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.fit.landing import turned_about
from brickseat_core.moves.choosing import in_short, offset_of
from brickseat_core.moves.fields import Degrees, Pieces, Vector, degrees_of, unit_vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import Change, Piece, Triple, Vec, piece_delta, rotation_about


@dataclass(frozen=True)
class ShiftMove:
    """Bearers turned about the vertical through ``about`` (the middle of their box by default), then moved by a vector in metres.

    All that stands on them comes along, up to the top, and keeps its place on them to the last digit; ``alone``: it stays where it is.
    """

    kind: Literal["shift"]
    pieces: Pieces
    by: Vector = (0.0, 0.0, 0.0)
    angle_deg: Annotated[Degrees, Field(validation_alias=degrees_of("angle_deg", "angle"))] = 0.0
    about: Vector | None = None
    alone: bool = False


def compute(scene: Scene, move: ShiftMove) -> Outcome:
    """The pieces where they are shifted to; nothing is set down anew. Raises MoveRefused where one is gone or spiked."""
    named = [own_place(scene, key) for key in dict.fromkeys(move.pieces)]
    if spiked := next((p for p in named if p.spiked), None):
        raise MoveRefused(f"{spiked.name} is spiked; free it first")
    by = offset_of(move.by)
    keys = [p.key for p in named]
    going = keys if move.alone else with_load(scene, keys)
    pieces = [scene.dressed.pieces[key] for key in going]
    if move.angle_deg:
        about = np.asarray(move.about) if move.about is not None else middle_of(scene, named)
        rotation = rotation_about(np.array([0.0, 1.0, 0.0]), float(np.radians(move.angle_deg)))
        after = [turned(p, rotation, about) for p in pieces]
    else:
        after = pieces
    deltas = (piece_delta(p, q.at(q.pose.moved(by))) for p, q in zip(pieces, after, strict=True))
    others = len(going) - len(keys)
    words = f"moved {in_short(named)}" + (f" with the {others} on it" if others and len(named) == 1 else "")
    words += f" with the {others} on them" if others and len(named) > 1 else ""
    return Outcome(Change(words, tuple(d for d in deltas if d.before != d.after)))


def with_load(scene: Scene, keys: Iterable[str]) -> list[str]:
    """These, with all that rests on them or on what does, and all that is joined to those. Bearers rest on nothing."""
    resting: dict[str, list[str]] = {}
    for key, fit in scene.fits.items():
        for below in fit.rests_on:
            resting.setdefault(below, []).append(key)
    found = dict.fromkeys(keys)
    waiting = list(found)
    while waiting:
        key = waiting.pop()
        for other in (*resting.get(key, ()), *scene.index.bodies.get(key, ())):
            piece = scene.dressed.pieces.get(other)
            if piece is not None and piece.role != "bearer" and other not in found:
                found[other] = None
                waiting.append(other)
    return list(found)


def middle_of(scene: Scene, pieces: list[Piece]) -> Vec:
    """(3,) middle of the box round pieces, in metres."""
    boxes = np.array([scene.index.box_of(p) for p in pieces])
    return np.asarray(0.5 * (boxes[:, 0].min(axis=0) + boxes[:, 1].max(axis=0)))


def turned(piece: Piece, rotation: Vec, about: Vec) -> Piece:
    """The piece turned by ``rotation`` (3, 3) about a point, with the direction in which it is seated."""
    x, y, z = (float(v) for v in rotation @ np.asarray(piece.direction))
    direction: Triple = unit_vector((x, y, z))
    return replace(turned_about(piece, rotation, about), direction=direction)


REGISTRY.register(ShiftMove, compute, quick=True)
