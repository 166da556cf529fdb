"""Ground to lay many on, and props that lie there."""

import numpy as np

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Prop, Vec
from shapes import ball, box, piece, revolved

YARD = 8.0
"""Metres that the yard is wide and long."""


def height_at(x: Vec, z: Vec) -> Vec:
    return np.asarray(0.25 * np.sin(0.9 * x) * np.cos(0.7 * z) + 0.05 * np.sin(3.1 * x + 1.0) * np.sin(2.3 * z))


def terrain(parts: int = 48, rough: float = 1.0) -> Mesh:
    """An open height field of rolling ground, ``YARD`` wide, its middle at the origin."""
    steps = np.linspace(-0.5 * YARD, 0.5 * YARD, parts + 1)
    x, z = np.meshgrid(steps, steps, indexing="ij")
    first = (np.arange(parts)[:, None] * (parts + 1) + np.arange(parts)[None]).ravel()
    faces = np.concatenate(
        [
            np.stack([first, first + 1, first + parts + 1], axis=1),
            np.stack([first + 1, first + parts + 2, first + parts + 1], axis=1),
        ]
    )
    return Mesh(np.stack([x, rough * height_at(x, z), z], axis=-1).reshape(-1, 3), faces.astype(np.int32))


POT = revolved([(0, 0), (0.04, 0), (0.06, 0.05), (0.05, 0.12), (0.04, 0.12), (0.05, 0.05), (0, 0.01)], 16)
PROPS = {
    "pot": Prop("pot", "pot", POT),
    "stone": Prop("stone", "stone", ball(0.05, 1)),
    "brick": Prop("brick", "brick", box(0.2, 0.06, 0.1)),
}


def yard(rough: float = 1.0) -> Piece:
    return piece("ground", terrain(rough=rough), bearer=True)
