"""How a prop falls: the shape that it meets others with, and what it is of."""

from collections.abc import Callable
from dataclasses import dataclass

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.gravity.settling import shapes_for
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.gravity.world import PhysicalProperties
from brickseat_core.scene import Prop


@dataclass(frozen=True)
class Falling:
    """What gravity goes by of one prop."""

    shape: ContactShape
    properties: PhysicalProperties


Falls = Callable[[Prop, Budget], Falling]
"""How each prop falls. Raises NotForGravity, with the prop named, where it has no contact shape, and GivenUp."""


def falling(prop: Prop, budget: Budget = UNLIMITED) -> Falling:
    """By the best contact shape of its mesh, and by the usual material. Raises NotForGravity, and GivenUp where the budget says so."""
    return Falling(shapes_for({prop.key: prop}, {}, budget)[prop.key], PhysicalProperties())
