"""Ground rules as weights: how likely a piece lies at a point, from 0 (never) to 1."""

from collections.abc import Callable, Iterable

import numpy as np
from scipy.spatial import cKDTree

from brickseat_core.budget import Budget
from brickseat_core.geometry.nearest import distances
from brickseat_core.geometry.painting import Painting
from brickseat_core.geometry.tree import build_tree
from brickseat_core.placing.pointing import FLOOR_SLOPE
from brickseat_core.recipes.scatter_schema import (
    AreaRule,
    ChalkPatch,
    Facing,
    FarRule,
    GroundRules,
    NearRule,
    PaintRule,
    Point,
)
from brickseat_core.recipes.volumes import Shape
from brickseat_core.scene import Pose, Vec

Weight = Callable[[Vec, Vec], Vec]
"""(n,) weights in [0, 1] of points (n, 3) of the world, where the surface has unit normals (n, 3)."""
Away = Callable[[Vec], Vec]
"""(n,) metres of points (n, 3) of the world from something."""
ABOVE_GROUND = 1e-3
"""Metres above the ground at which it is asked whether a piece would stand in a volume: the two often share a plane."""
CLUMP_RADIUS = 0.3
"""Radius of a clump, over the distance between clumps."""
NEAREST = 4
"""Neighbours of which the nearest side is looked for first: the nearest middle may be that of a narrower one."""
SPARSEST = 1e-6
"""What weighs less than this is nowhere."""


def distance_to(shapes: Iterable[Shape], budget: Budget, points: Vec) -> Vec:
    """(n,) metres from points (n, 3) to the nearest of ``shapes``; infinite where there is none. Raises GivenUp."""
    found = np.full(len(points), np.inf)
    for shape in shapes:
        budget.check()
        np.minimum(found, shape.distances(points), out=found)
    return found


def ramp(values: Vec, nothing: float, full: float) -> Vec:
    """(n,) 0 up to ``nothing``, 1 from ``full`` on, even between; ``full`` lies above or below ``nothing``.

    Where the two are the same it is 1 at it and beyond, upwards.
    """
    if full == nothing:
        return np.where(values >= full, 1.0, 0.0)
    return np.clip((values - nothing) / (full - nothing), 0.0, 1.0)


def band(values: Vec, low: float | None, high: float | None, fade: float) -> Vec:
    """(n,) 1 from ``low`` to ``high``, fading to 0 over the last ``fade`` within each of the two ends."""
    weight = np.ones(len(values))
    if low is not None:
        weight = weight * ramp(values, low, low + fade)
    if high is not None:
        weight = weight * ramp(-values, -high, fade - high)
    return weight


def facing_weight(facing: Facing) -> Weight:
    """Floors, ceilings, or all surfaces, by where they look."""
    if facing == "down":
        return lambda points, normals: np.where(normals[:, 1] >= FLOOR_SLOPE, 1.0, 0.0)
    if facing == "up":
        return lambda points, normals: np.where(normals[:, 1] <= -FLOOR_SLOPE, 1.0, 0.0)
    return lambda points, normals: np.ones(len(points))


def slope_weight(rules: GroundRules) -> Weight:
    """The band of slopes, in degrees from level."""
    low, high = rules.slope_deg or (0.0, 180.0)
    return lambda points, normals: band(
        np.degrees(np.arccos(np.clip(normals[:, 1], -1.0, 1.0))), low, high, rules.slope_fade_deg
    )


def height_weight(rules: GroundRules) -> Weight:
    """The band of heights, in metres."""
    low, high = rules.height_m or (None, None)
    return lambda points, normals: band(points[:, 1], low, high, rules.height_fade_m)


def area_weight(area: AreaRule) -> Weight:
    """A rectangle or an ellipse in plan."""
    angle = np.radians(area.turn_deg)

    def weight(points: Vec, normals: Vec) -> Vec:
        x, z = points[:, 0] - area.at[0], points[:, 2] - area.at[2]
        across = (np.cos(angle) * x - np.sin(angle) * z) / max(0.5 * area.across_m, 1e-9)
        along = (np.sin(angle) * x + np.cos(angle) * z) / max(0.5 * area.along_m, 1e-9)
        away = np.hypot(across, along) if area.round else np.maximum(np.abs(across), np.abs(along))
        return np.where(away <= 1.0, 1.0, 0.0)

    return weight


def chalk_weight(strokes: list[ChalkPatch]) -> Weight:
    """What strokes of chalk leave, one over the other. Where the first one rubs out, all was chalked before."""
    before = 1.0 if strokes and strokes[0].weight == 0.0 else 0.0
    drawn = [distance_to_lines(parts_of(stroke.points)) for stroke in strokes]

    def weight(points: Vec, normals: Vec) -> Vec:
        found = np.full(len(points), before)
        for stroke, away_from in zip(strokes, drawn, strict=True):
            away = away_from(points)
            cover = ramp(-away, -stroke.radius_m, min(0.0, stroke.fade_m - stroke.radius_m))
            found = found + (stroke.weight - found) * cover
        return found

    return weight


def paint_weight(rule: PaintRule, painting: Painting, pose: Pose) -> Weight:
    """What the model of a surface at ``pose`` is painted like."""
    channels = {"red": [0], "green": [1], "blue": [2], "light": [0, 1, 2]}[rule.channel]

    def weight(points: Vec, normals: Vec) -> Vec:
        found = painting.at(np.ascontiguousarray(pose.local(points)))[:, channels].mean(axis=1)
        return np.asarray(1.0 - found if rule.reverse else found)

    return weight


def distance_to_lines(segments: Vec) -> Away:
    """A function that gives (n,) metres from points (n, 3) to the nearest of straight ``segments`` (k, 2, 3); infinite where there is none.

    A triangle whose last corners are one point is a segment, for the search of the nearest as well.
    """
    if not len(segments):
        return lambda points: np.full(len(points), np.inf)
    tree = build_tree(segments[:, [0, 1, 1]])
    return lambda points: distances(tree, points)


def parts_of(line: Iterable[Point]) -> Vec:
    """(k, 2, 3) the straight parts of a line through points; one of no length where it is a single point."""
    points = np.array(list(line), np.float64)
    return np.stack([points[:-1], points[1:]], axis=1) if len(points) > 1 else points[[[0, 0]]]


def distance_weight(rule: NearRule | FarRule, away: Away) -> Weight:
    """Within, or beyond, so far of what ``rule`` names."""
    if isinstance(rule, FarRule):
        nothing, full = rule.beyond_m, rule.beyond_m + rule.fade_m
        return lambda points, normals: ramp(away(points), nothing, full)
    within, whole = rule.within_m, max(0.0, rule.within_m - rule.fade_m)
    return lambda points, normals: ramp(-away(points), -within, -whole)


def outside_weight(shape: Shape) -> Weight:
    """Nowhere inside of a volume."""
    return lambda points, normals: np.where(shape.holds(points + ABOVE_GROUND * normals), 0.0, 1.0)


def inside_weight(shapes: list[Shape]) -> Weight:
    """Only inside of one of several volumes."""
    return lambda points, normals: np.where(
        np.any([shape.holds(points + ABOVE_GROUND * normals) for shape in shapes], axis=0), 1.0, 0.0
    )


def clump_weight(centres: Vec, spacing: float) -> Weight:
    """A bell about the nearest of clump ``centres`` (k, 3), which are some ``spacing`` metres apart."""
    tree = cKDTree(centres)
    radius = CLUMP_RADIUS * spacing
    return lambda points, normals: np.exp(-np.square(tree.query(points)[0] / radius))


def beside(feet: Vec, half: Vec, points: Vec) -> Vec:
    """(n,) metres from points (n, 3) to the nearest of what stands on ``feet`` (k, 3), ``half`` (k,) metres wide on each side."""
    if not len(feet):
        return np.full(len(points), np.inf)
    tree, widest = cKDTree(feet), float(half.max())
    found = np.full(len(points), np.inf)
    waiting, near = np.arange(len(points)), min(NEAREST, len(feet))
    while len(waiting):
        away, which = tree.query(points[waiting], k=np.arange(1, near + 1))
        found[waiting] = (away - half[which]).min(axis=1)
        if near == len(feet):
            break
        # What is farther off than all of these reaches nearer only where it is so much wider.
        waiting = waiting[away[:, -1] - widest < found[waiting]]
        near = min(4 * near, len(feet))
    return np.asarray(np.maximum(0.0, found))


def gather_weight(feet: Vec, half: Vec, within: float) -> Weight:
    """The nearer to what stands on ``feet``, the more likely; nowhere beyond ``within`` metres of it."""
    return lambda points, normals: np.square(ramp(-beside(feet, half, points), -within, 0.0))


def clear_weight(feet: Vec, half: Vec, beyond: float, fade: float) -> Weight:
    """Beyond so far of all that stands on ``feet``."""
    return lambda points, normals: ramp(beside(feet, half, points), beyond, beyond + fade)


def weights(rules: list[Weight], points: Vec, normals: Vec) -> Vec:
    """(n,) the product of ``rules``; each is asked only where those before it leave anything."""
    found = np.ones(len(points))
    for rule in rules:
        some = np.flatnonzero(found > SPARSEST)
        if not len(some):
            break
        found[some] *= rule(points[some], normals[some])
    found[found <= SPARSEST] = 0.0
    return found
