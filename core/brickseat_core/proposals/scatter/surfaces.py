"""The surfaces that a scatter recipe lays on, each with its rules."""

import math
from functools import partial

import numpy as np

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.sharp_lines import face_normals
from brickseat_core.proposals.scatter.pool import Surface, side_of
from brickseat_core.proposals.scatter.sequences import sequence_on
from brickseat_core.proposals.scatter.weights import (
    Away,
    Weight,
    area_weight,
    chalk_weight,
    clump_weight,
    distance_to,
    distance_to_lines,
    distance_weight,
    facing_weight,
    height_weight,
    inside_weight,
    outside_weight,
    paint_weight,
    parts_of,
    slope_weight,
)
from brickseat_core.recipes.numbering import places_of
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import BadRecipe, Facing, FarRule, NearRule, ScatterRecipe
from brickseat_core.scene import Piece, Vec

CLUMPS_ON_SURFACE = 30
"""Clumps on a surface where the recipe does not say how far they are apart."""
MOST_CLUMPS = 20_000
MORE_THAN_WANTED = 1.1
"""Candidates looked at in a round, over those that are still wanted."""
A_FEW = 16


def surfaces_of(places: Places, recipe: ScatterRecipe, further: tuple[Weight, ...] = ()) -> list[Surface]:
    """The surfaces that a recipe lays on, with the rules of each, and ``further`` ones on all of them. Raises BadRecipe."""
    rules = recipe.rules
    shared: list[Weight] = [facing_weight(recipe.facing)]
    if rules.slope_deg is not None:
        shared.append(slope_weight(rules))
    if rules.height_m is not None:
        shared.append(height_weight(rules))
    if rules.area is not None:
        shared.append(area_weight(rules.area))
    listed: tuple[tuple[str, tuple[NearRule | FarRule, ...]], ...] = (("near", rules.near), ("far", rules.far))
    apart = [(rule, f"rules.{name}.{number}") for name, each in listed for number, rule in enumerate(each)]
    later = [distance_weight(rule, away_from(places, rule, where)) for rule, where in apart if not rule.edge]
    by_edges = [rule for rule, _ in apart if rule.edge]
    later += [outside_weight(places.volume(name, "keep_out")) for name in recipe.keep_out]
    if recipe.only_inside:
        later.append(inside_weight([places.volume(name, "only_inside") for name in recipe.only_inside]))
    found = []
    for place, name in enumerate(places_of(recipe.on)):
        piece = places.index.pieces.get(name)
        if piece is None:
            raise BadRecipe(f"on: there is no piece {name!r} on the set; choose another surface")
        own = list(shared)
        if rules.chalk:
            own.append(chalk_weight([stroke for stroke in rules.chalk if stroke.on in (None, name)]))
        mesh, side = places.index.mesh_of(piece), side_of(places.index, piece)
        if by_edges:
            away = distance_to_lines(rim_of(mesh, piece, side, recipe.facing))
            own += [distance_weight(rule, away) for rule in by_edges]
        own += paints_on(places, piece, recipe)
        own += [*later, *further]
        if recipe.pattern == "clumped":
            own.append(clumps_on(mesh, piece, recipe))
        sequence = sequence_on(mesh, piece.pose, recipe.spread, recipe.seed)
        found.append(Surface(place, piece, sequence, own, side, recipe.facing))
    return found


def paints_on(places: Places, piece: Piece, recipe: ScatterRecipe) -> list[Weight]:
    """What a surface is painted like, where rules go by that. Raises BadRecipe where one names a surface that is not painted."""
    rules = [rule for rule in recipe.rules.paint if rule.on in (None, piece.key)]
    painting = places.painted(piece.prop) if rules else None
    if painting is not None:
        return [paint_weight(rule, painting, piece.pose) for rule in rules]
    others = [key for key in recipe.on if key != piece.key and key in places.index.pieces]
    if any(rule.on == piece.key for rule in rules) or (
        rules and not any(places.painted(places.index.pieces[key].prop) for key in others)
    ):
        raise BadRecipe(
            f"rules.paint: the model of {piece.name} has no vertex colours; leave the rule out, or chalk it"
        )
    return []


def away_from(places: Places, rule: NearRule | FarRule, where: str) -> Away:
    """How far points are from what a rule names, but for edges. Raises BadRecipe."""
    if rule.line is not None:
        return distance_to_lines(parts_of(rule.line))
    shapes = [places.shape(rule.of, where)] if rule.of is not None else places.copies(rule.kind or "")
    return partial(distance_to, shapes, places.budget)


def rim_of(mesh: Mesh, piece: Piece, side: float, facing: Facing) -> Vec:
    """(k, 2, 3) the edges, in the world, at which the ground that is laid on ends: open ones, and sharp ones to what is not laid on.

    ``side``: as of ``side_of``. Where all sides are laid on, every sharp edge is one.
    """
    bends = mesh.bends
    ends = piece.pose.apply(bends.ends.reshape(-1, 3)).reshape(-1, 2, 3)
    if facing == "surface":
        return ends
    corners = piece.pose.apply(mesh.vertices)[mesh.faces]
    normals = face_normals(corners) * (np.sign(np.linalg.det(piece.pose.linear)) * (side or 1.0))
    if side == 0.0:
        normals = np.where((normals[:, 1:2] < 0.0) == (facing == "down"), -1.0, 1.0) * normals
    ground = facing_weight(facing)(corners[:, 0], normals) > 0.0
    one, other = bends.faces.T
    return np.asarray(ends[np.where(other < 0, ground[one], ground[one] != ground[other])])


def clumps_on(mesh: Mesh, piece: Piece, recipe: ScatterRecipe) -> Weight:
    """The clumps of a surface, at the points of another seed."""
    centres = sequence_on(mesh, piece.pose, "random", recipe.seed + (1 << 60))
    spacing = recipe.clump_m or math.sqrt(centres.area / CLUMPS_ON_SURFACE)
    many = max(1, min(MOST_CLUMPS, round(centres.area / spacing**2)))
    return clump_weight(piece.pose.apply(centres.first(many).at), spacing)
