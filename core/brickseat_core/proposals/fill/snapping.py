"""Snapping: a box that was proposed on the grid is brought up to walls, to the boxes beside it, or in line with what is below."""

import numpy as np

from brickseat_core.geometry.mesh import crossed
from brickseat_core.scene import Vec

SQUARE = 1e-6
"""Sine of the angle to an axis of the frame from which a wall is not square to it."""
SAME_LEVEL = 2e-3
"""Metres between the top of a box and the foot of another, within which it stands on it."""
TOUCHING = 2e-7
"""Metres by which boxes that touch may overlap by rounding."""
EACH_WAY = 3
"""Places along an axis that are tried, where the dearest is the one of the grid."""


def wall_planes(triangles: Vec) -> Vec:
    """(n, 7) upright faces square to the frame among ``triangles`` (m, 3, 3), as planes: axis (0 x, 2 z), place along it, side (-1
    where the wall lies below that place, +1 above), and the lows and highs of the other level axis and of the height, a box each.
    """
    normals = crossed(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    length = np.linalg.norm(normals, axis=1)
    normals = normals / np.maximum(length, 1e-300)[:, None]
    found = []
    for axis in (0, 2):
        other = 2 - axis
        facing = np.abs(normals[:, axis]) > 1.0 - SQUARE
        for t, n in zip(triangles[facing], normals[facing, axis], strict=True):
            lo, hi = t.min(axis=0), t.max(axis=0)
            found.append([axis, t[:, axis].mean(), -np.sign(n), lo[other], hi[other], lo[1], hi[1]])
    return np.unique(np.array(found).reshape(-1, 7), axis=0)


class Snapping:
    """What boxes are brought up to. ``walls``: as ``wall_planes`` gives them."""

    def __init__(self, walls: Vec) -> None:
        self.walls = walls
        self._boxes = np.empty((64, 2, 3))
        self._many = 0

    @property
    def boxes(self) -> Vec:
        """(n, 2, 3) boxes that stand, in the frame."""
        return self._boxes[: self._many]

    def add(self, lo: Vec, hi: Vec) -> None:
        """A box that stands."""
        if self._many == len(self._boxes):
            self._boxes = np.concatenate([self._boxes, np.empty_like(self._boxes)])
        self._boxes[self._many] = lo, hi
        self._many += 1

    def places(self, lo: Vec, size: Vec, reach: float) -> list[tuple[float, float, bool, bool]]:
        """Where the least corner of a box of ``size`` (3,) that was proposed at ``lo`` may be, x and z, the best first, and whether
        each of them was snapped. Only those where it is in no other box. ``reach``: metres it is moved at most along each."""
        boxes = self.boxes
        margin = np.array([reach, SAME_LEVEL, reach])
        near = ((boxes[:, 1] >= lo - margin) & (boxes[:, 0] <= lo + size + margin)).all(axis=1)
        beside = boxes[near]
        candidates = [self._along(axis, beside, lo, size, reach) for axis in (0, 2)]
        found = []
        for x, snapped_x in candidates[0]:
            for z, snapped_z in candidates[1]:
                at = np.array([x, lo[1], z])
                apart = (beside[:, 0] >= at + size - TOUCHING) | (beside[:, 1] <= at + TOUCHING)
                if apart.any(axis=1).all():
                    found.append((x, z, snapped_x, snapped_z))
        found.sort(key=lambda place: -(place[2] + place[3]))
        return found

    def _along(self, axis: int, beside: Vec, lo: Vec, size: Vec, reach: float) -> list[tuple[float, bool]]:
        """Places along an axis, the best first, the one of the grid last."""
        other = 2 - axis
        hi = lo + size
        walls = self.walls
        mine = (
            (walls[:, 0] == axis)
            & (walls[:, 3] < hi[other])
            & (walls[:, 4] > lo[other])
            & (walls[:, 5] < hi[1])
            & (walls[:, 6] > lo[1])
        )
        walls = walls[mine]
        level = (beside[:, 0, 1] < hi[1] - TOUCHING) & (beside[:, 1, 1] > lo[1] + TOUCHING)
        across = (beside[:, 0, other] < hi[other] + reach) & (beside[:, 1, other] > lo[other] - reach)
        faced = beside[level & across]
        below = beside[np.abs(beside[:, 1, 1] - lo[1]) <= SAME_LEVEL]
        ranked = (
            np.where(walls[:, 2] < 0.0, walls[:, 1], walls[:, 1] - size[axis]),
            np.concatenate([faced[:, 1, axis], faced[:, 0, axis] - size[axis]]),
            np.concatenate([below[:, 0, axis], below[:, 1, axis] - size[axis]]),
        )
        found: list[tuple[float, bool]] = []
        for places in ranked:
            off = np.abs(places - lo[axis])
            for k in np.argsort(off, kind="stable"):
                if off[k] > reach or len(found) == EACH_WAY:
                    break
                if all(abs(places[k] - place) > TOUCHING for place, _ in found):
                    found.append((float(places[k]), True))
        found.append((float(lo[axis]), False))
        return found
