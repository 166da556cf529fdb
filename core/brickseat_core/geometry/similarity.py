"""How the same points lie in other units and about other axes."""

import numpy as np
from numpy.typing import NDArray

Vec = NDArray[np.float64]


def similarity_between(before: Vec, after: Vec) -> Vec | None:
    """(3, 3) turn and size, without a shift, that leads points ``before`` (n, 3) to ``after`` (n, 3), row by row.

    None where none does within a thousandth of their spread, or where nothing tells it: points on one line, or at one
    place. Points in a plane are enough (Umeyama, "Least-squares estimation of transformation parameters", 1991).
    """
    spread, grown = float(np.linalg.norm(before)), float(np.linalg.norm(after))
    if before.shape != after.shape or not spread or not grown:
        return None
    u, sizes, vt = np.linalg.svd(before.T @ after)
    if sizes[1] <= 1e-9 * sizes[0]:
        return None
    mirror = np.array([1.0, 1.0, np.sign(np.linalg.det(u @ vt))])
    linear = grown / spread * (vt.T * mirror) @ u.T
    found: Vec = np.asarray(linear)
    return found if np.linalg.norm(before @ found.T - after) <= 1e-3 * grown else None
