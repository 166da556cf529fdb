"""How a prop falls: the shape that it meets others with, and what it is of."""

from collections.abc import Callable
from dataclasses import dataclass

from brickseat_core.gravity.shapes import ContactShape, NoShape, settling_shape
from brickseat_core.gravity.world import NotForGravity, PhysicalProperties
from brickseat_core.scene import Prop


@dataclass(frozen=True)
class Falling:
    """What gravity goes by of one prop."""

    shape: ContactShape
    properties: PhysicalProperties


Falls = Callable[[Prop], Falling]
"""How each prop falls. Raises NotForGravity, with the prop named, where it has no contact shape."""


def plain_falls(prop: Prop) -> Falling:
    """The best contact shape of its mesh, and the usual material. Raises NotForGravity."""
    try:
        return Falling(settling_shape(prop.mesh), PhysicalProperties())
    except NoShape as problem:
        raise NotForGravity(f"{prop.name} cannot fall: {problem}") from None
