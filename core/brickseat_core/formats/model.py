"""What a model file holds, before it is a prop or a set: named parts, with what the file says of unit and up axis."""

from dataclasses import dataclass
from typing import Literal

from brickseat_core.formats.gltf.building import Surface

UpAxis = Literal["y", "z"]


@dataclass(frozen=True, eq=False)
class Part:
    """A named body of one or several painted surfaces, in the file's own unit and axes."""

    name: str
    surfaces: tuple[Surface, ...]


@dataclass(frozen=True, eq=False)
class Model:
    """``metres_per_unit``, ``up``: as the file declares them; None where its format has no word for them."""

    parts: tuple[Part, ...]
    metres_per_unit: float | None = None
    up: UpAxis | None = None
