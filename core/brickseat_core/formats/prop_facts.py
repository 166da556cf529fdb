"""What a file says of its props beside their meshes, for the moves that ask: how they fall, and how they are painted."""

from functools import cache
from typing import TYPE_CHECKING

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
    NotForGravity and FileError."""

    @cache
    def said() -> "tuple[dict[str, PhysicalProperties], dict[str, ShapeKind]]":
        # The engine takes its time to load, and few moves need it.
        from brickseat_core.formats.settle_extras import properties_and_kinds

        return properties_and_kinds(found)

    @cache
    def falls(prop: Prop) -> "Falling":
        from brickseat_core.gravity.falling import falling

        properties, kinds = said()
        return falling(prop, kinds.get(prop.key), properties.get(prop.key))

    return falls


def facts_of(found: GltfSet) -> PropFacts:
    """What a file says of its props."""
    return PropFacts(falls_of(found), painted_in(found))
