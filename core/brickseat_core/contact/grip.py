"""What leans is held by grip: the least friction with which the contacts of a piece can bear its weight.

A centre of mass over the support polygon proves balance only where all contacts look up. Elsewhere forces within
the friction cones have to add up to the weight, with no turning moment left (a non-negative least squares problem
in six equations; Lawson and Hanson, 1974; cones of sixteen sides).
"""

from dataclasses import dataclass

import numpy as np
from scipy.optimize import nnls

from brickseat_core.contact.features import near_features
from brickseat_core.contact.index import SceneIndex, frame_along
from brickseat_core.contact.region import spread_kernel
from brickseat_core.scene import Piece, Vec

BACK_OFF = 3e-5
"""Metres a piece is moved off what it leans on before normals are read: in contact they have no direction."""
MOST_GRIP = 0.8
"""Friction that is assumed to be there when needed: wood on stone, clay on clay."""
BEYOND_FOOT = 1e-3
STEEP = 0.5
CONE_SIDES = 16
GRIP_STEPS = 12
RESIDUE = 1e-6
MOST_POINTS = 24


@dataclass(frozen=True)
class Leaning:
    """``points`` (n, 3) in the world touch ``rows`` (n,). ``grip``: the least friction that holds it there."""

    points: Vec
    rows: np.ndarray
    grip: float


def leaning(
    index: SceneIndex, piece: Piece, row: int, centre: Vec, foot: Vec, fall: Vec, band: float
) -> Leaning | None:
    """Is a piece whose weight lies outside its foot held by what it leans on? None when it is not.

    ``foot``: (n, 3) where it stands. ``fall``: (2,) the way along x and z its weight pulls it. ``band``: metres
    within which contacts count.
    """
    direction = np.asarray(piece.direction)
    unit = fall / max(float(np.linalg.norm(fall)), 1e-12)
    shift = BACK_OFF * (np.array([-unit[0], 0.0, -unit[1]]) - direction)
    off = piece.at(piece.pose.moved(shift))
    mover = index.mover(piece.prop.mesh, off.pose, frame_along(direction))
    margin = band + 2.0 * BACK_OFF
    found = near_features(index, mover, index.near(mover, off.pose.origin, row, margin), margin)
    normals = found.normals @ mover.frame
    touching = found.gaps - normals @ shift <= band
    if not touching.any():
        return None
    points = (found.points @ mover.frame + off.pose.origin - shift)[touching]
    normals, rows = normals[touching], found.rows[touching]
    # Held only by something beyond the foot, or by something that does not look up.
    beyond = points[:, [0, 2]] @ unit > (foot[:, [0, 2]] @ unit).max() + BEYOND_FOOT
    if not (beyond | (normals[:, 1] < STEEP)).any():
        return None
    kept = few_of(points, normals)
    grip = least_grip(points[kept], normals[kept], centre)
    return None if grip is None else Leaning(points, rows, grip)


def few_of(points: Vec, normals: Vec) -> np.ndarray:
    """Numbers of at most ``MOST_POINTS`` contacts that bear as well as all: spread over place and direction."""
    if len(points) <= MOST_POINTS:
        return np.arange(len(points))
    size = max(float(np.ptp(points, axis=0).max()), 1e-9)
    chosen = spread_kernel(np.ascontiguousarray(points / size + 0.5 * normals), MOST_POINTS)
    return np.array([int(np.argmin(np.abs(points / size + 0.5 * normals - c).sum(axis=1))) for c in chosen])


def least_grip(points: Vec, normals: Vec, centre: Vec) -> float | None:
    """Least friction, up to ``MOST_GRIP``, with which contacts (n, 3) hold a weight at ``centre``; None if none does.

    ``normals``: (n, 3) unit, away from what stands.
    """
    arms = points - centre
    size = max(float(np.linalg.norm(arms, axis=1).max()), 1e-9)
    across = np.cross(normals, np.eye(3)[np.argmin(np.abs(normals), axis=1)])
    across /= np.linalg.norm(across, axis=1)[:, None]
    other = np.cross(normals, across)
    turns = 2.0 * np.pi * np.arange(CONE_SIDES) / CONE_SIDES
    sides = across[:, None] * np.cos(turns)[None, :, None] + other[:, None] * np.sin(turns)[None, :, None]

    def holds(friction: float) -> bool:
        forces = (normals[:, None] + friction * sides).reshape(-1, 3)
        moments = np.cross(np.repeat(arms / size, CONE_SIDES, axis=0), forces)
        wanted = np.array([0.0, 1.0, 0.0, 0.0, 0.0, 0.0])
        return bool(nnls(np.concatenate([forces, moments], axis=1).T, wanted)[1] < RESIDUE)

    if not holds(MOST_GRIP):
        return None
    low, high = 0.0, MOST_GRIP
    for _ in range(GRIP_STEPS):
        middle = 0.5 * (low + high)
        low, high = (low, middle) if holds(middle) else (middle, high)
    return high
