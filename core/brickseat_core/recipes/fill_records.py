"""Fill recipes as the records that a set keeps, and back."""

from brickseat_core.recipes.fill_schema import FillRecipe, fill_json, parse_fill
from brickseat_core.recipes.records import kept, plain
from brickseat_core.scene import Recipe


def fill_record(key: str, name: str, recipe: FillRecipe) -> Recipe:
    """The record of a recipe."""
    return kept(key, name, "fill", recipe.seed, fill_json(recipe), recipe.exceptions)


def fill_of(record: Recipe) -> FillRecipe:
    """The recipe that a record keeps. Raises BadRecipe where it keeps none."""
    return parse_fill(plain(record, "fill"))
