"""Chance that depends on nothing but a seed, a number and what it is for, so that it is the same in any process."""

from hashlib import blake2b

import numpy as np
from numpy.typing import NDArray

from brickseat_core.scene import Vec

Numbers = NDArray[np.uint64]


def mixed(numbers: Numbers) -> Numbers:
    """(n,) the finaliser of splitmix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number generators", 2014)."""
    with np.errstate(over="ignore"):
        z = numbers + np.uint64(0x9E3779B97F4A7C15)
        z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
        z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
        return np.asarray(z ^ (z >> np.uint64(31)))


def channel(*names: object) -> int:
    """A 64-bit number for what a chance is for: equal names give the same, different names independent ones."""
    return int.from_bytes(blake2b("\x1f".join(map(str, names)).encode(), digest_size=8).digest(), "little")


def chances(numbers: NDArray[np.int64], *names: object) -> Vec:
    """(n,) of [0, 1), one for each of ``numbers`` (n,) and the ``names`` of what it is for, a seed among them."""
    base = np.uint64(channel(*names))
    drawn = mixed(mixed(numbers.astype(np.uint64)) ^ base)
    # The upper 53 bits fill the mantissa of a float64.
    return np.asarray((drawn >> np.uint64(11)).astype(np.float64) * 2.0**-53)
