"""The nearest point that fulfils linear equations and inequalities."""

import numpy as np

from brickseat_core.scene import Vec

RANK = 1e-7
"""Share of the largest singular value below which equations count as dependent."""
CONSISTENT = 1e-9
"""Metres by which dependent equations may contradict each other."""
FEASIBLE = 1e-9


def nearest_point(equal: Vec, at: Vec, least: Vec, above: Vec) -> Vec | None:
    """The shortest ``x`` (n,) with ``equal @ x = at`` and ``least @ x >= above``; None where there is none.

    ``equal`` (k, n), ``at`` (k,), ``least`` (m, n), ``above`` (m,). Equations by singular values; least distance by
    non-negative least squares (Lawson and Hanson, "Solving least squares problems", 1974, chapter 23).
    """
    n = equal.shape[1] if len(equal) else least.shape[1]
    start, free = np.zeros(n), np.eye(n)
    if len(equal):
        u, s, vt = np.linalg.svd(equal, full_matrices=True)
        rank = int((s > RANK * max(float(s[0]), 1e-300)).sum()) if s[0] > 0.0 else 0
        start = vt[:rank].T @ ((u[:, :rank].T @ at) / s[:rank])
        if np.abs(equal @ start - at).max() > CONSISTENT * max(1.0, float(np.abs(at).max())):
            return None
        free = vt[rank:].T
    if not len(least):
        return start
    # Imported where it is used: whoever only checks a set does not wait for it.
    from scipy.optimize import nnls

    # In what is left free, from the start, which is square to it: the shortest in it is the shortest of all.
    rows, room = least @ free, above - least @ start
    if not free.shape[1]:
        return start if room.max() <= FEASIBLE else None
    matrix = np.concatenate([rows.T, room[None, :]])
    wanted = np.zeros(free.shape[1] + 1)
    wanted[-1] = 1.0
    weights, _ = nnls(matrix, wanted)
    residual = matrix @ weights - wanted
    if abs(residual[-1]) < 1e-12 or float(np.linalg.norm(residual)) < 1e-9:
        return None
    step = -residual[:-1] / residual[-1]
    if (rows @ step - room).min() < -1e-7 * max(1.0, float(np.abs(room).max())):
        return None
    return np.asarray(start + free @ step)
