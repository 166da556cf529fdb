"""How a prop falls: the shape that it meets others with, and what it is of."""

from collections.abc import Callable
from dataclasses import dataclass

from brickseat_core.gravity.settling import shapes_for
from brickseat_core.gravity.shapes import ContactShape, ShapeKind
from brickseat_core.gravity.world import PhysicalProperties
from brickseat_core.scene import Prop


@dataclass(frozen=True)
class Falling:
    """What gravity goes by of one prop."""

    shape: ContactShape
    properties: PhysicalProperties


Falls = Callable[[Prop], Falling]
"""How each prop falls. Raises NotForGravity, with the prop named, where it has no contact shape."""


def falling(prop: Prop, kind: ShapeKind | None = None, properties: PhysicalProperties | None = None) -> Falling:
    """By a contact shape of that kind, or the best one of its mesh, and by the usual material where nothing else is known.

    Raises NotForGravity.
    """
    return Falling(
        shapes_for({prop.key: prop}, {prop.key: kind} if kind else {})[prop.key], properties or PhysicalProperties()
    )
