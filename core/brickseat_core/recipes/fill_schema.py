"""What a fill recipe says: a bay, with what it is filled, and how. Metres and degrees.

The same plain values are the recipe of a file, the move of the API and what the set keeps; pieces go by key, in files by name.
"""

from dataclasses import field
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter
from pydantic.dataclasses import dataclass

from brickseat_core.recipes.scatter_schema import (
    MOST_SEED,
    Exceptions,
    Length,
    Name,
    Share,
    SizeRange,
    check_named,
    check_ranges,
    read_as,
)

MOST_PLACED = 20_000
Sides = Literal["base", "any"]
SquareTo = Literal["bay", "world"]
FirstRow = Literal["back", "front"]


@dataclass(frozen=True)
class FillRule:
    """One prop of a recipe, by its key (``prop``), as the prop of a ``piece``, or out of a ``file``. ``name``: what chances
    tell it from the others by, where the key, the piece or the file is not to be it.

    ``share``: of all that are placed, beside the shares of the others; or ``count``, just so many. ``turn_step_deg``: steps in
    which it may be turned about the vertical, from square to the bay on; 0 for any turn. ``sides``: on its base only, or on any
    side that it rests on. ``size``: range of factors, in steps of ``size_step``. ``nest``: whether it may stand in a hollow.
    """

    prop: Name | None = None
    piece: Name | None = None
    file: Annotated[str, Field(min_length=1, max_length=1000)] | None = None
    name: Annotated[str, Field(max_length=1000)] = ""
    share: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 1.0
    count: Annotated[int, Field(ge=1, le=MOST_PLACED)] | None = None
    turn_step_deg: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 90.0
    sides: Sides = "base"
    size: SizeRange = (1.0, 1.0)
    size_step: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 0.0
    nest: bool = True

    @property
    def identity(self) -> str:
        """What tells this prop from the others of a recipe, whichever place it has among them."""
        return self.name or self.prop or self.piece or self.file or ""


@dataclass(frozen=True)
class FillRecipe:
    """A ``bay``, by key, filled with ``props`` from the bottom up: ``count`` of them, or as full as it goes.

    ``square_to``: whether rows follow the walls of the bay or the axes of the world. ``rough``: 0 neat, in rows and columns, to 1
    as if put in carelessly. ``first_row``: which row of a layer comes first. ``front_room_m``: left free along the open side.
    ``most_stacked``: how many stand on each other at most. ``by_hand``: only where each can be carried in from the open side.
    """

    bay: Name
    props: Annotated[tuple[FillRule, ...], Field(min_length=1, max_length=100)]
    count: Annotated[int, Field(ge=1, le=MOST_PLACED)] | None = None
    seed: Annotated[int, Field(ge=0, le=MOST_SEED)] = 1
    square_to: SquareTo = "bay"
    rough: Share = 0.0
    first_row: FirstRow = "back"
    front_room_m: Length = 0.0
    by_hand: bool = False
    most_stacked: Annotated[int, Field(ge=1, le=1000)] | None = None
    exceptions: Exceptions = field(default_factory=Exceptions)


ADAPTER: TypeAdapter[FillRecipe] = TypeAdapter(FillRecipe)
RULE_ADAPTER: TypeAdapter[FillRule] = TypeAdapter(FillRule)


def parse_fill(data: Any) -> FillRecipe:
    """A recipe from plain JSON values. Raises BadRecipe, saying which part is wrong."""
    return checked_fill(read_as(ADAPTER, data, "fill"))


def checked_fill(recipe: FillRecipe) -> FillRecipe:
    """The same recipe. Raises BadRecipe where its parts contradict each other."""
    for number, rule in enumerate(recipe.props):
        check_named(f"props.{number}", (rule.prop, rule.piece, rule.file))
        check_ranges(f"props.{number}", {"size": rule.size})
    return recipe


def fill_json(recipe: FillRecipe) -> dict[str, Any]:
    """A recipe as plain JSON values, without what says nothing."""
    found: dict[str, Any] = ADAPTER.dump_python(recipe, mode="json", exclude_defaults=True)
    return found


def fill_rule_json(rule: FillRule) -> dict[str, Any]:
    """One prop of a recipe as plain JSON values, without what says nothing."""
    found: dict[str, Any] = RULE_ADAPTER.dump_python(rule, mode="json", exclude_defaults=True)
    return found


def fill_schema() -> dict[str, Any]:
    """The JSON schema of a recipe, as ``brickseat fill`` reads it."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **ADAPTER.json_schema(), "title": "fill"}
