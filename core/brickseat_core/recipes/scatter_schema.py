"""What a scatter recipe says: one or several props, on what, how many, and where. Metres and degrees.

The same plain values are the recipe of a file, the move of the API and what the set keeps; pieces go by key, in files by name.
"""

from dataclasses import field
from typing import Annotated, Any, Literal, TypeVar

from pydantic import Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from brickseat_core.placing.frames import TouchSide

MOST_LAID = 20_000
MOST_SEED = 2**53
"""The largest whole number that is the same in every language that reads JSON."""
MOST_IN_LIST = 1_000
Name = Annotated[str, Field(min_length=1, max_length=200)]
Number = Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)]
Length = Annotated[float, Field(ge=0, le=1e4, allow_inf_nan=False)]
Depth = Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Factor = Annotated[float, Field(ge=0.01, le=100, allow_inf_nan=False)]
Degrees = Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)]
Slope = Annotated[float, Field(ge=0, le=180, allow_inf_nan=False)]
Point = tuple[Number, Number, Number]
Line = Annotated[tuple[Point, ...], Field(min_length=1, max_length=10_000)]
SizeRange = tuple[Factor, Factor]
DegreeRange = tuple[Degrees, Degrees]
Names = Annotated[tuple[Name, ...], Field(max_length=MOST_IN_LIST)]
Pattern = Literal["even", "random", "clumped"]
Spread = Literal["even", "random"]
Clearing = Literal["shape", "elbow", "none"]
Facing = Literal["down", "up", "surface"]


class BadRecipe(ValueError):
    """A recipe that cannot be laid; says which part of it, and what to do."""


@dataclass(frozen=True)
class PropRule:
    """One prop of a recipe, by its key (``prop``), as the prop of a ``piece``, or out of a ``file``. ``name``: what chances
    tell it from the others by, where the key, the piece or the file is not to be it.

    ``share``: of all that are laid, beside the shares of the others. ``elbow_room_m``: radius kept free. ``size``: range of
    factors, in steps of ``size_step``; those of single axes besides. ``turn_deg``: range about its way up, in steps.
    ``tip_across_deg``, ``tip_along_deg``: ranges about the two other axes. ``lean``: 0 plumb to 1 square to the ground.
    ``gather_m``: only within so far of the props of the recipe that lie already, fading; ``clear_m``: only beyond so far of them,
    fading over the next ``clear_fade_m``. What has either is laid after what has not. ``auto_bed``: whether it is sunk as much deeper as it needs to be in balance. ``side``: which of its sides touches.
    """

    prop: Name | None = None
    piece: Name | None = None
    file: Annotated[str, Field(min_length=1, max_length=1000)] | None = None
    name: Annotated[str, Field(max_length=1000)] = ""
    share: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] = 1.0
    elbow_room_m: Length = 0.0
    size: SizeRange = (1.0, 1.0)
    size_step: Annotated[float, Field(ge=0, le=100, allow_inf_nan=False)] = 0.0
    size_across: SizeRange = (1.0, 1.0)
    size_up: SizeRange = (1.0, 1.0)
    size_along: SizeRange = (1.0, 1.0)
    turn_deg: DegreeRange = (0.0, 360.0)
    turn_step_deg: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 0.0
    tip_across_deg: DegreeRange = (0.0, 0.0)
    tip_along_deg: DegreeRange = (0.0, 0.0)
    tip_step_deg: Annotated[float, Field(ge=0, le=360, allow_inf_nan=False)] = 0.0
    lean: Share = 0.0
    sink_m: Depth = 0.0
    stand_off_m: Depth = 0.0
    auto_bed: bool = True
    gather_m: Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)] | None = None
    clear_m: Length | None = None
    clear_fade_m: Length = 0.0
    side: TouchSide = "base"

    @property
    def identity(self) -> str:
        """What tells this prop from the others of a recipe, whichever place it has among them."""
        return self.name or self.prop or self.piece or self.file or ""


@dataclass(frozen=True)
class NearRule:
    """Only within ``within_m`` of a piece or region (``of``), of any piece of a ``kind``, of the ``edge`` of the surface that is laid
    on, or of a chalked ``line`` of the world; fading over the last ``fade_m``."""

    within_m: Length
    of: Name | None = None
    kind: Name | None = None
    edge: bool = False
    line: Line | None = None
    fade_m: Length = 0.0


@dataclass(frozen=True)
class FarRule:
    """Only beyond ``beyond_m`` of the same; fading over the next ``fade_m``."""

    beyond_m: Length
    of: Name | None = None
    kind: Name | None = None
    edge: bool = False
    line: Line | None = None
    fade_m: Length = 0.0


@dataclass(frozen=True)
class ChalkPatch:
    """A stroke of chalk along ``points`` of the world: full within ``radius_m`` but for the last ``fade_m``.

    ``weight``: 1 lays all that may lie, 0 rubs out; where the first stroke rubs out, all is chalked before. Later strokes lie
    over earlier ones. ``on``: a surface, or any.
    """

    points: Line
    radius_m: Length
    on: Name | None = None
    weight: Share = 1.0
    fade_m: Length = 0.0


@dataclass(frozen=True)
class PaintRule:
    """Only where the model of a surface is painted: its vertex colours, nowhere where ``channel`` is 0, fully where it is 1; or the
    other way round (``reverse``). ``on``: a surface, or any that has such colours."""

    channel: Literal["red", "green", "blue", "light"] = "light"
    on: Name | None = None
    reverse: bool = False


@dataclass(frozen=True)
class AreaRule:
    """Only in a rectangle about ``at``, ``across_m`` wide and ``along_m`` long in plan, turned; or in the ellipse in it."""

    at: Point
    across_m: Length
    along_m: Length
    round: bool = True
    turn_deg: Degrees = 0.0


@dataclass(frozen=True)
class GroundRules:
    """Where a recipe may lay; what is left out is no rule. Slopes in degrees from level, heights in metres."""

    slope_deg: tuple[Slope, Slope] | None = None
    slope_fade_deg: Slope = 0.0
    height_m: tuple[Number | None, Number | None] | None = None
    height_fade_m: Length = 0.0
    near: Annotated[tuple[NearRule, ...], Field(max_length=MOST_IN_LIST)] = ()
    far: Annotated[tuple[FarRule, ...], Field(max_length=MOST_IN_LIST)] = ()
    chalk: Annotated[tuple[ChalkPatch, ...], Field(max_length=MOST_IN_LIST)] = ()
    paint: Annotated[tuple[PaintRule, ...], Field(max_length=20)] = ()
    area: AreaRule | None = None


@dataclass(frozen=True)
class NudgedPiece:
    """Where a piece was moved to by hand: its origin, and its basis row by row where it was turned or sized."""

    position: Point
    basis: tuple[Number, Number, Number, Number, Number, Number, Number, Number, Number] | None = None


@dataclass(frozen=True)
class Exceptions:
    """Numbers that are taken out, whose room stays free, and those that were moved by hand."""

    taken_out: Annotated[tuple[Annotated[int, Field(ge=1)], ...], Field(max_length=100_000)] = ()
    nudged: Annotated[dict[Annotated[int, Field(ge=1)], NudgedPiece], Field(max_length=100_000)] = field(
        default_factory=dict
    )


@dataclass(frozen=True)
class ScatterRecipe:
    """Many copies of ``props`` on the surfaces ``on``: ``count`` of them, or so many a square metre.

    ``pattern``: evenly, by pure chance, or in clumps some ``clump_m`` apart. ``no_overlap``: by their true shape, by elbow room
    besides, or not at all. ``facing``: ``down`` lies on what looks up, ``up`` hangs from what looks down, ``surface`` is
    set on floors, walls and ceilings alike. ``keep_out``: regions or pieces that nothing may reach into; ``only_inside``:
    those of which one must hold each piece. ``throw_m``: metres above the ground from which the pieces fall, with their weight and
    grip, as they are turned and sized; their sink and what they stand off count for nothing then. None: seated where they lie.
    """

    props: Annotated[tuple[PropRule, ...], Field(min_length=1, max_length=100)]
    on: Annotated[tuple[Name, ...], Field(min_length=1, max_length=MOST_IN_LIST)]
    count: Annotated[int, Field(ge=1, le=MOST_LAID)] | None = None
    density_per_m2: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)] | None = None
    pattern: Pattern = "even"
    clump_m: Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)] | None = None
    seed: Annotated[int, Field(ge=0, le=MOST_SEED)] = 1
    no_overlap: Clearing = "shape"
    facing: Facing = "down"
    throw_m: Annotated[float, Field(gt=0, le=20, allow_inf_nan=False)] | None = None
    rules: GroundRules = field(default_factory=GroundRules)
    keep_out: Names = ()
    only_inside: Names = ()
    exceptions: Exceptions = field(default_factory=Exceptions)

    @property
    def spread(self) -> Spread:
        """How the points that it lays on are spread."""
        return "random" if self.pattern == "random" else "even"


ADAPTER: TypeAdapter[ScatterRecipe] = TypeAdapter(ScatterRecipe)


def parse_recipe(data: Any) -> ScatterRecipe:
    """A recipe from plain JSON values. Raises BadRecipe, saying which part is wrong."""
    return checked(read_as(ADAPTER, data, "scatter"))


R = TypeVar("R")


def read_as(adapter: TypeAdapter[R], data: Any, kind: str) -> R:
    """A recipe of some kind from plain JSON values, each of them by itself. Raises BadRecipe."""
    if not isinstance(data, dict):
        raise BadRecipe(f"a recipe is an object; see brickseat schema {kind}")
    try:
        return adapter.validate_python(data, strict=False)
    except ValidationError as error:
        problem = error.errors()[0]
        where = ".".join(str(part) for part in problem["loc"])
        raise BadRecipe(f"{where or 'the recipe'}: {problem['msg'][:1].lower()}{problem['msg'][1:]}") from None


def check_named(where: str, names: tuple[str | None, ...]) -> None:
    """Raises BadRecipe where not just one of ``names`` says which prop is meant."""
    if sum(name is not None for name in names) != 1:
        raise BadRecipe(f"{where}: name a prop, a piece or a file, and only one of them")


def check_ranges(where: str, ranges: dict[str, tuple[float, float]]) -> None:
    """Raises BadRecipe where a range begins above its end."""
    for name, (low, high) in ranges.items():
        if low > high:
            raise BadRecipe(f"{where}.{name}: {low:g} is more than {high:g}; put the lesser one first")


def checked(recipe: ScatterRecipe) -> ScatterRecipe:
    """The same recipe. Raises BadRecipe where its parts contradict each other."""
    if (recipe.count is None) == (recipe.density_per_m2 is None):
        raise BadRecipe("count: say how many are laid, or density_per_m2, and not both")
    for number, rule in enumerate(recipe.props):
        where = f"props.{number}"
        check_named(where, (rule.prop, rule.piece, rule.file))
        ranges = ("size", "size_across", "size_up", "size_along", "turn_deg", "tip_across_deg", "tip_along_deg")
        check_ranges(where, {name: getattr(rule, name) for name in ranges})
    if all(rule.gather_m is not None or rule.clear_m is not None for rule in recipe.props):
        raise BadRecipe("props: one of them at least lies without others; leave out its gather_m and clear_m")
    if recipe.throw_m is not None and recipe.facing != "down":
        raise BadRecipe("throw_m: only what lies on floors can fall onto them; leave facing out")
    rules = recipe.rules
    for name, band in (("slope_deg", rules.slope_deg), ("height_m", rules.height_m)):
        if band is not None and band[0] is not None and band[1] is not None and band[0] > band[1]:
            raise BadRecipe(f"rules.{name}: {band[0]:g} is more than {band[1]:g}; put the lesser one first")
    distances: tuple[tuple[str, tuple[NearRule | FarRule, ...]], ...] = (("near", rules.near), ("far", rules.far))
    for name, each in distances:
        for number, distance in enumerate(each):
            said = (distance.of is not None, distance.kind is not None, distance.edge, distance.line is not None)
            if sum(said) != 1:
                raise BadRecipe(
                    f"rules.{name}.{number}: give a piece or region as of, a prop as kind, the edge or a line, and only one of them"
                )
    return recipe


def recipe_json(recipe: ScatterRecipe) -> dict[str, Any]:
    """A recipe as plain JSON values, without what says nothing."""
    found: dict[str, Any] = ADAPTER.dump_python(recipe, mode="json", exclude_defaults=True)
    return found


def recipe_schema() -> dict[str, Any]:
    """The JSON schema of a recipe, as ``brickseat scatter`` reads it."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **ADAPTER.json_schema(), "title": "scatter"}
