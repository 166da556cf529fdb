"""Recipes as the records that a set keeps, and back: parameters, seed, and exceptions."""

from typing import Any

from brickseat_core.recipes.scatter_schema import BadRecipe, Exceptions, ScatterRecipe, parse_recipe, recipe_json
from brickseat_core.scene import Pose, Recipe
from brickseat_core.scene.records import RecipeKind

APART = ("seed", "exceptions")
"""What of a recipe its record keeps in fields of their own."""


def record_of(key: str, name: str, recipe: ScatterRecipe) -> Recipe:
    """The record of a recipe."""
    return kept(key, name, "scatter", recipe.seed, recipe_json(recipe), recipe.exceptions)


def recipe_of(record: Recipe) -> ScatterRecipe:
    """The recipe that a record keeps. Raises BadRecipe where it keeps none."""
    return parse_recipe(plain(record, "scatter"))


def kept(key: str, name: str, kind: RecipeKind, seed: int, data: dict[str, Any], exceptions: Exceptions) -> Recipe:
    """The record of a recipe of any kind. ``data``: its plain JSON values."""
    parameters = {k: v for k, v in data.items() if k not in APART}
    nudged = tuple(
        (number, Pose(at.position, at.basis) if at.basis is not None else Pose(at.position))
        for number, at in sorted(exceptions.nudged.items())
    )
    return Recipe(key, name, kind, seed, parameters, tuple(sorted(set(exceptions.taken_out))), nudged)


def plain(record: Recipe, kind: RecipeKind) -> dict[str, Any]:
    """The plain JSON values of the recipe that a record keeps. Raises BadRecipe where it is none of that kind."""
    if record.recipe != kind:
        raise BadRecipe(f"{record.name} is no {kind}; choose another recipe")
    nudged: dict[str, Any] = {
        f"{number}": {"position": list(pose.position), "basis": list(pose.basis)} for number, pose in record.nudged
    }
    exceptions = {"taken_out": list(record.taken_out), "nudged": nudged}
    return {**record.parameters, "seed": record.seed, "exceptions": exceptions}
