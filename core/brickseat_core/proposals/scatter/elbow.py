"""Elbow room that candidates keep from what stands already: circles that keep off boxes, and off others' rooms."""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.scene import Vec


def clear_of_boxes(at: Vec, radius: Vec, lo: Vec, hi: Vec) -> NDArray[np.bool_]:
    """(n,) whether circles of ``radius`` (n,) metres about points (n, 3) keep off boxes from ``lo`` to ``hi`` (m, 3)."""
    clear = np.ones(len(at), np.bool_)
    for low, high in zip(lo, hi, strict=True):
        aside = np.maximum(np.maximum(low - at, at - high), 0.0)
        clear &= (np.hypot(aside[:, 0], aside[:, 2]) >= radius) | (aside[:, 1] >= radius)
    return clear


def clear_of_rooms(at: Vec, radius: Vec, feet: Vec, room: Vec) -> NDArray[np.bool_]:
    """(n,) whether points (n, 3), with room of ``radius`` (n,) metres of their own, lie in none of the ``room`` (m,) about ``feet`` (m, 3)."""
    clear = np.ones(len(at), np.bool_)
    for foot, own in zip(feet, room, strict=True):
        away, both = np.hypot(at[:, 0] - foot[0], at[:, 2] - foot[2]), radius + own
        clear &= (away >= both) | (np.abs(at[:, 1] - foot[1]) >= both) | (own <= 0.0)
    return clear
