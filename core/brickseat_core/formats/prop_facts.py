"""What a file says of its props beside their meshes, for the moves that ask: how they fall, and how they are painted."""

from functools import cache
from typing import TYPE_CHECKING

from brickseat_core.formats.gltf_set import GltfSet
from brickseat_core.formats.painted import painted_in
from brickseat_core.moves import PropFacts
from brickseat_core.scene import Prop

if TYPE_CHECKING:
    from brickseat_core.gravity.falling import Falling, Falls


def falls_of(found: GltfSet) -> "Falls":
    """By the extras of the set, and by their meshes where it says nothing. Each shape is made once. What it returns raises
    NotForGravity and FileError."""

    @cache
    def falls(prop: Prop) -> "Falling":
        # The engine takes its time to load, and few moves need it.
        from brickseat_core.formats.settle_extras import properties_and_kinds
        from brickseat_core.gravity.falling import Falling
        from brickseat_core.gravity.settling import shapes_for
        from brickseat_core.gravity.world import PhysicalProperties

        properties, kinds = properties_and_kinds(found)
        return Falling(shapes_for({prop.key: prop}, kinds)[prop.key], properties.get(prop.key, PhysicalProperties()))

    return falls


def facts_of(found: GltfSet) -> PropFacts:
    """What a file says of its props."""
    return PropFacts(falls_of(found), painted_in(found))
