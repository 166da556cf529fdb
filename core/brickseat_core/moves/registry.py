"""The registry of moves: what the API, the command line, previews and tests know of each comes from here.

A move is one file: a frozen pydantic dataclass whose fields are its schema, and a function that computes what it does.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any, TypeVar, Union, get_args, get_type_hints

from pydantic import Field, TypeAdapter, ValidationError

from brickseat_core.budget import UNLIMITED, Budget, GivenUp
from brickseat_core.constraints.bodies import Joined, as_bodies
from brickseat_core.constraints.obeying import TiesInTheWay, obeyed
from brickseat_core.contact.index import SceneIndex
from brickseat_core.executing import NoCluster, OpenPool
from brickseat_core.fit.measuring import Fit
from brickseat_core.fit.repair import Left
from brickseat_core.moves.following import (
    left_apart,
    seated_in_walls,
    with_exceptions,
    with_relations,
    without_own_walls,
    without_riders,
)
from brickseat_core.scene import Change, Piece, Prop, Set

if TYPE_CHECKING:
    # The engine takes its time to load, and few moves need it.
    from brickseat_core.gravity.falling import Falls
    from brickseat_core.recipes.places import Painted


class MoveRefused(ValueError):
    """A move that cannot be made: says what, and what to do. ``ties``: keys of those that are in its way."""

    def __init__(self, text: str, ties: tuple[str, ...] = ()) -> None:
        super().__init__(text)
        self.ties = ties


@dataclass(frozen=True)
class PropFacts:
    """What is known of props beside their meshes. ``falls``: how one falls; ``painted``: the vertex colours of its model. None where nobody
    knows more."""

    falls: "Falls | None" = None
    painted: "Painted | None" = None


MESHES_ALONE = PropFacts()


@dataclass(frozen=True)
class Scene:
    """What a move is computed in.

    ``index``: a fork that belongs to this computation alone. ``prop``: the prop of a key, raising MoveRefused where
    there is none. ``fresh_key``: a key that no record has. ``joined``: for a move of whole bodies, which of ``dressed``'s
    pieces stand for several that are joined; ``apart``: the set in which those are pieces of their own. ``facts``: of props.
    ``pool``: a cluster that takes a share of large computations; None where this machine does it all.
    """

    dressed: Set
    index: SceneIndex
    fits: Mapping[str, Fit]
    prop: Callable[[str], Prop]
    fresh_key: Callable[[], str]
    joined: Joined
    apart: Set
    budget: Budget = UNLIMITED
    facts: PropFacts = MESHES_ALONE
    pool: OpenPool | None = None


@dataclass(frozen=True)
class Outcome:
    """What a move does to the set, and which pieces it left as they were, and why. ``counts``: what else is reported of it,
    by name."""

    change: Change
    left: tuple[Left, ...] = ()
    counts: Mapping[str, int] = field(default_factory=dict)


M = TypeVar("M")
Compute = Callable[[Scene, Any], Outcome]


@dataclass(frozen=True)
class MoveKind:
    """One kind of move. ``form``: its dataclass. ``quick``: computed within a frame or two, so that it may be previewed.

    ``asked``: whether it can be asked for from outside, or is only made by the server itself. ``bodily``: it takes joined
    pieces as the one body that they are.
    """

    kind: str
    form: type
    compute: Compute
    quick: bool
    asked: bool
    bodily: bool


@dataclass
class Registry:
    """All kinds of moves by name."""

    kinds: dict[str, MoveKind] = field(default_factory=dict)
    _adapter: tuple[int, TypeAdapter[Any]] | None = None

    def __iter__(self) -> Iterator[MoveKind]:
        return iter(self.kinds.values())

    def register(
        self,
        form: type[M],
        compute: Callable[[Scene, M], Outcome],
        *,
        quick: bool = False,
        asked: bool = True,
        bodily: bool = False,
    ) -> None:
        """Add a kind of move under the one value that its field ``kind`` may have. Raises ValueError."""
        (kind,) = get_args(get_type_hints(form)["kind"])
        if kind in self.kinds:
            raise ValueError(f"there is a move of kind {kind} already")
        self.kinds[kind] = MoveKind(kind, form, compute, quick, asked, bodily)

    def any_form(self) -> Any:
        """The type of every move that can be asked for: a union told apart by ``kind``."""
        return Annotated[Union[tuple(k.form for k in self if k.asked)], Field(discriminator="kind")]  # noqa: UP007

    def adapter(self) -> TypeAdapter[Any]:
        """What reads any move that can be asked for. Made once for the kinds there are: it takes milliseconds."""
        if self._adapter is None or self._adapter[0] != len(self.kinds):
            self._adapter = (len(self.kinds), TypeAdapter(self.any_form()))
        return self._adapter[1]

    def of(self, move: Any) -> MoveKind:
        """The kind of a move. Raises MoveRefused where there is no such kind."""
        found = self.kinds.get(getattr(move, "kind", ""))
        if found is None:
            raise MoveRefused("that move is not known")
        return found


REGISTRY = Registry()


def parse(data: Any) -> Any:
    """A move from plain JSON values. Raises MoveRefused, saying which part is wrong."""
    kinds = [k.kind for k in REGISTRY if k.asked]
    if not isinstance(data, dict) or data.get("kind") not in kinds:
        raise MoveRefused(f"a move is an object whose kind is one of {', '.join(sorted(kinds))}")
    try:
        return REGISTRY.adapter().validate_python(data, strict=False)
    except ValidationError as error:
        raise MoveRefused(first_problem(error)) from None


def first_problem(error: ValidationError) -> str:
    """The first thing that is wrong with a move, in one line: which field, and why."""
    problem = error.errors()[0]
    where = ".".join(str(part) for part in problem["loc"])
    return f"{where or 'the move'}: {problem['msg'][:1].lower()}{problem['msg'][1:]}"


def schema() -> dict[str, Any]:
    """The JSON schema of a list of moves, as ``brickseat apply`` reads it."""
    found: dict[str, Any] = {"type": "array", "items": REGISTRY.adapter().json_schema()}
    definitions = found["items"].pop("$defs", {})
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "moves", **found, "$defs": definitions}


def keys_of(move: Any) -> tuple[str, ...]:
    """The keys of the standing pieces that a move takes hold of."""
    one = getattr(move, "piece", None)
    many = getattr(move, "pieces", None) or ()
    return (*((one,) if isinstance(one, str) else ()), *many, *getattr(move, "broken", ()))


def compute_move(
    dressed: Set,
    index: SceneIndex,
    fits: Mapping[str, Fit],
    move: Any,
    prop: Callable[[str], Prop],
    fresh_key: Callable[[], str],
    budget: Budget = UNLIMITED,
    facts: PropFacts = MESHES_ALONE,
    pool: OpenPool | None = None,
) -> Outcome:
    """What ``move`` does to a set, computed on a fork: ``dressed``, ``index`` and ``fits`` stay as they are.

    What goes takes its relations along, and ties are obeyed. ``budget``: how long it may take, and who hears how far it is.
    ``facts``: of props. ``pool``: a cluster, where there is one. Raises MoveRefused.
    """
    kind = REGISTRY.of(move)
    held = (keys_of(move) or index.bodies) if kind.bodily else ()
    joined = as_bodies(dressed, index, [k for k in held if k in index.bodies])
    target = getattr(move, "to", None)
    if target in without_riders(dressed, joined, held):
        raise MoveRefused(
            f"{dressed.pieces[target].name} clings to what is moved and comes along; choose another target"
        )
    walls = without_own_walls(dressed, joined, held) if not hasattr(move, "to") else ()
    scene = Scene(joined.dressed, joined.index, fits, prop, fresh_key, joined, dressed, budget, facts, pool)
    try:
        outcome = kind.compute(scene, move)
        change = with_relations(dressed, joined.parted(outcome.change))
        if walls:
            change = seated_in_walls(dressed, index, change, {key: key for key in walls})
        change = with_exceptions(dressed, obeyed(dressed, index, change, budget))
        return Outcome(change, left_apart(joined, outcome.left), outcome.counts)
    except (GivenUp, NoCluster) as problem:
        raise MoveRefused(str(problem)) from None
    except TiesInTheWay as problem:
        raise MoveRefused(str(problem), problem.ties) from None


def own_place(scene: Scene, key: str) -> Piece:
    """The piece of that key itself, even where a body stands for it. Raises MoveRefused where there is none."""
    found = scene.apart.pieces.get(key)
    if found is None:
        raise MoveRefused("that piece is no longer on the set; somebody took it away")
    return found
