"""Line up: sides, middles and touch points along an axis, points onto points, edges beside edges.

Sides are those of the true vertices along the axis, not of an older box.
"""

import math
from typing import Literal, get_args

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.placing.frames import PLUMB, shortest_rotation
from brickseat_core.scene import Piece, Pose, Vec, cross

Side = Literal["low", "middle", "high", "touch"]
SIDES: tuple[Side, ...] = get_args(Side)
AxisWord = Literal["across", "up", "along"]
AXIS_WORDS: tuple[AxisWord, ...] = get_args(AxisWord)
TOUCHING_SHARE = 1e-4
"""Share of a piece's size within which vertices belong to the side that it touches with."""
LEAST_ARM = 1e-9
"""Metres between two points from which they give a direction."""


class NotInLine(ValueError):
    """What cannot be lined up; says why, and what to do."""


def axis_of(word: AxisWord, square_to: Piece | None = None) -> Vec:
    """(3,) unit axis of a word, in the world or, turned about the vertical only, square to a piece."""
    number = AXIS_WORDS.index(word)
    plain = np.eye(3)[number]
    if square_to is None or word == "up":
        return np.asarray(plain)
    level = square_to.pose.linear[:, number].copy()
    level[1] = 0.0
    length = float(np.linalg.norm(level))
    return np.asarray(level / length if length > LEAST_ARM else plain)


def world_vertices(index: SceneIndex, piece: Piece) -> Vec:
    """(n, 3) the vertices that a piece's triangles use, in the world."""
    mesh = index.mesh_of(piece)
    return piece.pose.apply(mesh.used_vertices)


def value_along(points: Vec, direction: Vec, axis: Vec, side: Side) -> float:
    """Metres along ``axis`` of a side of what has the vertices ``points`` (n, 3), seated along ``direction`` (3,)."""
    along = points @ axis
    if side == "low":
        return float(along.min())
    if side == "high":
        return float(along.max())
    if side == "middle":
        return 0.5 * float(along.min() + along.max())
    ahead = points @ direction
    size = float(np.ptp(points, axis=0).max())
    touching = along[ahead >= ahead.max() - TOUCHING_SHARE * size]
    return 0.5 * float(touching.min() + touching.max())


def middle_of_side(points: Vec, direction: Vec) -> Vec:
    """(3,) the middle of the side that vertices (n, 3) touch with along ``direction`` (3,) unit."""
    return np.array([value_along(points, direction, axis, "touch") for axis in np.eye(3)])


def offset_to_line_up(mine: tuple[Vec, Vec, Side], theirs: tuple[Vec, Vec, Side], axis: Vec, gap: float) -> Vec:
    """(3,) metres that bring a side of mine to a side of theirs, ``gap`` metres beyond it, away from them.

    ``mine``, ``theirs``: vertices (n, 3), seating direction (3,), and side.
    """
    here, there = value_along(*mine[:2], axis, mine[2]), value_along(*theirs[:2], axis, theirs[2])
    return np.asarray(axis * (there - here + gap * away(mine, theirs, axis)))


def away(mine: tuple[Vec, Vec, Side], theirs: tuple[Vec, Vec, Side], axis: Vec) -> float:
    """+1 or -1: which way along ``axis`` leads away from them."""
    if theirs[2] in ("low", "high"):
        return 1.0 if theirs[2] == "high" else -1.0
    if mine[2] in ("low", "high"):
        return 1.0 if mine[2] == "low" else -1.0
    here, there = value_along(*mine[:2], axis, "middle"), value_along(*theirs[:2], axis, "middle")
    return 1.0 if here >= there else -1.0


def spread_offsets(extents: list[tuple[float, float]]) -> list[float]:
    """Metres that each is moved along an axis so that the room between neighbours is the same; the outermost two stay.

    ``extents``: (low, high) of each along the axis.
    """
    order = sorted(range(len(extents)), key=lambda i: sum(extents[i]))
    offsets = [0.0] * len(extents)
    if len(order) < 3:
        return offsets
    first, last = extents[order[0]], extents[order[-1]]
    between = order[1:-1]
    room = last[0] - first[1] - sum(extents[i][1] - extents[i][0] for i in between)
    gap, at = room / (len(between) + 1), first[1]
    for i in between:
        low, high = extents[i]
        offsets[i] = at + gap - low
        at += gap + high - low
    return offsets


def laid_pose(pose: Pose, points: Vec, onto: Vec) -> Pose:
    """The pose that lays one to three points of a piece onto as many points of the world: the first moves, the second
    swings, the third rolls.

    ``points``: (k, 3) in the piece's own coordinates; ``onto``: (k, 3) metres. With two pairs the least turn is taken.
    Raises NotInLine where points coincide, or lie on one line.
    """
    here = pose.apply(points)
    rotation = np.eye(3)
    if len(points) == 2:
        rotation = shortest_rotation(unit(here[1] - here[0]), unit(onto[1] - onto[0]))
    elif len(points) == 3:
        rotation = corner_axes(onto) @ corner_axes(here).T
    return Pose.of(rotation @ pose.linear, onto[0] + rotation @ (pose.origin - here[0]))


def unit(arm: Vec) -> Vec:
    """``arm`` (3,) with the length of one. Raises NotInLine where it has none."""
    length = math.hypot(*arm)
    if length < LEAST_ARM:
        raise NotInLine("two of the points are the same; choose points that are apart")
    return np.asarray(arm / length)


def corner_axes(points: Vec) -> Vec:
    """(3, 3) columns of a right-handed frame: towards the second of three points, and towards the third square to that.

    Raises NotInLine.
    """
    first = unit(points[1] - points[0])
    arm = points[2] - points[0]
    across = arm - first * float(arm @ first)
    if math.hypot(*across) < 1e-6 * max(math.hypot(*arm), LEAST_ARM):
        raise NotInLine("the three points lie on one line; choose the third beside it")
    second = unit(across)
    return np.stack([first, second, cross(first, second)], axis=1)


def beside_edge(pose: Pose, mine: Vec, theirs: Vec, gap: float, freely: bool) -> Pose:
    """The pose that turns an edge of a piece until it is parallel to another edge, and moves it beside that one.

    ``mine``: (2, 3) in the piece's own coordinates; ``theirs``: (2, 3) in the world. Turned about the vertical, or
    ``freely``, the nearer way round; then moved the shortest way until the lines are ``gap`` metres apart, on the side on
    which the piece is. Raises NotInLine.
    """
    here = pose.apply(mine)
    a, b = unit(here[1] - here[0]), unit(theirs[1] - theirs[0])
    b = b if float(a @ b) >= 0.0 else -b
    rotation = shortest_rotation(a, b)
    if not freely:
        level = [np.array([v[0], 0.0, v[2]]) for v in (a, b)]
        if min(math.hypot(*v) for v in level) < 1e-6:
            raise NotInLine("one of the edges stands upright, and nothing turns it about the vertical; turn freely")
        rotation = shortest_rotation(unit(level[0]), unit(level[1]))
    middle = here.mean(axis=0)
    turned = Pose.of(rotation @ pose.linear, middle + rotation @ (pose.origin - middle))
    arm = middle - theirs[0]
    across = arm - b * float(arm @ b)
    if not freely:
        across[1] = 0.0
    length = math.hypot(*across)
    if length < LEAST_ARM:
        across, length = cross(PLUMB, b) if abs(b[1]) < 0.9 else np.array([1.0, 0.0, 0.0]), 1.0
    return turned.moved(across / length * gap - across)
