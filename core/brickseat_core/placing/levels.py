"""The next level: the nearest surface above or below a piece on which it stands free, straight up or down from where it is."""

import numpy as np

from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.set_down import set_down
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import LIFT_OFF

MOST_SURFACES = 16
"""Surfaces that are passed through at most on the way to one on which there is room."""
FARTHEST = 50.0
"""Metres of one passage."""
INTO = 1e-4
"""Metres that a piece is moved into what it meets, so that it is seen to be in its way."""
LEAST_STEP = 1e-3
"""Metres from which a surface is another level."""


def next_level(index: SceneIndex, piece: Piece, up: bool, tolerance: float) -> Piece | None:
    """The piece on the next surface against its direction (``up``) or along it; None where there is none on which it stands free."""
    direction = np.asarray(piece.direction)
    way = -direction if up else direction
    here = piece
    for _ in range(MOST_SURFACES):
        through = beyond(index, here, way)
        if through is None:
            return None
        found = set_down(index, through)
        if found.travel is not None:
            end = piece.at(found.pose)
            gained = float((end.pose.origin - piece.pose.origin) @ way)
            if gained > LEAST_STEP and not measure_fit(index, end, tolerance).clashes:
                return end
        here = through
    return None


def beyond(index: SceneIndex, piece: Piece, way: Vec) -> Piece | None:
    """The piece just behind the next thing that it meets on its ``way``, (3,) unit; None where it meets nothing, or does not come through."""
    row, mesh = index.row.get(piece.key, -1), index.mesh_of(piece)
    x, y, z = (float(v) for v in way)
    ahead = index.mover_along(mesh, piece.pose, (x, y, z))
    met = first_contact(index, ahead, index.near(ahead, piece.pose.origin, row)).travel
    if met is None:
        return None
    inside = piece.at(piece.pose.moved(way * (met + INTO)))
    back = index.mover_along(mesh, inside.pose, (-x, -y, -z))
    near = index.near(back, inside.pose.origin, row)
    out = first_free_interval(index, back, near, index.probes_of(inside), limit=FARTHEST)
    return None if out is None else inside.at(inside.pose.moved(way * (out + LIFT_OFF)))
