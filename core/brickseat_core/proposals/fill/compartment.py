"""The compartment about a pressed point: the largest box that finds room there, by the exact travel of plates."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.contact.rays import first_hit
from brickseat_core.geometry.cube import cube
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.placing.frames import PLUMB
from brickseat_core.proposals.fill.bay import angle_of
from brickseat_core.scene import Pose, Vec, rotation_about

SKIN = 2e-3
"""Metres that a plate keeps off what it is moved along."""
NEEDLE = 1e-3
LEVEL = 0.7
"""Cosine to the vertical from which a face is a floor."""
MOST_REACH = 3.0
"""Metres to each side that a compartment reaches at most."""
OPEN_HEIGHT = 0.4
"""Metres that a compartment is high which nothing covers and no wall stands about."""
LEAST_SIZE = 0.01
CUBE = cube()


class NoCompartment(ValueError):
    """There is none; says why, and what to do."""


@dataclass(frozen=True)
class Compartment:
    """A box: ``pose`` of a cube of one metre. ``floor``: key of what it stands on."""

    pose: Pose
    floor: str


@dataclass(frozen=True)
class Plates:
    """What plates are moved among. ``rows``: what counts. ``turn``: (3, 3) from the frame of the floor to the world."""

    index: SceneIndex
    rows: list[int]
    turn: Vec

    def reach(self, centre: Vec, size: Vec, along: Vec) -> float | None:
        """Metres a plate about ``centre`` (3,) of ``size`` (3,) goes ``along`` (3,), all in the frame; None where nothing stops it."""
        pose = Pose.of(self.turn * size, self.turn @ centre)
        mover = self.index.mover(CUBE, pose, frame_along(self.turn @ along))
        found = first_contact(self.index, mover, self.index.only(mover, pose.origin, self.rows))
        if found.initially_intersecting:
            return 0.0
        return found.travel


def compartment_at(index: SceneIndex, point: Vec, normal: Vec) -> Compartment:
    """The compartment about a ``point`` (3,) of a surface with unit ``normal`` (3,). Raises NoCompartment.

    Its sides are square to the floor piece's largest walls. Bearers and the floor itself close it, other props do not: they
    may stand in it. An open side ends where the floor ends.
    """
    start = point + SKIN * normal
    below = first_hit(index, start, -PLUMB)
    if below is None or below.normal[1] < LEVEL:
        raise NoCompartment("there is no level floor under that point; press into a compartment, or on its floor")
    floor = index.pieces[index.keys[below.row] or ""]
    mesh = index.mesh_of(floor)
    world = Mesh(floor.pose.apply(mesh.vertices), mesh.faces)
    angle = angle_of(world)
    turn = rotation_about(PLUMB, angle)
    rows = [row for key, row in index.row.items() if index.pieces[key].role == "bearer" or row == below.row]
    plates = Plates(index, rows, turn)
    edges = world.vertices @ turn
    lo, hi = edges.min(axis=0), edges.max(axis=0)
    at = below.point @ turn
    high = height_over(plates, at, float(hi[1]))
    # Plates and needles stand off the floor and what covers it.
    tall, middle = high - 2.0 * SKIN, at[1] + 0.5 * high
    if tall <= 0.0:
        raise NoCompartment("there is no room over that point; press where something may stand")
    low_x, high_x = (
        side_of(plates, np.array([at[0], middle, at[2]]), np.array([NEEDLE, tall, NEEDLE]), 0, sign, lo, hi)
        for sign in (-1.0, 1.0)
    )
    wide = high_x - low_x - 2.0 * SKIN
    plate = np.array([max(NEEDLE, wide), tall, NEEDLE])
    centre = np.array([0.5 * (low_x + high_x), middle, at[2]])
    low_z, high_z = (side_of(plates, centre, plate, 2, sign, lo, hi) for sign in (-1.0, 1.0))
    size = np.array([high_x - low_x, high, high_z - low_z])
    if size.min() < LEAST_SIZE:
        raise NoCompartment("there is no room over that point; press where something may stand")
    centre[2] = 0.5 * (low_z + high_z)
    return Compartment(Pose.of(turn * size, turn @ centre), floor.key)


def height_over(plates: Plates, at: Vec, walls: float) -> float:
    """Metres over the floor at ``at`` (3,) of the frame to what covers it, else to the top of the ``walls``."""
    up = plates.reach(at + (SKIN + 0.5 * NEEDLE) * PLUMB, np.full(3, NEEDLE), PLUMB)
    if up is not None and up < MOST_REACH:
        return up + SKIN + NEEDLE
    return walls - float(at[1]) if walls - at[1] > LEAST_SIZE else OPEN_HEIGHT


def side_of(plates: Plates, centre: Vec, size: Vec, axis: int, sign: float, lo: Vec, hi: Vec) -> float:
    """How far a plate reaches along an axis of the frame: to what stops it, else to the end of the floor (``lo``, ``hi``)."""
    along = np.zeros(3)
    along[axis] = sign
    free = plates.reach(centre, size, along)
    edge = float(hi[axis] - centre[axis]) if sign > 0.0 else float(centre[axis] - lo[axis])
    reach = edge if free is None else min(edge, free + 0.5 * float(size[axis]))
    return float(centre[axis]) + sign * min(MOST_REACH, reach)
