"""Cells of a grid over space, hashed into buckets (Teschner et al., "Optimized spatial hashing", 2003)."""

import numpy as np

from brickseat_core.kernels import inner_kernel

NONE = np.int64(-1)
"""The end of a bucket's chain."""


@inner_kernel
def bucket_of(x, y, z, mask):
    """The bucket of the cell (x, y, z), where there are ``mask`` + 1 buckets, a power of two."""
    return ((x * 73856093) ^ (y * 19349663) ^ (z * 83492791)) & mask
