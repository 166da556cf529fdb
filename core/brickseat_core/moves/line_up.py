"""Line up: sides, middles and touch points of pieces with those of another."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.lining import (
    AxisWord,
    Side,
    away,
    axis_of,
    offset_to_line_up,
    spread_offsets,
    world_vertices,
)
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import measure_fit, triple
from brickseat_core.fit.repair import Left
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import as_one, chosen, each_in_turn, hung, in_short
from brickseat_core.moves.fields import Key, Pieces, SignedLength, Vector, unit_vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene, own_place
from brickseat_core.scene import UP, Change, Delta, Piece, Tie, Vec

ALONG_DIRECTION = 0.5
"""Share of its seating direction in the axis from which a piece that is lined up is not seated again by itself."""


@dataclass(frozen=True)
class LineUpMove:
    """A side of each piece brought to a side of ``to`` along one axis, and ``gap_m`` beyond it, away from it.

    ``axis``: a world direction, or ``across``, ``up``, ``along`` of the world or square to the target. ``low``, ``middle``,
    ``high``, ``touch``: of the true vertices along it. ``mode``: each by itself, all together as they stand, or spread so
    that the room between neighbours is even. ``reseat``: set down again there; by default where the axis is level.
    ``keep``: a tie keeps the gap from now on."""

    kind: Literal["line_up"]
    pieces: Pieces
    axis: Vector | AxisWord
    to: Key | None = None
    mine: Side = "middle"
    theirs: Side = "middle"
    gap_m: SignedLength = 0.0
    mode: Literal["each", "together", "spread"] = "each"
    square_to: Literal["world", "target"] = "world"
    reseat: bool | None = None
    keep: bool = False


def compute(scene: Scene, move: LineUpMove) -> Outcome:
    """The pieces in line. Raises MoveRefused where something is in the way, which it names."""
    pieces = chosen(scene, move.pieces)
    target = own_place(scene, move.to) if move.to is not None else None
    if target is not None and any(scene.joined.key_of(target.key) == p.key for p in pieces):
        raise MoveRefused(f"{target.name} is one of the pieces that are lined up; choose another target")
    axis = wanted_axis(move, target)
    if move.mode == "spread":
        extents = [tuple(np.sort(world_vertices(scene.index, p) @ axis)[[0, -1]].tolist()) for p in pieces]
        if len(pieces) < 3:
            raise MoveRefused("three pieces or more are spread; the outermost two stay where they are")
        offsets = [axis * by for by in spread_offsets(extents)]
        words = f"spread {in_short(pieces)}"
    else:
        if target is None:
            raise MoveRefused("there is nothing to line up with; choose a target")
        offsets = offsets_to(scene, move, pieces, target, axis)
        words = f"lined up {in_short(pieces)} with {target.name}"
    reseat = move.reseat
    if reseat is None:
        reseat = all(abs(float(axis @ np.asarray(p.direction))) < ALONG_DIRECTION for p in pieces)

    def placed(index: SceneIndex, piece: Piece) -> Piece:
        if not reseat:
            return hung(index, piece, scene.dressed.tolerance)
        found = set_down(index, piece)
        if found.travel is None and piece.direction == UP:
            raise MoveRefused(f"nothing is over {piece.name} there to hang from; choose a place under something")
        return piece.at(found.pose)

    def landed(index: SceneIndex, piece: Piece) -> Piece | Left:
        end = placed(index, piece)
        refuse_in_the_way(scene, index, piece, end)
        return end

    if move.mode == "together" and len(pieces) > 1:
        offset = offsets[0]

        def moved(index: SceneIndex, body: Piece) -> Piece:
            end = placed(index, body.at(body.pose.moved(offset)))
            refuse_in_the_way(scene, index, body, end)
            return end

        outcome = as_one(scene, pieces, moved, lambda: words)
    else:
        wanted = [p.at(p.pose.moved(by)) for p, by in zip(pieces, offsets, strict=True)]
        outcome = each_in_turn(scene, pieces, wanted, landed, words)
    if not move.keep or target is None:
        return outcome
    ties = [Delta("tie", t.key, None, t) for t in kept_so(scene, move, target, axis)]
    return Outcome(Change(f"{words}, and keeps it so", (*outcome.change.deltas, *ties)), outcome.left)


def wanted_axis(move: LineUpMove, target: Piece | None) -> Vec:
    """(3,) unit axis that the move names. Raises MoveRefused where it has no length."""
    if isinstance(move.axis, str):
        return axis_of(move.axis, target if move.square_to == "target" else None)
    return np.array(unit_vector(move.axis))


def offsets_to(scene: Scene, move: LineUpMove, pieces: list[Piece], target: Piece, axis: Vec) -> list[Vec]:
    """(3,) metres for each piece, or the same for all that keep together."""
    theirs = (world_vertices(scene.index, target), np.asarray(target.direction), move.theirs)
    vertices = [world_vertices(scene.index, p) for p in pieces]
    if move.mode == "together":
        mine = (np.concatenate(vertices), np.asarray(pieces[0].direction), move.mine)
        return [offset_to_line_up(mine, theirs, axis, move.gap_m)] * len(pieces)
    return [
        offset_to_line_up((points, np.asarray(p.direction), move.mine), theirs, axis, move.gap_m)
        for p, points in zip(pieces, vertices, strict=True)
    ]


def refuse_in_the_way(scene: Scene, index: SceneIndex, before: Piece, end: Piece) -> None:
    """Raises MoveRefused where ``end`` stands in other things that it did not stand in before, or up on one of them."""
    fit = measure_fit(index, end, scene.dressed.tolerance)
    own = scene.dressed.pieces.get(before.key, before)
    met = {c.other for c in fit.clashes}
    rose = float((before.pose.origin - end.pose.origin) @ np.asarray(end.direction)) > scene.dressed.tolerance
    if rose:
        met |= {k for k in fit.rests_on if index.pieces[k].role == "prop"}
    if not met:
        return
    already = measure_fit(scene.index.fork(), own, scene.dressed.tolerance) if own.key in scene.index.pieces else None
    known = {c.other for c in already.clashes} | set(already.rests_on) if already is not None else set()
    if names := [index.pieces[k].name for k in sorted(met - known)]:
        raise MoveRefused(f"{' and '.join(names[:3])} stands in the way of {end.name}; move it, or leave a wider gap")


def kept_so(scene: Scene, move: LineUpMove, target: Piece, axis: Vec) -> list[Tie]:
    """The ties that keep the gap just made. Raises MoveRefused where it is none."""
    if {move.mine, move.theirs} != {"low", "high"} or move.gap_m < 0.0:
        raise MoveRefused("only a gap between two sides that face each other is kept; choose low and high")
    theirs = (world_vertices(scene.index, target), np.asarray(target.direction), move.theirs)
    mine = (theirs[0], theirs[1], move.mine)
    side = triple(-axis * away(mine, theirs, axis) + 0.0)
    return [
        Tie(scene.fresh_key(), "gap", key, target.key, side, move.gap_m)
        for key in move.pieces
        if scene.apart.pieces[key].movable
    ]


REGISTRY.register(LineUpMove, compute, quick=True, bodily=True)
