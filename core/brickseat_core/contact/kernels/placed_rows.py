"""Rows of the index written: where pieces stand, and the boxes that they fill."""

from brickseat_core.contact.kernels.mover import determinant
from brickseat_core.kernels import kernel


@kernel
def place_kernel(placed, rows, linear, origin, lo, hi):
    """Write where the pieces of ``rows`` (n,) stand: their bases ``linear`` (n, 3, 3) with the inverse of each, their
    positions ``origin`` (n, 3), and their axis-aligned boxes in the world, of meshes from ``lo`` (n, 3) to ``hi`` (n, 3).

    Written one number after the other, so that a row is the same bit for bit whether it is written alone or among others.
    Inverses by cofactors.
    """
    for n in range(rows.shape[0]):
        row = rows[n]
        m = linear[n]
        volume = determinant(m)
        for k in range(3):
            i, j = (k + 1) % 3, (k + 2) % 3
            middle, half = origin[n, k], 0.0
            for c in range(3):
                a, b = (c + 1) % 3, (c + 2) % 3
                placed.linear[row, k, c] = m[k, c]
                # The cofactor of (c, k): its transpose over the determinant is the inverse.
                placed.inverse[row, k, c] = (m[a, i] * m[b, j] - m[a, j] * m[b, i]) / volume
                middle += m[k, c] * (0.5 * (lo[n, c] + hi[n, c]))
                half += abs(m[k, c]) * (0.5 * (hi[n, c] - lo[n, c]))
            placed.origin[row, k] = origin[n, k]
            placed.lo[row, k] = middle - half
            placed.hi[row, k] = middle + half
