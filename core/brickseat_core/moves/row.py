"""Row: copies along an edge or a line, every one seated; a recipe that can be laid again."""

from collections import Counter
from dataclasses import asdict, replace
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.admission.admission import Admission, Candidate
from brickseat_core.admission.reasons import Reason, why
from brickseat_core.constraints.lining import middle_of_side, world_vertices
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import FreshNames, taken_names
from brickseat_core.moves.fields import Degrees, Key, SignedLength, Vector
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.proposals.row.places_along import MOST_IN_ROW, NoRow, RowPlace, border_near, places_along
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Recipe, Vec, piece_delta, rotation_about

ABOVE = 0.002
"""Metres above the line from which each is set down."""


@dataclass(frozen=True)
class RowMove:
    """Copies of ``prop`` along ``line``, points of the world, or along the edge of ``on`` that is nearest to ``near``.

    ``count`` from end to end, or ``spacing_m`` apart, along the line or by ``chord``. Each faces along the line, turned by
    ``turn_deg``, and stands ``offset_m`` to its left. ``recipe``: the row that is laid again in its place."""

    kind: Literal["row"]
    prop: Key
    line: Annotated[tuple[Vector, ...], Field(max_length=10_000)] = ()
    closed: bool = False
    on: Key | None = None
    near: Vector | None = None
    count: Annotated[int, Field(ge=1, le=MOST_IN_ROW)] | None = None
    spacing_m: Annotated[float, Field(gt=1e-3, le=100, allow_inf_nan=False)] | None = None
    chord: bool = False
    offset_m: SignedLength = 0.0
    turn_deg: Degrees = 0.0
    recipe: Key | None = None


def compute(scene: Scene, move: RowMove) -> Outcome:
    """The pieces of the row, and its recipe; those of the row that was laid before are gone. What cannot stand in its place is left out, and counted.

    Raises MoveRefused.
    """
    prop = scene.prop(move.prop)
    before = scene.dressed.recipes.get(move.recipe) if move.recipe is not None else None
    if move.recipe is not None and (before is None or before.recipe != "row"):
        raise MoveRefused("that row is no longer there; lay a new one")
    gone = [p for p in scene.dressed.pieces.values() if before is not None and p.recipe == before.key]
    for piece in gone:
        scene.index.remove(piece.key)
    try:
        line, closed = wanted_line(scene, move)
        places = places_along(line, move.count, move.spacing_m, closed, move.chord)
    except NoRow as problem:
        raise MoveRefused(str(problem)) from None
    key = before.key if before is not None else scene.fresh_key()
    names = FreshNames(taken_names(scene) - {p.name for p in gone})
    laid: list[Piece] = []
    left: Counter[Reason] = Counter()
    admission = Admission(scene.index, scene.dressed.tolerance, scene.budget)
    for number, place in enumerate(places, 1):
        scene.budget.check(number - 1, len(places))
        start = standing_at(scene.index, prop, place, move)
        piece = Piece(scene.fresh_key(), prop.name, prop, start, recipe=key, number=number)
        found = admission.offer([Candidate(piece.at(set_down(scene.index, piece).pose))], 1)
        laid += [replace(admitted, name=names.of(prop.name)) for admitted in found.pieces]
        left.update(reason for reason in found.refused if reason is not None)
    if not laid:
        raise MoveRefused(f"nothing of the row can stand there: {why(left)}; lay it along something that bears it")
    recipe = Recipe(key, before.name if before is not None else f"row of {prop.name}", "row", 0, parameters_of(move))
    deltas = [piece_delta(p, None) for p in gone]
    deltas += [Delta("recipe", key, before, recipe)] if recipe != before else []
    deltas += [piece_delta(None, p) for p in laid]
    counts: dict[str, int] = {"laid": len(laid), "wanted": len(places)}
    counts.update((str(reason), count) for reason, count in left.items())
    words = f"laid a row of {len(laid)} {prop.name}" + (f" ({why(left)})" if left else "")
    return Outcome(Change(words, tuple(deltas)), counts=counts)


def parameters_of(move: RowMove) -> dict[str, Any]:
    """What of a row its recipe keeps, as plain JSON values."""
    kept = {name: value for name, value in asdict(move).items() if name not in ("kind", "recipe")}
    kept["line"] = [list(point) for point in move.line]
    kept["near"] = list(move.near) if move.near is not None else None
    return kept


def wanted_line(scene: Scene, move: RowMove) -> tuple[Vec, bool]:
    """The line (n, 3) in the world, and whether it is closed. Raises MoveRefused or NoRow."""
    if move.line:
        return np.array(move.line), move.closed
    bearer = scene.apart.pieces.get(move.on or "")
    if bearer is None or move.near is None:
        raise MoveRefused("a row follows a line of points, or the edge of a piece near a point; give one of them")
    line, closed = border_near(scene.index.mesh_of(bearer), bearer.pose.local(np.array(move.near)))
    return bearer.pose.apply(line), closed


def standing_at(index: SceneIndex, prop: Prop, place: RowPlace, move: RowMove) -> Pose:
    """The pose of a copy at a place of the line, before it is set down: its foot just above, its front along the line."""
    level = np.array([place.tangent[0], 0.0, place.tangent[2]])
    length = float(np.linalg.norm(level))
    level = level / length if length > 1e-9 else np.array([0.0, 0.0, 1.0])
    up = np.array([0.0, 1.0, 0.0])
    turn = float(np.arctan2(level[0], level[2])) + float(np.radians(move.turn_deg))
    basis = rotation_about(up, turn)
    foot = place.point + move.offset_m * np.cross(up, level) + ABOVE * up
    ghost = Piece("row", prop.name, prop, Pose.of(basis, np.zeros(3)))
    return Pose.of(basis, foot - middle_of_side(world_vertices(index, ghost), -up))


REGISTRY.register(RowMove, compute, quick=True)
