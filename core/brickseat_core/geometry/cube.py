"""A cube, of which plates, paper boxes and trials are made."""

import numpy as np

from brickseat_core.geometry.mesh import Mesh

CUBE_FACES = (
    (0, 2, 3), (0, 3, 1), (4, 5, 7), (4, 7, 6), (0, 1, 5), (0, 5, 4),
    (2, 6, 7), (2, 7, 3), (0, 4, 6), (0, 6, 2), (1, 3, 7), (1, 7, 5),
)  # fmt: skip


def cube() -> Mesh:
    """A cube with edges of one metre about the origin."""
    corners = np.array([[x, y, z] for z in (-0.5, 0.5) for y in (-0.5, 0.5) for x in (-0.5, 0.5)])
    return Mesh(corners, np.array(CUBE_FACES, dtype=np.int32))
