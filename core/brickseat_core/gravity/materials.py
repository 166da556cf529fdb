"""What things are made of: how heavy, how grippy, how bouncy. Believable defaults; a prop may say otherwise."""

from dataclasses import dataclass
from math import inf


@dataclass(frozen=True)
class Material:
    """``density``: kg/m³ of the solid. ``grip``: friction coefficient. ``bounce``: restitution, 0 to 1. ``fall``:
    metres that a thing of it falls onto something hard before it breaks."""

    key: str
    name: str
    density: float
    grip: float
    bounce: float
    fall: float = inf


MATERIALS: dict[str, Material] = {
    m.key: m
    for m in (
        Material("earthenware", "earthenware", 1900.0, 0.6, 0.1, 0.25),
        Material("glazed", "glazed stoneware", 2300.0, 0.45, 0.12, 0.3),
        Material("brick", "brick and tile", 1850.0, 0.7, 0.05, 0.4),
        Material("stone", "stone", 2600.0, 0.7, 0.05),
        Material("wood", "wood", 650.0, 0.55, 0.15),
        Material("wicker", "wicker", 350.0, 0.6, 0.2),
        Material("cloth", "filled sack", 800.0, 0.8, 0.0),
        Material("iron", "iron", 7600.0, 0.5, 0.15),
        Material("glass", "glass", 2500.0, 0.4, 0.15, 0.15),
        Material("plant", "pot and plant", 900.0, 0.6, 0.05),
        Material("paper", "card and paper", 700.0, 0.5, 0.05),
    )
}
USUAL_MATERIAL = "earthenware"
OPEN_THICKNESS = 0.004
"""Metres of wall that an open mesh, which has no volume, is taken to have when it is weighed."""


def mass_of(volume: float | None, area: float, material: Material) -> float:
    """Kilograms of a prop: its true volume (m³), or its surface (m²) as a thin wall when it is open."""
    solid = volume if volume else area * OPEN_THICKNESS
    return solid * material.density
