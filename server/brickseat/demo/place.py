"""The place itself: the workshop on the hill and the kiln yard before it."""

import math

import numpy as np

from brickseat.props.hollow_hill import DemoProp
from brickseat.props.modelling import bar, block, ripple, soft, turned
from brickseat.props.paints import ASH, BRICK, DARK_CLAY, IRON, OAK, WALNUT, paint
from brickseat_core.formats.gltf.building import Surface
from brickseat_core.scene import Vec

PLASTER = paint("lime plaster", "efe6d4", 1.0)
BOARDS = paint("floor boards", "b59a78", 0.9)
GROUND = paint("yard ground", "ffffff", 1.0)
FLAGS = paint("flagstones", "b3aa9a", 1.0)

WIDTH, DEPTH, HEIGHT = 6.0, 4.6, 2.7
"""The workshop's floor spans x in ±3 and z in -4.6..0; it opens on the yard at z = 0."""

YARD_WIDTH, YARD_DEPTH, YARD_CELLS = 12.0, 10.0, 120


def floor() -> list[Surface]:
    boards = []
    n = 15
    w = DEPTH / n
    for k in range(n):
        boards.append(block(BOARDS, (WIDTH, 0.06, w), (0.0, -0.06, -DEPTH + w * (k + 0.5)), 0.0025))
    return [*boards, block(WALNUT, (WIDTH + 0.1, 0.16, DEPTH), (0.0, -0.221, -DEPTH / 2), 0.01)]


def walls() -> list[Surface]:
    t = 0.2
    back = block(PLASTER, (WIDTH + 2 * t, HEIGHT, t), (0.0, -0.22, -DEPTH - t / 2), 0.012)
    left = block(PLASTER, (t, HEIGHT, DEPTH), (-WIDTH / 2 - t / 2, -0.22, -DEPTH / 2), 0.012)
    return [back, left]


def skirting() -> list[Surface]:
    return [block(OAK, (WIDTH, 0.11, 0.02), (0.0, 0.0, -DEPTH + 0.01), 0.005)]


def shelf() -> list[Surface]:
    """An open shelf unit, 1.8 m across: four boards of 22 mm between uprights."""
    w, h, d, t = 1.8, 1.9, 0.34, 0.022
    parts = [block(OAK, (0.03, h, d), (s * (w / 2 - 0.015), 0, 0), 0.003) for s in (-1, 1)]
    for y in (0.08, 0.56, 1.02, 1.46):
        parts.append(block(ASH, (w - 0.06, t, d - 0.01), (0, y, 0), 0.003))
    parts.append(block(OAK, (w, 0.03, d + 0.03), (0, h, 0), 0.006))
    parts += [
        bar(OAK, (-w / 2 + 0.03, y, -d / 2 + 0.012), (w / 2 - 0.03, y, -d / 2 + 0.012), 0.05, 0.012) for y in (0.4, 1.3)
    ]
    return parts


def table() -> list[Surface]:
    w, h, d = 2.2, 0.86, 0.85
    parts = [
        block(ASH, (w, 0.02, d / 4 - 0.001), (0, h - 0.045 + 0.025, -d / 2 + d / 4 * (k + 0.5)), 0.002)
        for k in range(4)
    ]
    parts.append(block(OAK, (w - 0.02, 0.026, d - 0.02), (0, h - 0.046, 0), 0.003))
    for sx in (-1, 1):
        for sz in (-1, 1):
            parts.append(block(WALNUT, (0.08, h - 0.045, 0.08), (sx * (w / 2 - 0.1), 0, sz * (d / 2 - 0.09)), 0.007))
        parts.append(block(WALNUT, (0.04, 0.06, d - 0.26), (sx * (w / 2 - 0.1), 0.18, 0), 0.005))
    parts.append(block(WALNUT, (w - 0.24, 0.06, 0.04), (0, 0.185, 0), 0.005))
    parts += [block(WALNUT, (w - 0.28, 0.09, 0.03), (0, h - 0.135, s * (d / 2 - 0.09)), 0.004) for s in (-1, 1)]
    return parts


def beam() -> list[Surface]:
    return [
        block(WALNUT, (WIDTH - 0.02, 0.2, 0.17), (0.0, HEIGHT - 0.52, -2.55), 0.012),
        block(WALNUT, (0.16, HEIGHT - 0.515, 0.16), (WIDTH / 2 - 0.1, 0.0, -2.55), 0.012),
    ]


def sweep() -> list[Surface]:
    """A floor that bends into a back wall, a strip of plaster 40 mm thick."""
    w, t, r = 1.7, 0.04, 0.5
    line: list[tuple[float, float]] = [(0.85, t)]
    line += [(-0.35 - r * math.sin(a), t + r - r * math.cos(a)) for a in np.linspace(0, math.pi / 2, 17)]
    line.append((-0.35 - r, 1.5))
    outer = np.array(line)
    direction = np.gradient(outer, axis=0)
    direction /= np.linalg.norm(direction, axis=1)[:, None]
    inner = outer + t * np.stack([direction[:, 1], -direction[:, 0]], axis=1) * -1
    inner[:, 1] = np.where(np.arange(len(inner)) == 0, 0.0, inner[:, 1])
    ring = np.concatenate([outer, inner[::-1]])
    n = len(ring)
    m = len(outer)
    v = np.concatenate([np.stack([np.full(n, s * w / 2), ring[:, 1], ring[:, 0]], axis=1) for s in (-1, 1)])
    faces: list[tuple[int, int, int]] = []
    for i in range(n):
        j = (i + 1) % n
        faces += [(i, j, j + n), (i, j + n, i + n)]
    for i in range(m - 1):
        a, b, c, d = i, i + 1, n - 2 - i, n - 1 - i
        faces += [(a, c, b), (a, d, c), (a + n, b + n, c + n), (a + n, c + n, d + n)]
    f = np.array(faces, dtype=np.int32)
    corners = v[f]
    if float(np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2]))) < 0:
        f = np.ascontiguousarray(f[:, ::-1])
    return [Surface(PLASTER, v, f)]


def ground_height(x: Vec, z: Vec) -> Vec:
    """Height of the yard in metres: a hill falling away from the workshop, a levelled path with three steps."""
    points = np.stack([x, np.zeros_like(x), z], axis=-1).reshape(-1, 3)
    bumps = (0.06 * ripple(points * 0.8, 71) + 0.012 * ripple(points * 3.1, 72)).reshape(x.shape)
    hill = -0.26 - 0.085 * np.maximum(z, 0) + 0.02 * x + 0.16 * np.maximum(np.abs(x) - 2.6, 0) ** 1.3
    wild = hill + bumps
    bend = 0.9 * np.sin(z * 0.42)
    off = np.abs(x - bend)
    tread = np.where(z < 2.2, -0.26, np.where(z < 4.6, -0.42, np.where(z < 7.0, -0.58, -0.74)))
    trodden = np.clip(1.0 - (off - 0.85) / 0.55, 0.0, 1.0)
    trodden = trodden * trodden * (3 - 2 * trodden)
    terrace = np.clip(1.0 - (np.hypot((x + 3.3) / 1.5, (z - 3.4) / 1.35) - 0.85) / 0.35, 0.0, 1.0)
    out = wild + trodden * (tread - wild)
    return np.asarray(out + terrace * (-0.34 - out))


def yard() -> list[Surface]:
    n = YARD_CELLS
    xs = np.linspace(-YARD_WIDTH / 2, YARD_WIDTH / 2, n + 1)
    zs = np.linspace(-0.35, YARD_DEPTH - 0.35, n + 1)
    x, z = np.meshgrid(xs, zs, indexing="ij")
    y = ground_height(x, z)
    v = np.stack([x, y, z], axis=-1).reshape(-1, 3)
    i = (np.arange(n)[:, None] * (n + 1) + np.arange(n)[None, :]).ravel()
    faces = np.concatenate([np.stack([i, i + 1, i + n + 1], 1), np.stack([i + 1, i + n + 2, i + n + 1], 1)]).astype(
        np.int32
    )
    grass, earth, gravel = (np.array(paint("", c).colour) for c in ("8f9768", "9b9170", "c4b9a3"))
    off = np.abs(x - 0.9 * np.sin(z * 0.42)).ravel()
    worn = np.clip(1.0 - (off - 0.7) / 0.7, 0, 1)[:, None]
    patch = np.clip(0.5 + 0.8 * ripple(v * 1.3, 73), 0, 1)[:, None]
    terrace = np.clip(1.3 - np.hypot((x + 3.3) / 1.5, (z - 3.4) / 1.35), 0, 1).ravel()[:, None]
    colour = grass * patch + earth * (1 - patch)
    colour = colour * (1 - worn) + gravel * worn
    colour = colour * (1 - 0.8 * terrace) + earth * 0.8 * terrace
    return [Surface(GROUND, v, faces, colour * (1.0 + 0.06 * ripple(v * 9, 74))[:, None])]


def doorstep() -> list[Surface]:
    return [block(FLAGS, (2.4, 0.14, 0.5), (0.0, -0.3, 0.34), 0.014)]


def kiln() -> list[Surface]:
    """A beehive kiln of fire brick on a stone plinth, with its door and chimney."""
    dome = turned(
        [
            (
                BRICK,
                soft(
                    [
                        (0, 0.16),
                        (0.84, 0.16),
                        (0.86, 0.5),
                        (0.8, 0.85),
                        (0.56, 1.2),
                        (0.2, 1.36),
                        (0.2, 1.38),
                        (0.2, 1.8),
                        (0.23, 1.82),
                        (0.23, 1.88),
                        (0.0, 1.88),
                    ],
                    2,
                    0.18,
                ),
            )
        ],
        56,
    )
    plinth = turned([(FLAGS, [(0, 0), (1.22, 0), (1.25, 0.03), (1.25, 0.15), (1.23, 0.17), (0, 0.17)])], 56)
    door = [
        block(DARK_CLAY, (0.5, 0.56, 0.12), (0.0, 0.17, 0.84), 0.02),
        block(IRON, (0.4, 0.46, 0.03), (0.0, 0.19, 0.905), 0.006),
    ]
    return [*plinth, *dome, *door]


SHED_WIDTH, SHED_DEPTH, SHED_HEIGHT, SHED_WALL = 5.2, 4.2, 2.5, 0.35


def shed_floor() -> list[Surface]:
    """The floor of the kiln shed, its upper side at y = 0."""
    return [block(FLAGS, (SHED_WIDTH + 0.8, 0.12, SHED_DEPTH + 0.8), (0.0, -0.12, 0.0), 0.012)]


def shed_back_wall() -> list[Surface]:
    """A thick plastered wall; its front is at z = 0."""
    return [block(PLASTER, (SHED_WIDTH, SHED_HEIGHT, SHED_WALL), (0.0, 0.0, -SHED_WALL / 2))]


def shed_side_wall() -> list[Surface]:
    """The same beside it; its inner face is at x = 0."""
    return [block(PLASTER, (SHED_WALL, SHED_HEIGHT, SHED_DEPTH), (-SHED_WALL / 2, 0.0, 0.0))]


def shed_beam() -> list[Surface]:
    """A beam across the shed; its under side is at y = 0."""
    return [block(WALNUT, (SHED_WIDTH, 0.18, 0.16), (0.0, 0.0, 0.0), 0.006)]


ROOF_SLOPE = math.radians(24.0)


def wood_store() -> list[Surface]:
    """A low store for wood under a slanted roof that is to be slated; the roof falls towards the front."""
    w, d, low, high = 1.5, 0.9, 0.78, 0.78 + 0.9 * math.tan(ROOF_SLOPE)
    over = 0.06 * math.tan(ROOF_SLOPE)
    posts = [
        block(OAK, (0.07, low if z > 0 else high - 0.03, 0.07), (sx * (w / 2 - 0.05), 0, z * (d / 2 - 0.05)), 0.004)
        for sx in (-1, 1)
        for z in (-1, 1)
    ]
    corners = [
        (x, y + up, z)
        for x in (-w / 2 - 0.06, w / 2 + 0.06)
        for y, z in ((high + over, -d / 2 - 0.06), (low - over, d / 2 + 0.06))
        for up in (0.0, 0.03)
    ]
    v = np.array(corners)
    # Corners by across, along, and up: 0-3 on the left, 4-7 on the right.
    faces = [
        (1, 3, 5),
        (3, 7, 5),
        (0, 4, 2),
        (2, 4, 6),
        (0, 2, 1),
        (1, 2, 3),
        (4, 5, 6),
        (5, 7, 6),
        (0, 1, 4),
        (1, 5, 4),
        (2, 6, 3),
        (3, 6, 7),
    ]
    f = np.array(faces, dtype=np.int32)
    spans = v[f]
    if float(np.einsum("ij,ij->", spans[:, 0], np.cross(spans[:, 1], spans[:, 2]))) < 0:
        f = np.ascontiguousarray(f[:, ::-1])
    return [Surface(OAK, v, f), *posts]


BEARERS: tuple[DemoProp, ...] = (
    DemoProp("workshop-floor", "workshop floor", "place", floor),
    DemoProp("workshop-walls", "workshop walls", "place", walls),
    DemoProp("shelf-unit", "shelf unit", "place", shelf),
    DemoProp("work-table", "work table", "place", table),
    DemoProp("roof-beam", "roof beam", "place", beam),
    DemoProp("plaster-sweep", "plaster sweep", "place", sweep),
    DemoProp("kiln-yard", "kiln yard", "place", yard),
    DemoProp("door-step", "door step", "place", doorstep),
    DemoProp("beehive-kiln", "beehive kiln", "place", kiln),
    DemoProp("shed-floor", "shed floor", "place", shed_floor),
    DemoProp("shed-back-wall", "back wall", "place", shed_back_wall),
    DemoProp("shed-side-wall", "side wall", "place", shed_side_wall),
    DemoProp("shed-beam", "shed beam", "place", shed_beam),
    DemoProp("wood-store", "wood store", "place", wood_store),
)
