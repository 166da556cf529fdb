"""What is refused of a file that can be read: what stands too far away, is too flat, too small, or there too often."""

from collections.abc import Sequence

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Region

FARTHEST = 1e6
"""Metres from the origin at which nothing is placed any more: there a float64 is exact to a ten-millionth of a millimetre, as contact wants it."""
SMALLEST = 1e-6
"""Metres of the largest extent of a prop."""
LEAST_SCALE = 1e-6
MOST_COINCIDENT = 256
"""Triangles of the very same three places: more of them mean nothing, and each is asked with each other one."""


def check_poses(standing: Sequence[Piece | Region]) -> None:
    """Raises FileError where something stands at a pose at which nothing can, or is as large as that."""
    linear = np.array([each.pose.linear for each in standing]).reshape(-1, 3, 3)
    origin = np.array([each.pose.origin for each in standing]).reshape(-1, 3)
    extent = np.array([each.prop.mesh.box for each in standing]).reshape(-1, 6)
    far = ~(np.abs(np.concatenate([linear.reshape(-1, 9), origin, extent], axis=1)).max(axis=1) <= FARTHEST)
    flat = ~(np.abs(np.linalg.det(np.where(far[:, None, None], np.eye(3), linear))) > LEAST_SCALE**3)
    for wrong, why in (
        (far, f"is farther than {FARTHEST:.0e} m away, or larger than that; is its unit right?"),
        (flat, "is flattened to nothing: its transform has no inverse; mend it and export it again"),
    ):
        if wrong.any():
            raise FileError(f"“{standing[int(np.flatnonzero(wrong)[0])].name}” {why}")


def check_mesh(mesh: Mesh) -> None:
    """Raises FileError for a mesh that nothing can be said of: far away, without extent, or the same triangle over and over."""
    lo, hi = mesh.box
    if float(np.abs([lo, hi]).max()) > FARTHEST:
        raise FileError(f"reaches farther than {FARTHEST:.0e} m from its origin; is its unit right?")
    if float((hi - lo).max()) < SMALLEST:
        raise FileError(f"is smaller than {SMALLEST:.0e} m; is its unit right?")
    if not mesh.area > 0.0:
        raise FileError("has no surface: all of its triangles are lines or points; mend the model and export it again")
    places = np.sort(mesh.welded, axis=1)
    _, times = np.unique(places, axis=0, return_counts=True)
    if int(times.max()) > MOST_COINCIDENT:
        raise FileError(f"has the same triangle {int(times.max())} times; take the copies out and export it again")
