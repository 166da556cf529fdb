"""Dots: a first sight of where a scatter recipe would lay. No shape is looked at."""

import math
from typing import NamedTuple

import numpy as np

from brickseat_core.admission.choosing import with_room
from brickseat_core.proposals.scatter.pool import Pool
from brickseat_core.proposals.scatter.shaping import kinds_of
from brickseat_core.proposals.scatter.surfaces import A_FEW, MORE_THAN_WANTED, surfaces_of
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import MOST_LAID, ScatterRecipe
from brickseat_core.scene import Vec

BARRED_LOOKED_AT = 1500
"""Points of all the ground at which it is looked whether anything may lie."""


class Dots(NamedTuple):
    """A first sight of a recipe, in metres of the world. ``at``: (n, 3) where it lays, as far as its rules and its elbow room say. ``wanted``:
    how many pieces. ``barred``: (k, 3) points of its ground, some ``apart`` from each other, where nothing may lie."""

    at: Vec
    wanted: int
    barred: Vec
    apart: float


def dots_of(places: Places, recipe: ScatterRecipe) -> Dots:
    """Where a recipe would lay; no shape is looked at. Raises BadRecipe, and GivenUp where the budget of ``places`` says so."""
    budget = places.budget
    pool = Pool(surfaces_of(places, recipe), budget)
    if recipe.density_per_m2 is not None:
        found = pool.denser(recipe.density_per_m2, MOST_LAID)
    else:
        found = pool.first(math.ceil(MORE_THAN_WANTED * (recipe.count or 0)) + A_FEW)
    if recipe.no_overlap == "elbow":
        kinds = kinds_of(found.number, recipe.props, recipe.seed)
        radius = np.array([rule.elbow_room_m for rule in recipe.props])[kinds]
        found = found.some(with_room(found.at, radius, recipe.facing != "surface"))
    wanted = recipe.count if recipe.count is not None else len(found.key)
    out = np.isin(found.number, np.array(recipe.exceptions.taken_out, np.int64))
    some = np.flatnonzero(~out[:wanted])
    area = sum(surface.sequence.area for surface in pool.surfaces)
    barred = [s.barred(math.ceil(BARRED_LOOKED_AT * s.sequence.area / area), budget) for s in pool.surfaces]
    apart = math.sqrt(area / BARRED_LOOKED_AT)
    return Dots(found.at[some], wanted, np.concatenate([np.zeros((0, 3)), *barred]), apart)
