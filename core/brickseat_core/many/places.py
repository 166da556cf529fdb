"""What a recipe names on a set, and the surfaces that it lays on, each with its rules; and dots, a first sight of it."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.many.elbow import with_elbow_room
from brickseat_core.many.pool import Pool, Surface, side_of
from brickseat_core.many.recipe import MOST_LAID, BadRecipe, Facing, FarRule, NearRule, ScatterRecipe
from brickseat_core.many.sequences import sequence_on
from brickseat_core.many.shaping import kinds_of
from brickseat_core.many.weights import (
    Away,
    Shape,
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
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.meshes.painting import Painting
from brickseat_core.meshes.sharp_lines import face_normals
from brickseat_core.scene import Piece, Prop, Set, Vec

CLUMPS_ON_SURFACE = 30
"""Clumps on a surface where the recipe does not say how far they are apart."""
MOST_CLUMPS = 20_000
MORE_THAN_WANTED = 1.1
"""Candidates looked at in a round, over those that are still wanted."""
A_FEW = 16
BARRED_LOOKED_AT = 1500
"""Points of all the ground at which it is looked whether anything may lie."""


Painted = Callable[[Prop], Painting | None]


def unpainted(prop: Prop) -> None:
    """Of props of which no more is known than their meshes."""


@dataclass
class Places:
    """What the names of a recipe stand for on a set. ``index``: in which its pieces stand. ``without``: keys of pieces there
    that are laid anew, and count for nothing. ``painted``: the vertex colours of a prop, None where it has none.
    ``budget``: asked while distances to many things are measured."""

    dressed: Set
    index: SceneIndex
    without: frozenset[str] = frozenset()
    painted: Painted = unpainted
    budget: Budget = UNLIMITED

    def shape(self, name: str, where: str) -> Shape:
        """The region or piece of that key. Raises BadRecipe, saying where it is named."""
        region = self.dressed.regions.get(name)
        if region is not None:
            return Shape(region.prop.mesh, region.pose)
        piece = self.index.pieces.get(name)
        if piece is None:
            raise BadRecipe(f"{where}: there is no piece and no region {name!r} on the set; choose another one")
        return Shape(self.index.mesh_of(piece), piece.pose)

    def volume(self, name: str, where: str) -> Shape:
        """As ``shape``, of a closed one. Raises BadRecipe."""
        found = self.shape(name, where)
        if not found.mesh.health.closed:
            raise BadRecipe(f"{where}: {name} is not closed, so that nothing is inside of it; close its mesh")
        return found

    def paints_on(self, piece: Piece, recipe: ScatterRecipe) -> list[Weight]:
        """What a surface is painted like, where rules go by that. Raises BadRecipe where one names a surface that is not painted."""
        rules = [rule for rule in recipe.rules.paint if rule.on in (None, piece.key)]
        painting = self.painted(piece.prop) if rules else None
        if painting is not None:
            return [paint_weight(rule, painting, piece.pose) for rule in rules]
        others = [key for key in recipe.on if key != piece.key and key in self.index.pieces]
        if any(rule.on == piece.key for rule in rules) or (
            rules and not any(self.painted(self.index.pieces[key].prop) for key in others)
        ):
            raise BadRecipe(
                f"rules.paint: the model of {piece.name} has no vertex colours; leave the rule out, or chalk it"
            )
        return []

    def away_from(self, rule: NearRule | FarRule, where: str) -> Away:
        """How far points are from what a rule names, but for edges. Raises BadRecipe."""
        if rule.line is not None:
            return distance_to_lines(parts_of(rule.line))
        shapes = [self.shape(rule.of, where)] if rule.of is not None else self.copies(rule.kind or "")
        return partial(distance_to, shapes, self.budget)

    def copies(self, prop: str) -> list[Shape]:
        """All pieces of a prop."""
        return [
            Shape(self.index.mesh_of(p), p.pose)
            for p in self.index.pieces.values()
            if p.prop.key == prop and p.key not in self.without
        ]


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
    later = [distance_weight(rule, places.away_from(rule, where)) for rule, where in apart if not rule.edge]
    by_edges = [rule for rule, _ in apart if rule.edge]
    later += [outside_weight(places.volume(name, "keep_out")) for name in recipe.keep_out]
    if recipe.only_inside:
        later.append(inside_weight([places.volume(name, "only_inside") for name in recipe.only_inside]))
    found = []
    # By their keys, each once: in which order they are named moves nothing.
    for place, name in enumerate(sorted(set(recipe.on))):
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
        own += places.paints_on(piece, recipe)
        own += [*later, *further]
        if recipe.pattern == "clumped":
            own.append(clumps_on(mesh, piece, recipe))
        sequence = sequence_on(mesh, piece.pose, recipe.spread, recipe.seed)
        found.append(Surface(place, piece, sequence, own, side, recipe.facing))
    return found


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


class Dots(NamedTuple):
    """A first sight of a recipe, in metres of the world. ``at``: (n, 3) where it lays, as far as its rules and its elbow room say. ``wanted``:
    how many pieces. ``barred``: (k, 3) points of its ground, some ``apart`` from each other, where nothing may lie."""

    at: Vec
    wanted: int
    barred: Vec
    apart: float


def dots_of(places: Places, recipe: ScatterRecipe, budget: Budget = UNLIMITED) -> Dots:
    """Where a recipe would lay; no shape is looked at. Raises BadRecipe, and GivenUp where the budget says so."""
    pool = Pool(surfaces_of(places, recipe), budget)
    if recipe.density_per_m2 is not None:
        found = pool.denser(recipe.density_per_m2).some(slice(MOST_LAID))
    else:
        found = pool.first(math.ceil(MORE_THAN_WANTED * (recipe.count or 0)) + A_FEW)
    if recipe.no_overlap == "elbow":
        kinds = kinds_of(found.number, recipe.props, recipe.seed)
        radius = np.array([rule.elbow_room_m for rule in recipe.props])[kinds]
        none = (np.zeros((0, 3)), np.zeros(0))
        found = found.some(with_elbow_room(found.at, radius, *none, recipe.facing != "surface"))
    wanted = recipe.count if recipe.count is not None else len(found.key)
    out = np.isin(found.number, np.array(recipe.exceptions.taken_out, np.int64))
    some = np.flatnonzero(~out[:wanted])
    area = sum(surface.sequence.area for surface in pool.surfaces)
    barred = [s.barred(math.ceil(BARRED_LOOKED_AT * s.sequence.area / area), budget) for s in pool.surfaces]
    apart = math.sqrt(area / BARRED_LOOKED_AT)
    return Dots(found.at[some], wanted, np.concatenate([np.zeros((0, 3)), *barred]), apart)
