"""The numbers that pieces of a recipe are called by, for as long as it lives: the rank of a point on one of its surfaces."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from brickseat_core.recipes.scatter_schema import ScatterRecipe

MOST_POINTS = 1 << 20
"""Points of one surface at most."""


def places_of(on: Iterable[str]) -> list[str]:
    """The surfaces of a recipe in the order of their places: by their keys, each once, so that the order in which they are named moves nothing."""
    return sorted(set(on))


def number_of(place: NDArray[np.int64], rank: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n,) the numbers of points: those of the first surface from 1, of the second from ``MOST_POINTS`` + 1, and so on."""
    return place * MOST_POINTS + rank + 1


def renumbered(number: int, before: list[str], after: list[str]) -> int | None:
    """What a number is called once a recipe lays on the surfaces ``after`` in the place of those ``before``, both in the order of their places; None where
    its surface is not among them any more."""
    place, rank = divmod(number - 1, MOST_POINTS)
    if place >= len(before):
        return number
    return after.index(before[place]) * MOST_POINTS + rank + 1 if before[place] in after else None


def with_exceptions_of(recipe: ScatterRecipe, before: list[str]) -> ScatterRecipe:
    """``recipe`` whose exceptions, numbered on the surfaces ``before``, are numbered on its own; those of surfaces that are gone are left out."""
    after = places_of(recipe.on)
    if before == after:
        return recipe
    out = [renumbered(number, before, after) for number in recipe.exceptions.taken_out]
    nudged = {renumbered(number, before, after): at for number, at in recipe.exceptions.nudged.items()}
    exceptions = replace(
        recipe.exceptions,
        taken_out=tuple(number for number in out if number is not None),
        nudged={number: at for number, at in nudged.items() if number is not None},
    )
    return replace(recipe, exceptions=exceptions)
