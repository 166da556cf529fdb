"""What a stored prop is made of: what gravity goes by."""

import math

from brickseat.store.models import StoredProp
from brickseat_core.gravity.materials import MATERIALS, USUAL_MATERIAL
from brickseat_core.gravity.world import PhysicalProperties

NEVER_BREAKS = 0.0
"""A fall of nothing in a prop's row: it does not break, whatever its material does."""


def properties_of(prop: StoredProp) -> PhysicalProperties:
    """Its own figures where it has some, else those of its material."""
    material = MATERIALS.get(prop.material, MATERIALS[USUAL_MATERIAL])
    fall = math.inf if prop.fall == NEVER_BREAKS else prop.fall
    return PhysicalProperties(material, prop.grip, prop.bounce, prop.mass, fall)
