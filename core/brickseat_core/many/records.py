"""Recipes as the records that a set keeps, and back: parameters, seed, and exceptions."""

from typing import Any

from brickseat_core.many.recipe import BadRecipe, ScatterRecipe, parse_recipe, recipe_json
from brickseat_core.scene import Pose, Recipe

APART = ("seed", "exceptions")
"""What of a recipe its record keeps in fields of their own."""


def record_of(key: str, name: str, recipe: ScatterRecipe) -> Recipe:
    """The record of a recipe."""
    parameters = {k: v for k, v in recipe_json(recipe).items() if k not in APART}
    exceptions = recipe.exceptions
    nudged = tuple(
        (number, Pose(at.position, at.basis) if at.basis is not None else Pose(at.position))
        for number, at in sorted(exceptions.nudged.items())
    )
    return Recipe(key, name, "scatter", recipe.seed, parameters, tuple(sorted(set(exceptions.taken_out))), nudged)


def recipe_of(record: Recipe) -> ScatterRecipe:
    """The recipe that a record keeps. Raises BadRecipe where it keeps none."""
    if record.recipe != "scatter":
        raise BadRecipe(f"{record.name} is no scatter; choose another recipe")
    nudged: dict[str, Any] = {
        f"{number}": {"position": list(pose.position), "basis": list(pose.basis)} for number, pose in record.nudged
    }
    exceptions = {"taken_out": list(record.taken_out), "nudged": nudged}
    return parse_recipe({**record.parameters, "seed": record.seed, "exceptions": exceptions})
