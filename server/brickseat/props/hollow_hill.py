"""The props of Hollow Hill Pottery."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brickseat.props import kiln_furniture
from brickseat.props.lay_figure import lay_figure_document
from brickseat.props.modelling import bar, block, curve, lump, moved, post, rope, soft, turned
from brickseat.props.paints import (
    ASH,
    BRASS,
    BRICK,
    CARD,
    CELADON,
    CLAY,
    COBALT,
    CREAM,
    DARK_CLAY,
    EARTH,
    HONEY,
    IRON,
    JUTE,
    LEAF,
    LINEN,
    OAK,
    SAGE,
    SLATE,
    STONE,
    WALNUT,
    WICKER,
    ZINC,
)
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.scene import Seat, Triple, Vec


def vessel(
    outside: list[tuple[float, float]], inside: list[tuple[float, float]], glaze: Paint, bare: Paint, dip: float
) -> list[Surface]:
    """A thrown pot: bare clay below ``dip``, glaze above and within. Profiles run base to rim, rim to base."""
    outer = soft(outside)
    below = [p for p in outer if p[1] <= dip]
    above = [p for p in outer if p[1] > dip]
    if below and above:
        a, b = below[-1], above[0]
        f = (dip - a[1]) / (b[1] - a[1]) if b[1] != a[1] else 0.0
        seam = (a[0] + f * (b[0] - a[0]), dip)
        below, above = [*below, seam], [seam, *above]
    inner = soft([above[-1], *inside])
    return turned([(bare, below), (glaze, above), (glaze, inner)] if below else [(glaze, above), (glaze, inner)])


def bowl(radius: float, height: float, glaze: Paint, bare: Paint = CLAY) -> list[Surface]:
    r, h, t = radius, height, 0.006
    outside = [(0, 0), (0.42 * r, 0), (0.44 * r, 0.1 * h), (0.66 * r, 0.28 * h), (0.92 * r, 0.72 * h), (r, h)]
    inside = [(r - t, h), (0.92 * r - t, 0.74 * h), (0.64 * r, 0.28 * h + t), (0.3 * r, 0.1 * h + t), (0, 0.09 * h + t)]
    return vessel(outside, inside, glaze, bare, 0.34 * h)


def jar(radius: float, height: float, mouth: float, glaze: Paint) -> list[Surface]:
    r, h, m, t = radius, height, mouth, 0.007
    outside = [
        (0, 0),
        (0.66 * r, 0),
        (0.74 * r, 0.04 * h),
        (r, 0.42 * h),
        (0.96 * r, 0.66 * h),
        (1.08 * m, 0.9 * h),
        (1.12 * m, h),
    ]
    inside = [
        (m, h),
        (m, 0.9 * h),
        (0.94 * r - t, 0.64 * h),
        (r - t, 0.42 * h),
        (0.7 * r - t, 0.06 * h + t),
        (0, 0.05 * h + t),
    ]
    return vessel(outside, inside, glaze, CLAY, 0.24 * h)


def lid(mouth: float, glaze: Paint) -> list[Surface]:
    """A lid whose lip lies on the rim of a jar of the same mouth, with a flange inside it."""
    m = mouth
    under = [(0, 0.0), (0.8 * m, 0.0), (0.8 * m, 0.014), (1.14 * m, 0.014)]
    over = [
        (1.14 * m, 0.014),
        (1.12 * m, 0.022),
        (0.7 * m, 0.034),
        (0.2 * m, 0.042),
        (0.17 * m, 0.056),
        (0.26 * m, 0.068),
        (0.2 * m, 0.08),
        (0, 0.084),
    ]
    return turned([(CLAY, under), (glaze, soft(over))])


def handle(glaze: Paint, points: list[Triple], radius: float = 0.009) -> Surface:
    return rope(glaze, curve(points, 7), radius, 10, 0.62)


def jug(radius: float, height: float, glaze: Paint) -> list[Surface]:
    r, h, t = radius, height, 0.006
    outside = [
        (0, 0),
        (0.7 * r, 0),
        (0.78 * r, 0.05 * h),
        (r, 0.36 * h),
        (0.82 * r, 0.66 * h),
        (0.56 * r, 0.84 * h),
        (0.66 * r, h),
    ]
    inside = [
        (0.66 * r - t, h),
        (0.56 * r - t, 0.85 * h),
        (0.8 * r - t, 0.66 * h),
        (r - t, 0.36 * h),
        (0.7 * r - t, 0.08 * h),
        (0, 0.05 * h + t),
    ]
    body = vessel(outside, inside, glaze, DARK_CLAY, 0.2 * h)
    # The lip is pulled into a spout on the side away from the handle.
    shaped = []
    for s in body:
        v = s.vertices.copy()
        rise = np.clip((v[:, 1] / h - 0.8) / 0.2, 0, 1)
        ahead = np.clip(v[:, 0] / (0.66 * r), 0, 1) ** 3 * np.clip(1 - np.abs(v[:, 2]) / (0.5 * r), 0, 1)
        v[:, 0] += 0.28 * r * rise * ahead
        v[:, 1] += 0.05 * h * rise * ahead
        shaped.append(Surface(s.paint, v, s.faces))
    grip = handle(
        glaze,
        [
            (-0.6 * r, 0.9 * h, 0),
            (-1.15 * r, 0.93 * h, 0),
            (-1.5 * r, 0.7 * h, 0),
            (-1.3 * r, 0.42 * h, 0),
            (-0.94 * r, 0.32 * h, 0),
        ],
    )
    return [*shaped, grip]


def mug(glaze: Paint) -> list[Surface]:
    r, h, t = 0.042, 0.095, 0.005
    outside = [(0, 0), (0.8 * r, 0), (0.95 * r, 0.05 * h), (r, 0.5 * h), (0.96 * r, h)]
    inside = [(0.96 * r - t, h), (r - t, 0.5 * h), (0.9 * r - t, 0.1 * h), (0, 0.07 * h)]
    grip = handle(
        glaze,
        [(-0.9 * r, 0.8 * h, 0), (-1.7 * r, 0.78 * h, 0), (-1.75 * r, 0.4 * h, 0), (-0.93 * r, 0.28 * h, 0)],
        0.006,
    )
    return [*vessel(outside, inside, glaze, CLAY, 0.26 * h), grip]


def plate(radius: float, glaze: Paint) -> list[Surface]:
    r = radius
    outside = [(0, 0), (0.55 * r, 0), (0.6 * r, 0.004), (0.9 * r, 0.016), (r, 0.022)]
    inside = [(r - 0.001, 0.026), (0.9 * r, 0.022), (0.58 * r, 0.011), (0, 0.009)]
    return vessel(outside, inside, glaze, CLAY, 0.006)


def bottle(glaze: Paint) -> list[Surface]:
    outside = [
        (0, 0),
        (0.036, 0),
        (0.042, 0.012),
        (0.048, 0.09),
        (0.042, 0.16),
        (0.017, 0.205),
        (0.015, 0.26),
        (0.021, 0.272),
    ]
    inside = [(0.013, 0.272), (0.011, 0.21), (0.036, 0.158), (0.042, 0.09), (0.036, 0.014), (0, 0.01)]
    return vessel(outside, inside, glaze, DARK_CLAY, 0.05)


def sack(size: Triple, seed: int, cloth: Paint) -> list[Surface]:
    x, y, z = size
    body = lump(cloth, (x, y, z), seed, 0.05, 0.14, 20)
    v = body.vertices.copy()
    top = float(v[:, 1].max())
    rise = np.clip(v[:, 1] / top, 0, 1)
    swell = 1.0 + 0.16 * np.sin(math.pi * np.clip(rise * 1.15, 0, 1)) - 0.22 * rise**3
    v[:, 0] *= swell
    v[:, 2] *= swell
    body = Surface(cloth, v, body.faces)
    neck = moved(
        turned(
            [
                (
                    cloth,
                    soft(
                        [
                            (0, 0),
                            (0.16 * x, 0),
                            (0.1 * x, 0.16 * y),
                            (0.2 * x, 0.36 * y),
                            (0.17 * x, 0.4 * y),
                            (0.06 * x, 0.2 * y),
                            (0, 0.18 * y),
                        ]
                    ),
                )
            ],
            20,
            lambda a, _: 1 + 0.1 * np.cos(7 * a),
        )[0],
        (0, top - 0.06 * y, 0),
    )
    tie = rope(JUTE if cloth is not JUTE else OAK, ring_path(0.125 * x, top + 0.09 * y, 18), 0.006, 6)
    return [body, neck, tie]


def ring_path(radius: float, height: float, steps: int = 24, start: float = 0.0, sweep: float = 2 * math.pi) -> Vec:
    a = np.linspace(start, start + sweep, steps)
    return np.stack([radius * np.cos(a), np.full(steps, height), radius * np.sin(a)], axis=1)


def slumped_sack() -> list[Surface]:
    return [lump(LINEN, (0.52, 0.26, 0.36), 21, 0.09, 0.16, 20)]


def bucket() -> list[Surface]:
    r0, r1, h, t = 0.105, 0.145, 0.27, 0.004
    body = turned(
        [
            (
                ZINC,
                [
                    (0, 0.008),
                    (r0 - 0.01, 0.008),
                    (r0 - 0.006, 0.0),
                    (r0, 0.0),
                    (r0 + 0.3 * (r1 - r0), 0.3 * h),
                    (r0 + 0.3 * (r1 - r0) + 0.004, 0.31 * h),
                    (r0 + 0.33 * (r1 - r0), 0.33 * h),
                    (r1, h),
                    (r1 + 0.006, h + 0.003),
                    (r1 + 0.005, h + 0.009),
                ],
            ),
            (ZINC, [(r1 + 0.005, h + 0.009), (r1 - t, h + 0.006), (r0 - t, 0.014), (0, 0.014)]),
        ],
        40,
    )
    arc = [
        (-r1 - 0.004, h - 0.02, 0),
        (-r1 - 0.02, h + 0.03, 0.05),
        (-0.6 * r1, h + 0.05, 0.12),
        (0, h + 0.055, 0.145),
        (0.6 * r1, h + 0.05, 0.12),
        (r1 + 0.02, h + 0.03, 0.05),
        (r1 + 0.004, h - 0.02, 0),
    ]
    return [
        *body,
        rope(IRON, curve([(x, y, z) for x, y, z in arc], 6), 0.004, 8),
        *(block(IRON, (0.014, 0.03, 0.03), (s * (r1 + 0.001), h - 0.034, 0), 0.002) for s in (-1, 1)),
    ]


def stool() -> list[Surface]:
    seat = turned(
        [(ASH, soft([(0, 0.385), (0.15, 0.385), (0.172, 0.397), (0.17, 0.42), (0.15, 0.425), (0, 0.417)], 2))], 44
    )
    legs = []
    for k in range(3):
        a = 2 * math.pi * k / 3 + 0.5
        foot, head = (0.165 * math.cos(a), 0.0, 0.165 * math.sin(a)), (0.1 * math.cos(a), 0.395, 0.1 * math.sin(a))
        leg = turned(
            [(WALNUT, soft([(0, 0), (0.013, 0), (0.019, 0.1), (0.021, 0.3), (0.015, 0.395), (0, 0.395)], 1))], 16
        )[0]
        share = leg.vertices[:, 1:2] / 0.395
        legs.append(
            Surface(
                WALNUT,
                leg.vertices + np.array(foot) + share * np.array([head[0] - foot[0], 0, head[2] - foot[2]]),
                leg.faces,
            )
        )
    return [*seat, *legs]


def trestle() -> list[Surface]:
    h = 0.7
    parts = [block(OAK, (0.09, 0.06, 0.8), (0, h - 0.06, 0), 0.006)]
    for z in (-0.3, 0.3):
        for x in (-1, 1):
            parts.append(post(OAK, (0.24 * x, 0, z * 1.12), (0.035 * x, h - 0.05, z), 0.045, 0.06))
        parts.append(bar(OAK, (-0.16, 0.24, z * 1.07), (0.16, 0.24, z * 1.07), 0.03, 0.045))
    parts.append(bar(WALNUT, (0, 0.25, -0.32), (0, 0.25, 0.32), 0.03, 0.03))
    return parts


def plank(length: float) -> list[Surface]:
    return [block(ASH, (length, 0.038, 0.22), (0, 0, 0), 0.004)]


def ladder() -> list[Surface]:
    """Lying on its side rails, as it is carried."""
    parts = [block(OAK, (2.4, 0.07, 0.032), (0, 0, z), 0.005) for z in (-0.19, 0.19)]
    for k in range(8):
        x = -1.05 + 0.3 * k
        parts.append(moved(rope(ASH, np.linspace([0, 0.035, -0.185], [0, 0.035, 0.185], 4), 0.014, 12), (x, 0, 0)))
    return parts


def basket(radius: float, height: float, rows: int, grip: bool) -> list[Surface]:
    r, h = radius, height

    def weave(angle: Vec, y: Vec) -> Vec:
        row = np.round(y / h * rows)
        return 1.0 + 0.022 * np.sign(np.cos(16 * angle)) * np.where(row % 2 == 0, 1, -1) * (y > 0.01)

    outside = [
        (0.0, 0.0),
        (0.72 * r, 0.0),
        *((r * (0.76 + 0.24 * math.sin(0.5 * math.pi * k / rows)), h * k / rows) for k in range(1, rows + 1)),
    ]
    inside = [(r * 0.93, h), (0.7 * r, 0.02), (0, 0.014)]
    parts = turned([(WICKER, outside), (WICKER, [outside[-1], *inside])], 64, weave)
    parts.append(rope(WALNUT, ring_path(0.975 * r, h, 40), 0.011, 8))
    if grip:
        arc = [
            (-0.95 * r, h - 0.02, 0.0),
            (-0.85 * r, h + 0.55 * r, 0.0),
            (0.0, h + 0.95 * r, 0.0),
            (0.85 * r, h + 0.55 * r, 0.0),
            (0.95 * r, h - 0.02, 0.0),
        ]
        parts.append(rope(WICKER, curve(arc, 7), 0.012, 8))
    return parts


def herb(radius: float, height: float, leaf: Paint, seed: int, tall: float) -> list[Surface]:
    r, h, t = radius, height, 0.007
    outside = [
        (0, 0),
        (0.66 * r, 0),
        (0.7 * r, 0.02 * h),
        (0.94 * r, 0.74 * h),
        (0.94 * r, 0.76 * h),
        (1.04 * r, 0.78 * h),
        (1.05 * r, h),
    ]
    inside = [(0.94 * r - t, h), (0.88 * r - t, 0.8 * h)]
    rim = soft([outside[-1], *inside], 1)
    pot = turned([(CLAY, soft(outside, 1)), (CLAY, rim), (EARTH, [rim[-1], (0.5 * r, 0.84 * h), (0, 0.86 * h)])], 32)
    rng = np.random.default_rng(seed)
    parts = list(pot)
    for _ in range(11):
        a, lean = rng.uniform(0, 6.28), rng.uniform(0.1, 0.75)
        length = tall * rng.uniform(0.6, 1.0)
        start = np.array([0.4 * r * math.cos(a) * lean, 0.82 * h, 0.4 * r * math.sin(a) * lean])
        tip = start + length * np.array([math.cos(a) * math.sin(lean), math.cos(lean), math.sin(a) * math.sin(lean)])
        middle = 0.5 * (start + tip) + np.array([0, 0.12 * length, 0])
        stem = curve([tuple(start), tuple(middle), tuple(tip)], 4)
        parts.append(rope(leaf, stem, 0.0022, 5))
        for k in range(2, len(stem)):
            for side in (-1, 1):
                yaw = a + side * rng.uniform(0.6, 1.5)
                one = lump(leaf, (0.036, 0.005, 0.017), int(rng.integers(1 << 30)), 0.0, 0.0, 3)
                parts.append(
                    moved(
                        Surface(leaf, one.vertices + np.array([0.016, 0, 0]), one.faces),
                        tuple(stem[k]),
                        -yaw,
                        rng.uniform(0.0, 0.7),
                    )
                )
    return joined(parts)


def joined(parts: list[Surface]) -> list[Surface]:
    """One surface a paint."""
    by_paint: dict[str, list[Surface]] = {}
    for part in parts:
        by_paint.setdefault(part.paint.name, []).append(part)
    out = []
    for group in by_paint.values():
        base, faces = 0, []
        for part in group:
            faces.append(part.faces + base)
            base += len(part.vertices)
        out.append(Surface(group[0].paint, np.concatenate([p.vertices for p in group]), np.concatenate(faces)))
    return out


def hanging_lamp() -> list[Surface]:
    shade = turned(
        [
            (CREAM, soft([(0.02, 0.16), (0.05, 0.15), (0.13, 0.03), (0.15, 0.0)])),
            (COBALT, soft([(0.15, 0.0), (0.146, 0.0), (0.125, 0.03), (0.045, 0.145), (0.02, 0.16)])),
        ],
        40,
    )
    cord = rope(IRON, np.linspace([0, 0.15, 0], [0, 0.74, 0], 6), 0.004, 8)
    rose = turned([(BRASS, soft([(0, 0.73), (0.02, 0.73), (0.045, 0.755), (0.05, 0.765), (0, 0.765)], 1))], 32)
    bulb = moved(lump(LINEN, (0.06, 0.08, 0.06), 3, 0.0, 0.0, 10), (0, 0.11, 0))
    return [*shade, cord, *rose, Surface(BRASS, bulb.vertices, bulb.faces)]


def wall_peg() -> list[Surface]:
    """Grows along +x, its flat plate at x = 0 on the side it is fixed by."""
    made = turned(
        [
            (
                WALNUT,
                soft(
                    [
                        (0, 0),
                        (0.024, 0),
                        (0.024, 0.008),
                        (0.011, 0.016),
                        (0.009, 0.07),
                        (0.016, 0.084),
                        (0.014, 0.096),
                        (0, 0.1),
                    ],
                    1,
                ),
            )
        ],
        24,
    )[0]
    v = made.vertices[:, [1, 0, 2]] * np.array([1, -1, 1])
    return [Surface(WALNUT, v, made.faces)]


def crate() -> list[Surface]:
    w, h, d, t = 0.5, 0.28, 0.36, 0.014
    parts = []
    for k in range(3):
        y = 0.012 + k * 0.09
        parts += [block(ASH, (w, 0.076, t), (0, y, s * (d - t) / 2), 0.003) for s in (-1, 1)]
        parts += [block(ASH, (t, 0.076, d - 2 * t), (s * (w - t) / 2, y, 0), 0.003) for s in (-1, 1)]
    parts += [
        block(OAK, (0.03, h, 0.03), (sx * (w / 2 - t - 0.015), 0, sz * (d / 2 - t - 0.015)), 0.004)
        for sx in (-1, 1)
        for sz in (-1, 1)
    ]
    parts += [block(ASH, (w - 2 * t, 0.012, 0.1), (0, 0.012, z), 0.002) for z in (-0.11, 0.0, 0.11)]
    return parts


def standee() -> list[Surface]:
    """A cardboard person of 1.72 m for scale, on a foot."""
    outline = [
        (-0.11, 0.02),
        (-0.12, 0.5),
        (-0.15, 0.85),
        (-0.15, 1.0),
        (-0.24, 0.86),
        (-0.29, 0.9),
        (-0.25, 1.2),
        (-0.2, 1.42),
        (-0.07, 1.48),
        (-0.06, 1.53),
        (-0.1, 1.6),
        (-0.08, 1.69),
        (0, 1.72),
    ]
    full = [*outline, *[(-x, y) for x, y in reversed(outline[:-1])]]
    front = np.array([(x, y, 0.004) for x, y in full])
    back = front - np.array([0, 0, 0.008])
    n = len(full)
    v = np.concatenate([front, back])
    mirror = [(i, n - 1 - i) for i in range(n // 2)]
    faces: list[tuple[int, int, int]] = []
    for (a, b), (c, d) in pairwise(mirror):
        faces += [(a, b, d), (a, d, c), (a + n, d + n, b + n), (a + n, c + n, d + n)]
    top = n // 2
    a, b = mirror[-1]
    faces += [(a, b, top), (a + n, top + n, b + n)]
    for i in range(n):
        j = (i + 1) % n
        faces += [(i, j, i + n), (j, j + n, i + n)]
    return [Surface(CARD, v, np.array(faces, dtype=np.int32)), block(WALNUT, (0.36, 0.03, 0.24), (0, 0, 0), 0.006)]


@dataclass(frozen=True)
class DemoProp:
    """How one prop is made and what the store says of it. ``direction``: along which it is usually seated; ``seats``:
    where others fit."""

    key: str
    name: str
    category: str
    make: Callable[[], list[Surface]]
    direction: Triple = (0.0, -1.0, 0.0)
    seats: tuple[Seat, ...] = ()
    jointed: Callable[[], GltfDocument] | None = None

    def document(self) -> GltfDocument:
        """The prop's file; a jointed one has a node for every joint."""
        return self.jointed() if self.jointed is not None else prop_document(self.name, self.make())


UPWARDS = (0.0, 1.0, 0.0)
PROPS: tuple[DemoProp, ...] = (
    DemoProp("wide-bowl", "wide bowl", "pots", lambda: bowl(0.15, 0.085, CELADON)),
    DemoProp("cereal-bowl", "middle bowl", "pots", lambda: bowl(0.105, 0.066, CREAM)),
    DemoProp("dip-bowl", "dip bowl", "pots", lambda: bowl(0.07, 0.048, COBALT)),
    DemoProp("tall-jar", "tall jar", "pots", lambda: jar(0.1, 0.26, 0.062, HONEY)),
    DemoProp("tall-jar-lid", "tall jar lid", "pots", lambda: lid(0.062, HONEY)),
    DemoProp("squat-jar", "squat jar", "pots", lambda: jar(0.12, 0.16, 0.08, CREAM)),
    DemoProp("squat-jar-lid", "squat jar lid", "pots", lambda: lid(0.08, COBALT)),
    DemoProp("milk-jug", "milk jug", "pots", lambda: jug(0.075, 0.17, CREAM)),
    DemoProp("cider-jug", "cider jug", "pots", lambda: jug(0.11, 0.27, CELADON)),
    DemoProp("mug", "mug", "pots", lambda: mug(COBALT)),
    DemoProp("dinner-plate", "dinner plate", "pots", lambda: plate(0.135, CREAM)),
    DemoProp("side-plate", "side plate", "pots", lambda: plate(0.09, CELADON)),
    DemoProp("bottle", "oil bottle", "pots", lambda: bottle(HONEY)),
    DemoProp("floor-tile", "floor tile", "tiles", lambda: [block(DARK_CLAY, (0.2, 0.016, 0.2), bevel=0.0025)]),
    DemoProp("glazed-tile", "glazed tile", "tiles", lambda: [block(CELADON, (0.1, 0.009, 0.1), bevel=0.002)]),
    DemoProp("fire-brick", "fire brick", "tiles", lambda: [block(BRICK, (0.23, 0.064, 0.114), bevel=0.003)]),
    DemoProp(
        "kiln-bat",
        "kiln bat",
        "tiles",
        lambda: turned([(STONE, [(0, 0), (0.2, 0), (0.203, 0.003), (0.203, 0.015), (0.2, 0.018), (0, 0.018)])], 48),
    ),
    DemoProp("grain-sack", "grain sack", "cloth", lambda: sack((0.4, 0.5, 0.34), 11, JUTE)),
    DemoProp("clay-sack", "slumped sack", "cloth", slumped_sack),
    DemoProp("bucket", "bucket", "tools", bucket),
    DemoProp("stool", "three-legged stool", "furniture", stool),
    DemoProp("trestle", "trestle", "furniture", trestle),
    DemoProp("plank", "plank", "furniture", lambda: plank(1.8)),
    DemoProp("ladder", "ladder", "tools", ladder),
    DemoProp("log-basket", "log basket", "baskets", lambda: basket(0.24, 0.24, 10, False)),
    DemoProp("egg-basket", "egg basket", "baskets", lambda: basket(0.15, 0.12, 6, True)),
    DemoProp("thyme-pot", "pot of thyme", "herbs", lambda: herb(0.075, 0.13, LEAF, 5, 0.14)),
    DemoProp("sage-pot", "pot of sage", "herbs", lambda: herb(0.1, 0.17, SAGE, 9, 0.2)),
    DemoProp("round-stone", "round stone", "stones", lambda: [lump(STONE, (0.34, 0.24, 0.3), 31, 0.12)]),
    DemoProp("long-stone", "long stone", "stones", lambda: [lump(STONE, (0.62, 0.26, 0.36), 37, 0.14)]),
    DemoProp("flat-stone", "flat stone", "stones", lambda: [lump(SLATE, (0.5, 0.13, 0.4), 41, 0.1, 0.12)]),
    DemoProp("hanging-lamp", "hanging lamp", "lights", hanging_lamp, UPWARDS),
    DemoProp("wall-peg", "wall peg", "tools", wall_peg, (-1.0, 0.0, 0.0)),
    DemoProp("crate", "slatted crate", "furniture", crate),
    DemoProp("standee", "standee", "scale", standee),
    DemoProp("kiln-shelf", "kiln shelf", "kiln", kiln_furniture.shelf, seats=kiln_furniture.shelf_seats()),
    DemoProp("kiln-post", "kiln post", "kiln", kiln_furniture.post, seats=kiln_furniture.POST_SEATS),
    DemoProp("kiln-stand", "three-armed stand", "kiln", kiln_furniture.stand, seats=kiln_furniture.STAND_SEATS),
    DemoProp("saggar", "saggar", "kiln", kiln_furniture.saggar),
    DemoProp("kiln-trolley", "kiln trolley", "kiln", kiln_furniture.trolley),
    DemoProp("kiln-bar", "wrapped bar", "kiln", kiln_furniture.wrapped_bar),
    DemoProp("drying-box", "drying box", "furniture", kiln_furniture.module, seats=kiln_furniture.MODULE_SEATS),
    DemoProp("low-bench", "low bench", "furniture", kiln_furniture.bench, seats=kiln_furniture.BENCH_SEATS),
    DemoProp("iron-hook", "iron hook", "lights", kiln_furniture.hook, UPWARDS, kiln_furniture.HOOK_SEATS),
    DemoProp("lantern", "lantern", "lights", kiln_furniture.lantern, UPWARDS, kiln_furniture.LANTERN_SEATS),
    DemoProp("wall-hatch", "wall hatch", "openings", kiln_furniture.hatch, kiln_furniture.BACK),
    DemoProp("wall-vent", "wall vent", "openings", kiln_furniture.vent, kiln_furniture.BACK),
    DemoProp("lay-figure", "lay figure", "furniture", list, jointed=lay_figure_document),
    DemoProp("roof-slate", "roof slate", "tiles", kiln_furniture.slate),
)
