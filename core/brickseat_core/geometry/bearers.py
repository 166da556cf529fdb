"""Bearers made to measure: floor, wall, shelf, steps, a curved sweep, an open box, terrain from a height image.

All closed where a thing of that kind is closed, in metres, +Y up, with the middle of their foot at the origin; what
is walked on lies at y = 0 for a floor and for the lowest point of terrain.
"""

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.mesh import Mesh, Vec
from brickseat_core.geometry.polygons import triangulated

FLOOR_DEPTH = 0.1
SWEEP_SECTIONS = 24
MOST_SAMPLES = 513
"""Height images finer than this along a side are thinned: half a million triangles are enough to stand on."""


def slab(lo: tuple[float, float, float], hi: tuple[float, float, float]) -> tuple[Vec, NDArray[np.int32]]:
    """A closed box between two corners: (8, 3) vertices in metres and (12, 3) faces."""
    corners = np.array([[(lo, hi)[b >> k & 1][k] for k in range(3)] for b in range(8)], dtype=np.float64)
    quads = ((0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5))
    return corners, np.array([t for a, b, c, d in quads for t in ((a, b, c), (a, c, d))], dtype=np.int32)


def joined(parts: list[tuple[Vec, NDArray[np.int32]]]) -> Mesh:
    """One mesh of several, each (n, 3) vertices and (m, 3) faces; nothing is welded."""
    first = np.cumsum([0, *(len(v) for v, _ in parts)])
    return Mesh(
        np.concatenate([v for v, _ in parts]),
        np.concatenate([f + n for (_, f), n in zip(parts, first, strict=False)]).astype(np.int32),
    )


def extruded(outline: Vec, along: float) -> Mesh:
    """A closed profile (n, 2) of (z, y), either way round, drawn out along x by ``along`` metres."""
    if turns_clockwise(outline):
        outline = outline[::-1]
    n = len(outline)
    near = np.stack([np.full(n, -along / 2), outline[:, 1], outline[:, 0]], axis=1)
    far = near + np.array([along, 0.0, 0.0])
    k = np.arange(n)
    following = (k + 1) % n
    sides = np.concatenate(
        [np.stack([following, k, k + n], axis=1), np.stack([following, k + n, following + n], axis=1)]
    )
    caps = triangulated(outline)
    faces = np.concatenate([sides, caps, caps[:, ::-1] + n])
    return Mesh(np.concatenate([near, far]), faces.astype(np.int32))


def turns_clockwise(outline: Vec) -> bool:
    """Whether a closed outline (n, 2) runs clockwise: the sign of its area."""
    x, y = outline[:, 0], outline[:, 1]
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) < 0.0


def floor(across: float, along: float) -> Mesh:
    """A floor whose top is y = 0."""
    return joined([slab((-across / 2, -FLOOR_DEPTH, -along / 2), (across / 2, 0.0, along / 2))])


def wall(across: float, height: float, thickness: float) -> Mesh:
    """A wall across x, facing +z."""
    return joined([slab((-across / 2, 0.0, -thickness / 2), (across / 2, height, thickness / 2))])


def shelf(across: float, depth: float, height: float, boards: int, thickness: float) -> Mesh:
    """Two cheeks and ``boards`` boards, the lowest at the floor and the highest at the top. Open in front and behind."""
    lift = (height - thickness) / max(1, boards - 1)
    inner = across / 2 - thickness
    parts = [
        slab((-across / 2, 0.0, -depth / 2), (-inner, height, depth / 2)),
        slab((inner, 0.0, -depth / 2), (across / 2, height, depth / 2)),
    ]
    parts += [slab((-inner, k * lift, -depth / 2), (inner, k * lift + thickness, depth / 2)) for k in range(boards)]
    return joined(parts)


def steps(across: float, count: int, rise: float, tread: float) -> Mesh:
    """``count`` steps that go up away from +z."""
    outline = [(count * tread / 2, 0.0)]
    for k in range(count):
        z = count * tread / 2 - k * tread
        outline += [(z, (k + 1) * rise), (z - tread, (k + 1) * rise)]
    outline.append((-count * tread / 2, 0.0))
    return extruded(np.array(outline), across)


def sweep(across: float, depth: float, height: float, radius: float, thickness: float = 0.02) -> Mesh:
    """A floor that bends up into a back wall in a quarter circle, and is as thick everywhere."""
    bend = min(radius, 0.9 * depth, 0.9 * height)
    angle = np.linspace(0.0, np.pi / 2, SWEEP_SECTIONS + 1)
    centre = (-depth / 2 + bend, bend)

    def arc(r: float) -> Vec:
        return np.stack([centre[0] - r * np.sin(angle), centre[1] - r * np.cos(angle)], axis=1)

    front, back = depth / 2, -depth / 2
    inner = np.concatenate([[(front, 0.0)], arc(bend), [(back, height)]])
    outer = np.concatenate([[(front, -thickness)], arc(bend + thickness), [(back - thickness, height)]])
    return extruded(np.concatenate([inner, outer[::-1]]), across)


def open_box(across: float, depth: float, height: float, thickness: float) -> Mesh:
    """A box that is open in front (+z): floor, lid, back and two sides. Its outside has the given measures."""
    a, d = across / 2, depth / 2
    t = thickness
    return joined(
        [
            slab((-a, 0.0, -d), (a, t, d)),
            slab((-a, height - t, -d), (a, height, d)),
            slab((-a, t, -d), (-a + t, height - t, d)),
            slab((a - t, t, -d), (a, height - t, d)),
            slab((-a + t, t, -d), (a - t, height - t, -d + t)),
        ]
    )


def terrain(heights: Vec, across: float, along: float, height: float) -> Mesh:
    """Ground from a height image: (rows, columns) of values, the darkest at y = 0, the brightest at ``height``.

    Rows run along z, the first one at the back. Open below, as ground is.
    """
    rows, columns = heights.shape
    step = max(1, -(-max(rows, columns) // MOST_SAMPLES))
    thinned = heights[::step, ::step].astype(np.float64)
    low, high = float(thinned.min()), float(thinned.max())
    y = (thinned - low) / (high - low) * height if high > low else np.zeros_like(thinned)
    n, m = y.shape
    z, x = np.meshgrid(np.linspace(-along / 2, along / 2, n), np.linspace(-across / 2, across / 2, m), indexing="ij")
    i = (np.arange(n - 1)[:, None] * m + np.arange(m - 1)[None, :]).ravel()
    faces = np.concatenate([np.stack([i, i + m, i + 1], 1), np.stack([i + 1, i + m, i + m + 1], 1)])
    return Mesh(np.stack([x, y, z], -1).reshape(-1, 3), faces.astype(np.int32))
