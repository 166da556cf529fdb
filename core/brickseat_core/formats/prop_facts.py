"""What a file says of its props beside their meshes, for the moves that ask: how they fall, and how they are painted."""

from functools import cache
from typing import TYPE_CHECKING

from brickseat_core.budget import Budget
from brickseat_core.formats.gltf.painted import painted_in
from brickseat_core.formats.gltf.reading import GltfSet
from brickseat_core.moves import PropFacts
from brickseat_core.scene import Prop

if TYPE_CHECKING:
    from brickseat_core.gravity.falling import Falling, Falls
    from brickseat_core.gravity.shapes import ShapeKind
    from brickseat_core.gravity.world import PhysicalProperties


def falls_of(found: GltfSet) -> "Falls":
    """By the extras of the set, and by their meshes where it says nothing. Each shape is made once. What it returns raises
    NotForGravity and FileError, and GivenUp."""

    @cache
    def said() -> "tuple[dict[str, PhysicalProperties], dict[str, ShapeKind]]":
        # The engine takes its time to load, and few moves need it.
        from brickseat_core.formats.settle_extras import properties_and_kinds

        return properties_and_kinds(found)

    made: dict[str, Falling] = {}

    def falls(prop: Prop, budget: Budget) -> "Falling":
        from brickseat_core.formats.shape_file import settling_shape_apart
        from brickseat_core.gravity.falling import Falling
        from brickseat_core.gravity.world import PhysicalProperties

        if prop.key not in made:
            properties, kinds = said()
            shape = settling_shape_apart(prop, kinds.get(prop.key), budget)
            made[prop.key] = Falling(shape, properties.get(prop.key, PhysicalProperties()))
        return made[prop.key]

    return falls


def facts_of(found: GltfSet) -> PropFacts:
    """What a file says of its props."""
    return PropFacts(falls_of(found), painted_in(found))
