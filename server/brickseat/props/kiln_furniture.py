"""What is joined: kiln shelves on posts, stands, modules that chain, a lantern and its hook; and what goes into walls."""

import math

import numpy as np

from brickseat.props.modelling import block, curve, moved, rope, soft, turned
from brickseat.props.paints import ASH, BRASS, BRICK, CLAY, CREAM, IRON, LINEN, OAK, SLATE, WALNUT, paint
from brickseat_core.formats.gltf.building import Surface
from brickseat_core.scene import Seat

FIRECLAY = paint("fireclay", "cdb79a", 1.0)
UP, DOWN = (0.0, 1.0, 0.0), (0.0, -1.0, 0.0)
FRONT, BACK, LEFT, RIGHT = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (-1.0, 0.0, 0.0), (1.0, 0.0, 0.0)
SHELF, SHELF_THICK, SHELF_REACH = (0.48, 0.4), 0.018, (0.2, 0.16)
"""Metres: a kiln shelf across and along, its thickness, and where its posts stand from its middle."""
POST_HEIGHT = 0.16
STAND_REACH = 0.07


def shelf() -> list[Surface]:
    """A slab with its under side at y = 0."""
    return [block(FIRECLAY, (SHELF[0], SHELF_THICK, SHELF[1]), (0, 0, 0), 0.003)]


def shelf_seats() -> tuple[Seat, ...]:
    """One in each corner, above and below, and the middle of its back."""
    corners = [(sx * SHELF_REACH[0], sz * SHELF_REACH[1]) for sz in (1, -1) for sx in (-1, 1)]
    above = [Seat((x, SHELF_THICK, z), UP, FRONT, f"corner {n}", 90.0, "post") for n, (x, z) in enumerate(corners, 1)]
    below = [Seat((x, 0.0, z), DOWN, FRONT, f"under {n}", 90.0, "post") for n, (x, z) in enumerate(corners, 1)]
    return (*above, *below)


def post() -> list[Surface]:
    """A round post that widens at both ends."""
    h, r = POST_HEIGHT, 0.022
    profile = [
        (0, 0),
        (1.2 * r, 0),
        (1.2 * r, 0.012),
        (r, 0.02),
        (r, h - 0.02),
        (1.2 * r, h - 0.012),
        (1.2 * r, h),
        (0, h),
    ]
    return turned([(FIRECLAY, profile)], 32)


POST_SEATS = (
    Seat((0.0, 0.0, 0.0), DOWN, FRONT, "foot", 0.0, "post"),
    Seat((0.0, POST_HEIGHT, 0.0), UP, FRONT, "head", 0.0, "post"),
)


def stand() -> list[Surface]:
    """A three-legged stand that pots are fired on: three arms at 120°, with a point up and a foot down on each."""
    parts = [*turned([(FIRECLAY, [(0, 0.012), (0.018, 0.012), (0.018, 0.026), (0, 0.026)])], 24)]
    for k in range(3):
        angle = 2.0 * math.pi * k / 3.0
        arm = block(FIRECLAY, (0.014, 0.012, STAND_REACH), (0, 0.013, STAND_REACH / 2), 0.002)
        foot = turned([(FIRECLAY, [(0, 0), (0.008, 0), (0.007, 0.02), (0.003, 0.042), (0, 0.044)])], 12)[0]
        parts += [moved(arm, (0, 0, 0), angle)]
        parts += [moved(foot, (STAND_REACH * math.sin(angle), 0.0, STAND_REACH * math.cos(angle)))]
    return parts


STAND_SEATS = (
    Seat((0.0, 0.0, 0.0), DOWN, FRONT, "under", 120.0, "stand"),
    Seat((0.0, 0.044, 0.0), UP, FRONT, "points", 120.0, "stand"),
)
MODULE = (0.4, 0.34, 0.3)


def module() -> list[Surface]:
    """An open box that chains with others on all four sides: drying shelves are built of them."""
    w, h, d = MODULE
    t = 0.016
    return [
        block(ASH, (w, t, d), (0, 0, 0), 0.002),
        block(ASH, (w, t, d), (0, h - t, 0), 0.002),
        *(block(ASH, (t, h - 2 * t, d), (s * (w - t) / 2, t, 0), 0.002) for s in (-1, 1)),
        block(OAK, (w - 2 * t, h - 2 * t, 0.008), (0, t, -d / 2 + 0.004), 0.001),
    ]


MODULE_SEATS = (
    Seat((-MODULE[0] / 2, MODULE[1] / 2, 0.0), LEFT, UP, "left", 90.0, "module"),
    Seat((MODULE[0] / 2, MODULE[1] / 2, 0.0), RIGHT, UP, "right", 90.0, "module"),
    Seat((0.0, 0.0, 0.0), DOWN, FRONT, "bottom", 90.0, "module"),
    Seat((0.0, MODULE[1], 0.0), UP, FRONT, "top", 90.0, "module"),
)
HOOK_DEPTH = 0.11


def hook() -> list[Surface]:
    """An iron hook under a plate; the plate's upper side is at y = 0."""
    plate = turned([(IRON, [(0, -0.008), (0.034, -0.008), (0.034, 0.0), (0, 0.0)])], 28)
    turn = [(0.022 * math.sin(a), -0.086 - 0.022 * math.cos(a), 0.0) for a in np.linspace(-2.6, 2.0, 18)]
    line = [(0.0, -0.004, 0.0), (0.0, -0.04, 0.0), *reversed(turn)]
    return [*plate, rope(IRON, curve(line, 3), 0.0055, 10)]


HOOK_SEATS = (
    Seat((0.0, 0.0, 0.0), UP, FRONT, "plate", 0.0, "fixing"),
    Seat((0.0, -HOOK_DEPTH - 0.0035, 0.0), DOWN, FRONT, "below", 0.0, "hook"),
)


def lantern() -> list[Surface]:
    """A lantern that hangs by the ring on its cap; the ring's top is at y = 0.36."""
    foot = turned([(IRON, soft([(0, 0), (0.075, 0), (0.08, 0.012), (0.066, 0.03), (0, 0.03)], 1))], 36)
    glass = turned([(CREAM, soft([(0, 0.03), (0.056, 0.03), (0.07, 0.09), (0.06, 0.17), (0.045, 0.2), (0, 0.2)]))], 36)
    cap = turned([(BRASS, soft([(0, 0.2), (0.07, 0.2), (0.05, 0.24), (0.022, 0.27), (0.012, 0.3), (0, 0.3)], 1))], 36)
    ring = [(0.03 * math.sin(a), 0.326 - 0.03 * math.cos(a), 0.0) for a in np.linspace(0.0, 2.0 * math.pi, 26)]
    return [*foot, *glass, *cap, rope(IRON, np.array(ring), 0.004, 8)]


LANTERN_SEATS = (
    Seat((0.0, 0.36, 0.0), UP, FRONT, "ring", 0.0, "hook"),
    Seat((0.0, 0.0, 0.0), DOWN, FRONT, "foot"),
)


def hatch() -> list[Surface]:
    """A wooden hatch that goes into a wall: its frame lies on the wall at z = 0, its box reaches in behind it."""
    w, h, d, rim = 0.56, 0.46, 0.2, 0.06
    frame = block(OAK, (w + 2 * rim, h + 2 * rim, 0.022), (0.0, -h / 2 - rim, 0.011), 0.003)
    box = block(WALNUT, (w, h, d), (0.0, -h / 2, -d / 2), 0.002)
    door = [block(ASH, (0.088, h - 0.04, 0.012), (0.0935 * k, -h / 2 + 0.02, 0.028), 0.002) for k in (-2, -1, 0, 1, 2)]
    hinges = [block(IRON, (0.4, 0.022, 0.005), (-0.05, y, 0.0365), 0.001) for y in (-0.15, 0.13)]
    return [frame, box, *door, *hinges]


def vent() -> list[Surface]:
    """A round vent with a flange: its axis is z, the flange lies on the wall at z = 0."""
    body = turned([(BRICK, [(0, -0.14), (0.085, -0.14), (0.085, 0.0), (0.115, 0.0), (0.11, 0.016), (0, 0.016)])], 40)
    return [Surface(s.paint, s.vertices[:, [0, 2, 1]] * np.array([1, -1, 1]), s.faces) for s in body]


def slate() -> list[Surface]:
    """A roof slate lying flat."""
    return [block(SLATE, (0.24, 0.008, 0.36), (0, 0, 0), 0.0015)]


def bench() -> list[Surface]:
    """A low bench, 1.2 m across."""
    w, h, d = 1.2, 0.44, 0.34
    legs = [
        block(WALNUT, (0.05, h - 0.036, 0.05), (sx * (w / 2 - 0.09), 0, sz * (d / 2 - 0.05)), 0.005)
        for sx in (-1, 1)
        for sz in (-1, 1)
    ]
    rails = [block(OAK, (w - 0.2, 0.05, 0.024), (0, h - 0.09, s * (d / 2 - 0.05)), 0.003) for s in (-1, 1)]
    return [block(ASH, (w, 0.036, d), (0, h - 0.036, 0), 0.005), *legs, *rails]


BENCH_SEATS = (
    Seat((0.0, 0.44, 0.0), UP, FRONT, "top"),
    Seat((-0.6, 0.422, 0.0), LEFT, UP, "left end"),
    Seat((0.6, 0.422, 0.0), RIGHT, UP, "right end"),
)


def trolley() -> list[Surface]:
    """A low kiln trolley of iron and fire brick on four wheels."""
    w, d, h = 1.1, 0.6, 0.3
    bed = [
        block(IRON, (w, 0.05, d), (0, h - 0.11, 0), 0.006),
        block(BRICK, (w - 0.04, 0.06, d - 0.04), (0, h - 0.06, 0), 0.004),
    ]
    wheels = []
    for sx in (-1, 1):
        for sz in (-1, 1):
            wheel = turned([(IRON, [(0, 0), (0.098, 0), (0.1, 0.008), (0.1, 0.03), (0.092, 0.038), (0, 0.038)])], 32)[0]
            # Rolled onto its rim, its axle across the trolley.
            upright = Surface(IRON, wheel.vertices[:, [0, 2, 1]] * np.array([1, 1, 1]), wheel.faces[:, ::-1])
            wheels.append(moved(upright, (sx * (w / 2 - 0.18), 0.1, sz * (d / 2 - 0.08) - 0.019)))
    axles = [block(IRON, (0.04, 0.04, d - 0.1), (s * (w / 2 - 0.18), 0.09, 0), 0.002) for s in (-1, 1)]
    struts = [block(IRON, (0.05, 0.08, 0.3), (s * (w / 2 - 0.18), 0.115, 0), 0.002) for s in (-1, 1)]
    grip = rope(
        IRON,
        curve(
            [
                (w / 2 - 0.02, h - 0.09, -0.2),
                (w / 2 + 0.1, h + 0.45, -0.2),
                (w / 2 + 0.1, h + 0.45, 0.2),
                (w / 2 - 0.02, h - 0.09, 0.2),
            ],
            8,
        ),
        0.014,
        10,
    )
    return [*bed, *wheels, *axles, *struts, grip]


def saggar() -> list[Surface]:
    """A fireclay box that delicate pots are fired in."""
    outside = [(0, 0), (0.1, 0), (0.105, 0.004), (0.105, 0.116), (0.1, 0.12)]
    inside = [(0.09, 0.12), (0.09, 0.014), (0, 0.014)]
    return turned([(CLAY, outside), (CLAY, [outside[-1], *inside])], 40)


def wrapped_bar() -> list[Surface]:
    """An iron bar wrapped in linen at one end, to close a kiln with."""
    return [
        block(IRON, (0.9, 0.02, 0.02), (0, 0, 0), 0.002),
        block(LINEN, (0.16, 0.036, 0.036), (0.38, -0.008, 0), 0.006),
    ]
