"""RestingPose: tilt a piece from where it is to the nearest stable stand, touching there exactly.

The height of the centre of mass is made as small as it will go over all tilts, its turn about the vertical
kept, each tilt followed by an exact drop. One step solves a small linear program over the closest features
(how far down may it go, when it also tilts a little?), turns by the answer, and measures what was really
gained; the angle of trust grows and shrinks with that. A stand is believed only when it has been measured.
"""

from dataclasses import dataclass, replace

import numpy as np

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.contacts import query_contacts
from brickseat_core.contact.features import near_features
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.balance import balance_margin, offset_to_balance, support_polygon
from brickseat_core.contact.kernels.linear_program import best_in_space
from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.fit.landing import REAL_CONTACT, landed_after, turned_about
from brickseat_core.fit.lean import tipped
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.set_down import set_down
from brickseat_core.scene import Piece, Pose, Vec, rotation_about
from brickseat_core.tolerances import CONTACT_BAND_SHARE, SEATED_TOLERANCE

LIFT = 2e-5
"""Metres a piece is lifted before its closest features are read: in contact they have no direction."""
KEEP_OFF = 8e-6
"""Metres a step stays away from steep neighbours, so that the exact drop after it is not caught by them."""
STEEP_NORMAL = 0.3
FIRST_ANGLE, MOST_ANGLE, LEAST_ANGLE = np.radians(2.5), np.radians(6.0), 1e-7
MOST_MARGIN = 0.006
LEAST_GAIN = 1e-8
MOST_STEPS = 160
NUDGE = np.radians(0.6)
NUDGE_GAIN = 1e-7
MOST_NUDGES = 10
MOST_TILT_DEG = 85.0
"""A stand farther away than this is not near: the piece would have to topple."""
SURE_MARGIN = 0.02
"""Share of the piece's radius by which its weight lies inside its support when nothing need be tried."""


@dataclass(frozen=True)
class RestingPose:
    """Where a piece comes to rest. ``tilted_deg``: how far it tilted. ``contacts``: (n, 3) in the world, within
    ``REAL_CONTACT``. ``stable`` False: no stand is near, ``pose`` is where it was and ``reason`` says why."""

    pose: Pose
    stable: bool
    tilted_deg: float
    contacts: Vec
    reason: str = ""


def rest(
    index: SceneIndex,
    piece: Piece,
    tries: int = 1,
    seed: int = 0,
    tolerance: float = SEATED_TOLERANCE,
    budget: Budget = UNLIMITED,
) -> RestingPose:
    """The nearest stable stand of ``piece``, judged by the set's ``tolerance`` in metres.

    Further ``tries`` start a little turned and tilted, by ``seed``. Raises GivenUp.
    """
    rng = np.random.default_rng(seed)
    first = rest_once(index, piece, tolerance, budget=budget)
    if first.stable:
        return first
    found = lean(index, piece, tolerance)
    for _ in range(1, tries):
        if found.stable:
            break
        found = rest_once(index, askew(index, piece, rng), tolerance, budget=budget)
    if not found.stable:
        return refused(piece, first.reason)
    return replace(found, tilted_deg=tilt_between(piece.pose.linear, found.pose.linear))


def lean(index: SceneIndex, piece: Piece, tolerance: float = SEATED_TOLERANCE) -> RestingPose:
    """``piece`` tipped over its foot, from where it is, until it leans on something that holds it by its grip."""
    row = index.row.get(piece.key, -1)
    plain = piece.plain
    down = set_down(index, plain)
    if down.travel is None or piece.direction[1] > -0.5:
        return refused(piece, down.reason or "only what stands by gravity can lean")
    at = tipped(index, plain.at(down.pose), row)
    if at is None:
        return refused(piece, "it does not fall against anything that would hold it")
    return finished(index, piece, at, at, row, tolerance)


def askew(index: SceneIndex, piece: Piece, rng: np.random.Generator) -> Piece:
    """The same piece turned by up to 30° about the vertical and tilted by up to 15°, about its centre of mass."""
    heading = rng.uniform(0.0, 2.0 * np.pi)
    tilt = rotation_about(np.array([np.cos(heading), 0.0, np.sin(heading)]), np.radians(rng.uniform(2.0, 15.0)))
    turn = rotation_about(np.array([0.0, 1.0, 0.0]), np.radians(rng.uniform(-30.0, 30.0)))
    return turned_about(piece, tilt @ turn, index.centre_of_mass(piece))


def refused(piece: Piece, reason: str) -> RestingPose:
    """The piece as it stands, not at rest, with the reason."""
    return RestingPose(piece.pose, False, 0.0, np.zeros((0, 3)), reason)


def rest_once(
    index: SceneIndex,
    piece: Piece,
    tolerance: float = SEATED_TOLERANCE,
    most_steps: int = MOST_STEPS,
    budget: Budget = UNLIMITED,
) -> RestingPose:
    """The nearest stand, without other starts; in fewer steps it may be given up sooner. Raises GivenUp."""
    direction = np.asarray(piece.direction)
    row = index.row.get(piece.key, -1)
    plain = piece.plain
    down = set_down(index, plain)
    if down.travel is None:
        return refused(piece, down.reason)
    if direction[1] > -0.5:
        # Hung or held to a wall: gravity does not bring it into balance there.
        return finished(index, piece, plain.at(down.pose), plain.at(down.pose), row, tolerance)
    at = plain.at(down.pose)
    upright_basis = at.pose.linear
    angle = FIRST_ANGLE
    nudges = 0
    for _ in range(most_steps):
        budget.check()
        step = lowered(index, at, row, angle)
        if step.promised < LEAST_GAIN:
            # Nothing to gain within this angle, so nothing within a smaller one: it stands, or balances on edge.
            angle = 0.0
        elif step.gained <= 0.0:
            angle *= 0.35
        else:
            at = step.piece
            angle = min(MOST_ANGLE, angle * 2.0) if step.gained > 0.7 * step.promised else angle
        if tilt_between(upright_basis, at.pose.linear) > MOST_TILT_DEG:
            return refused(piece, f"it topples: no stand within {MOST_TILT_DEG:.0f}° of where it is")
        if angle < LEAST_ANGLE:
            better = nudged(index, at, row) if nudges < MOST_NUDGES else None
            if better is None:
                break
            at, angle = better, FIRST_ANGLE
            nudges += 1
    return finished(index, piece, plain.at(down.pose), at, row, tolerance)


def tilt_between(a: Vec, b: Vec) -> float:
    """Degrees between the vertical and where it goes when one (3, 3) basis is brought to another of the same scale.

    A turn about the vertical is no tilt.
    """
    turn = b @ np.linalg.inv(a)
    return float(np.degrees(np.arccos(np.clip(turn[1, 1], -1.0, 1.0))))


@dataclass(frozen=True)
class Step:
    """Where a step leads; metres the centre of mass went down, and what the linear program had promised."""

    piece: Piece
    gained: float
    promised: float


def lowered(index: SceneIndex, at: Piece, row: int, angle: float) -> Step:
    """One step down by at most ``angle`` radians."""
    direction = np.asarray(at.direction)
    centre = index.centre_of_mass(at)
    lifted = at.at(at.pose.moved(-LIFT * direction))
    mover = index.mover(index.mesh_of(at), lifted.pose, frame_along(direction))
    middle = (centre - at.pose.origin) @ mover.frame.T
    radius = float(np.linalg.norm(np.maximum(np.abs(mover.lo[0] - middle), np.abs(mover.hi[0] - middle))))
    margin = min(MOST_MARGIN, 1.2 * angle * radius + 2.0 * LIFT)
    near = index.near(mover, lifted.pose.origin, row, margin)
    found = near_features(index, mover, near, margin)
    if not len(found.gaps):
        return Step(at, 0.0, 0.0)
    pivot = pivot_of(found.points, found.gaps, middle)
    arms = np.cross(found.points - pivot, found.normals) / radius
    steep = np.abs(found.normals[:, 2]) < STEEP_NORMAL
    a = np.stack([-arms[:, 0], -arms[:, 1], found.normals[:, 2]], axis=1)
    b = np.maximum(0.0, found.gaps - KEEP_OFF * steep)
    # How far the centre of mass goes down: with the tilt about the pivot, and with the drop.
    down = np.array([(pivot - middle)[1] / radius, (middle - pivot)[0] / radius, 1.0])
    answer, feasible = best_in_space(a, b, down, angle * radius)
    promised = float(answer @ down) - LIFT
    turn = answer[:2] / radius
    size = float(np.hypot(turn[0], turn[1]))
    if not feasible or promised < LEAST_GAIN or size < 1e-12:
        return Step(at, 0.0, 0.0)
    axis = (turn[0] * mover.frame[0] + turn[1] * mover.frame[1]) / size
    tilted = turned_about(at, rotation_about(axis, size), pivot @ mover.frame + at.pose.origin)
    lower = tilted.at(tilted.pose.moved(direction * (float(answer[2]) - LIFT)))
    landed = landed_after(index, lower, row, 4.0 * angle * radius)
    if landed is None:
        return Step(at, 0.0, promised)
    gained = float((landed.pose.apply(index.mesh_of(at).mass[1]) - centre) @ direction)
    return Step(landed, gained, promised)


def pivot_of(points: Vec, gaps: Vec, middle: Vec) -> Vec:
    """(3,) the point of the contacts' hull nearest to being under the centre of mass: it rolls about it, not slipping.

    All in the mover's frame: ``points`` (n, 3) where it comes near something when lifted by ``LIFT``, ``gaps`` (n,) how
    near, ``middle`` (3,) the centre of mass.
    """
    touching = points[gaps <= LIFT + REAL_CONTACT]
    if not len(touching):
        return middle
    flat = middle[:2]
    polygon = support_polygon(touching[:, :2])
    if balance_margin(polygon, flat) < 0.0:
        flat = flat + offset_to_balance(polygon, flat)
    weight = 1.0 / (np.linalg.norm(touching[:, :2] - flat, axis=1) + 1e-6)
    return np.array([flat[0], flat[1], float(weight @ touching[:, 2] / weight.sum())])


def nudged(index: SceneIndex, at: Piece, row: int) -> Piece | None:
    """The piece tilted a little to one of eight sides, when that lowers it: it only stood as a coin on edge."""
    direction = np.asarray(at.direction)
    mesh = index.mesh_of(at)
    centre = at.pose.apply(mesh.mass[1])
    where = query_contacts(index, at, row, 0.0, REAL_CONTACT)
    lo, hi = index.box_of(at)
    if where.bearing is not None and where.bearing.margin > SURE_MARGIN * float(np.linalg.norm(hi - lo)):
        return None
    best: Piece | None = None
    most = NUDGE_GAIN
    for k in range(8):
        heading = np.pi * k / 4.0
        tilted = turned_about(at, rotation_about(np.array([np.cos(heading), 0.0, np.sin(heading)]), NUDGE), centre)
        landed = landed_after(index, tilted, row, 4.0 * NUDGE * float(np.linalg.norm(hi - lo)))
        if landed is None:
            continue
        gained = float((landed.pose.apply(mesh.mass[1]) - centre) @ direction)
        if gained > most:
            best, most = landed, gained
    return best


def finished(index: SceneIndex, piece: Piece, upright: Piece, at: Piece, row: int, tolerance: float) -> RestingPose:
    """The stand, if it is one: measured like any other piece of the set, then bedded or kept off as wanted.

    ``upright``: where the piece stood before it was tilted to ``at``.
    """
    direction = np.asarray(piece.direction)
    fit = measure_fit(index, at, tolerance)
    if fit.faults:
        return refused(piece, f"no stand is near: {fit.reason}")
    if fit.grip is not None:
        # The steps down keep a little off what it leans on; tipped over its foot it gets there exactly.
        straight = tipped(index, upright, row)
        leans = straight is not None and not measure_fit(index, straight, tolerance).faults
        at = straight if straight is not None and leans else tipped(index, at, row) or at
    close = measure_fit(index, at, REAL_CONTACT / CONTACT_BAND_SHARE)
    if close.faults:
        return refused(piece, "no stand is near: what it touches does not bear its weight")
    pose = at.pose.moved(direction * (piece.sink - piece.stand_off))
    tilted = tilt_between(piece.pose.linear, at.pose.linear)
    return RestingPose(pose, True, tilted, np.array(close.contacts).reshape(-1, 3), fit.reason)
