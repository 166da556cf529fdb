"""Live pointing: where a prop sits on the surface under the pointer, exactly, and what it would clash with."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.depth import penetration
from brickseat_core.contact.first_contact import rows_cut
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import Hit, first_hit
from brickseat_core.fit.measuring import Clash, clash_of, triple
from brickseat_core.fit.set_down import set_down
from brickseat_core.placing.frames import (
    PLUMB,
    SIDE_ROTATIONS,
    Follow,
    TouchSide,
    blended_up,
    ground_normal,
    shortest_rotation,
    smooth_normal,
)
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Triple, Vec, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE

FLOOR_SLOPE = 0.3
"""A surface whose normal points up at least this much is seated on along gravity; one that points down as
much, upwards; anything steeper is a wall and is seated on along its normal."""

GHOST_NORMALS = 3
"""Normals tried for the depth of a ghost's clash: it has to be known at once, and is measured in full once it stands."""

MOST_MEASURED = 3


@dataclass(frozen=True)
class Slip:
    """How a prop is set down. ``lean``: 0 plumb .. 1 square to what ``follow`` names. ``turn``: radians about
    its way up. ``size``: factor, or one for each of the prop's own axes. ``sink``, ``stand_off``: metres. ``aim``:
    world point its front faces, or None."""

    side: TouchSide = "base"
    lean: float = 0.0
    follow: Follow = "ground"
    turn: float = 0.0
    size: float | Triple = 1.0
    sink: float = 0.0
    stand_off: float = 0.0
    aim: Triple | None = None


@dataclass(frozen=True)
class Pointed:
    """The seated pose under the pointer. ``touch``, ``normal``: where the ray met the surface of piece ``on``.
    ``problem``: why it does not fit there, or None."""

    pose: Pose
    direction: Triple
    touch: Triple
    normal: Triple
    on: str
    clashes: tuple[Clash, ...]
    problem: str | None


def seating_direction(normal: Vec) -> Triple:
    """In which direction a prop is seated on a surface of unit ``normal`` (3,): down, up, or into a wall."""
    if normal[1] >= FLOOR_SLOPE:
        return DOWN
    if normal[1] <= -FLOOR_SLOPE:
        return (0.0, 1.0, 0.0)
    return triple(-normal + 0.0)


def orientation(prop_direction: Triple, normal: Vec, hit: Hit, slip: Slip) -> Vec:
    """(3, 3) rotation of the prop: its touch side, its lean, and its turn or aim."""
    base = SIDE_ROTATIONS[slip.side]
    fixed_by = -np.asarray(prop_direction)
    if abs(fixed_by[1]) < 0.5:
        # A prop made to grow out of walls: its back goes to the surface whatever it is.
        return rotation_about(hit.normal, slip.turn) @ shortest_rotation(fixed_by, hit.normal) @ base
    up = blended_up(normal, slip.lean)
    turn = slip.turn
    tilt = shortest_rotation(PLUMB, up)
    if slip.aim is not None:
        toward = tilt.T @ (np.asarray(slip.aim) - hit.point)
        if np.hypot(toward[0], toward[2]) > 1e-6:
            turn = float(np.arctan2(toward[0], toward[2]))
    return np.asarray(tilt @ rotation_about(PLUMB, turn) @ base)


def point(
    index: SceneIndex,
    prop: Prop,
    origin: Vec,
    ray: Vec,
    slip: Slip,
    prop_direction: Triple = DOWN,
    key: str = "",
    tolerance: float = SEATED_TOLERANCE,
    keeping: Vec | None = None,
) -> Pointed | None:
    """Set ``prop`` down where the ray (``origin``, ``ray``) meets the set; None when it meets nothing.

    It is seated on the surface pointed at; whatever else it would clash with is reported, not avoided.
    ``key``: the piece being moved, which is looked through. ``keeping``: its (3, 3) basis, kept as it is.
    """
    skip = index.row.get(key, -1)
    hit = first_hit(index, origin, ray, skip)
    if hit is None:
        return None
    lo, hi = prop.mesh.box
    wide = (hi - lo) * np.asarray(slip.size)
    radius = 0.5 * float(np.hypot(wide[0], wide[2]))
    normal = hit.normal
    if slip.lean > 0.0 and slip.follow == "smooth":
        normal = smooth_normal(index, hit)
    elif slip.lean > 0.0 and slip.follow == "ground":
        normal = ground_normal(index, hit, 0.7 * radius, skip)
    direction = seating_direction(hit.normal)
    linear = orientation(prop_direction, normal, hit, slip) * np.asarray(slip.size) if keeping is None else keeping
    along = np.asarray(direction)
    # Start with the foremost point of the prop's box on the plane through the point met.
    middle = linear @ (0.5 * (lo + hi))
    half_extent = float(np.abs(linear.T @ along) @ (0.5 * (hi - lo)))
    start = Pose.of(linear, hit.point - along * half_extent - middle)
    on = index.keys[hit.row] or ""
    piece = Piece(key or "ghost", prop.name, prop, start, direction=direction, sink=slip.sink, stand_off=slip.stand_off)
    result = set_down(index, piece, [hit.row])
    problem = None
    height = 2.0 * half_extent
    pose = result.pose
    if result.travel is None or result.travel < -height:
        pose = start.moved(along * (slip.sink - slip.stand_off))
        problem = f"does not fit here on {index.pieces[on].name}"
    placed = piece.at(pose)
    return Pointed(
        pose,
        direction,
        triple(hit.point),
        triple(hit.normal),
        on,
        ghost_clashes(index, placed, skip, hit.row, tolerance),
        problem,
    )


def ghost_clashes(index: SceneIndex, piece: Piece, skip: int, on: int, tolerance: float) -> tuple[Clash, ...]:
    """What the piece would interpenetrate where it is, deepest first; its bearer only beyond the wanted sink."""
    mover = index.mover_along(index.mesh_of(piece), piece.pose, piece.direction)
    initially_intersecting = [r for r in rows_cut(index, mover, piece.pose.origin, skip) if r != on][:MOST_MEASURED]
    cuts = [
        c for c in (penetration(index, piece, r, GHOST_NORMALS) for r in initially_intersecting) if c.depth > tolerance
    ]
    direction = np.asarray(piece.direction)
    return tuple(clash_of(index, c, direction) for c in sorted(cuts, key=lambda c: -c.depth))
