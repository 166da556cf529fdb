"""What a set's extras say for settling: ``friction``, ``mass`` and ``contact_shape`` of a body, by prop."""

from typing import Any

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.reading import GltfSet
from brickseat_core.gravity.shapes import SHAPE_KINDS, ShapeKind
from brickseat_core.gravity.world import PhysicalProperties

MOST_FRICTION, MOST_MASS = 3.0, 1e6


def properties_and_kinds(found: GltfSet) -> tuple[dict[str, PhysicalProperties], dict[str, ShapeKind]]:
    """By prop key. The first body of a prop that says something speaks for all. Raises FileError on bad values."""
    properties: dict[str, PhysicalProperties] = {}
    kinds: dict[str, ShapeKind] = {}
    for key, body in found.bodies.items():
        prop = found.dressed.pieces[key].prop.key
        friction = figure(body.extras.get("friction"), "friction", body.name, MOST_FRICTION)
        mass = figure(body.extras.get("mass"), "mass", body.name, MOST_MASS)
        if friction is not None or mass is not None:
            properties.setdefault(prop, PhysicalProperties(grip=friction, mass=mass))
        wanted = body.extras.get("contact_shape")
        if wanted is not None:
            kinds.setdefault(prop, shape_kind(wanted, body.name))
    return properties, kinds


def figure(value: Any, what: str, name: str, most: float) -> float | None:
    """A number from 0 to ``most`` out of extras, or None when it is not there. Raises FileError."""
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= value <= most:
        raise FileError(f"{name}: {what} {value!r} is not a number from 0 to {most:g}; correct its extras")
    return float(value)


def shape_kind(value: Any, name: str) -> ShapeKind:
    """The kind of contact shape that extras ask for. Raises FileError, naming ``name``."""
    for kind in SHAPE_KINDS:
        if kind == value:
            return kind
    raise FileError(f"{name}: contact_shape {value!r} is not one of {', '.join(SHAPE_KINDS)}; correct its extras")
