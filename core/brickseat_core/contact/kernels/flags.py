"""Truths about many rows at once.

Reductions of whole arrays are written as loops inside kernels: Numba's own bring in a linear algebra library each time a
kernel that has one is loaded.
"""

import math

from brickseat_core.kernels import inner_kernel


@inner_kernel
def any_of(flags):
    """Whether any of ``flags`` (n,) is set."""
    found = False
    for i in range(flags.shape[0]):
        found = found or flags[i]
    return found


@inner_kernel
def length_of(vector):
    """Euclidean length of a vector (n,)."""
    total = 0.0
    for i in range(vector.shape[0]):
        total += vector[i] * vector[i]
    return math.sqrt(total)
