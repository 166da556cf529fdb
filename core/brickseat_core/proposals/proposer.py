"""What proposers share: whose recipe it is, and how its pieces are made."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Generic, TypeVar

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.recipes.places import Places
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Triple

Recipe = TypeVar("Recipe")


@dataclass
class Proposer(Generic[Recipe]):
    """A recipe being carried out in ``places``, whose index is a fork that is its own. ``props``: of its rules, in their order.

    ``key_of``, ``name_of``: of the piece of a number, the second with the prop that it is a copy of. ``kept``: pieces that stand
    already, by number, because they were changed by hand or are spiked: they stay as they are.
    """

    places: Places
    recipe: Recipe
    props: list[Prop]
    recipe_key: str
    key_of: Callable[[int], str]
    name_of: Callable[[Prop, int], str]
    tolerance: float
    budget: Budget = UNLIMITED
    kept: Mapping[int, Piece] = field(default_factory=dict)

    def piece_of(
        self,
        number: int,
        prop: Prop,
        pose: Pose,
        direction: Triple = DOWN,
        sink: float = 0.0,
        stand_off: float = 0.0,
    ) -> Piece:
        """The piece of a number, as a copy of ``prop``. ``sink``, ``stand_off``: in metres."""
        name = self.name_of(prop, number)
        return Piece(
            self.key_of(number),
            name,
            prop,
            pose,
            "prop",
            direction,
            sink,
            stand_off,
            recipe=self.recipe_key,
            number=number,
        )
