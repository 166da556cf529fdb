"""A small kit for modelling props: turned, bevelled, swept and lumpy bodies. Metres, +Y up."""

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from brickseat_core.formats.gltf.building import Paint, Surface
from brickseat_core.scene import Triple, Vec

Profile = Sequence[tuple[float, float]]
Faces = NDArray[np.int32]


def oriented(vertices: Vec, faces: Faces) -> tuple[Vec, Faces]:
    """Faces turned so that a closed body has positive volume."""
    corners = vertices[faces]
    volume = np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2]))
    return vertices, np.ascontiguousarray(faces[:, ::-1]) if volume < 0 else faces


def soft(profile: Profile, rounds: int = 2, share: float = 0.22) -> list[tuple[float, float]]:
    """Cut the corners of an open profile (Chaikin); its ends stay."""
    points = [np.array(p, dtype=np.float64) for p in profile]
    for _ in range(rounds):
        cut = [points[0]]
        for a, b in pairwise(points):
            cut += [a + share * (b - a), b - share * (b - a)]
        points = [points[0], *cut[2:-1], points[-1]] if len(points) > 2 else points
    return [(max(0.0, float(p[0])), float(p[1])) for p in points]


def turned(
    paints: Sequence[tuple[Paint, Profile]],
    sections: int = 40,
    wave: Callable[[Vec, Vec], Vec] | None = None,
) -> list[Surface]:
    """A body turned on the wheel. Strips of profile (radius, height) follow one another, one paint each.

    The whole profile runs from the axis along the outside and back to the axis on the inside.
    ``wave(angle, height)`` multiplies the radius.
    """
    strips = []
    angle: Vec = np.arange(sections, dtype=np.float64) * (2 * math.pi / sections)
    total = 0.0
    for paint, profile in paints:
        rings: list[NDArray[np.int64]] = []
        vertices: list[Vec] = []
        count = 0
        for r, y in profile:
            if r < 1e-9:
                vertices.append(np.array([[0.0, y, 0.0]]))
                rings.append(np.full(sections, count))
                count += 1
            else:
                radius = r * (np.asarray(wave(angle, np.full(sections, y))) if wave else np.ones(sections))
                vertices.append(
                    np.stack([radius * np.cos(angle), np.full(sections, y), radius * np.sin(angle)], axis=1)
                )
                rings.append(np.arange(count, count + sections))
                count += sections
        faces = []
        for low, high in pairwise(rings):
            l2, h2 = np.roll(low, -1), np.roll(high, -1)
            if low[0] != low[-1]:
                faces.append(np.stack([low, high, l2], axis=1))
            if high[0] != high[-1]:
                faces.append(np.stack([l2, high, h2], axis=1))
        v = np.concatenate(vertices)
        f = np.concatenate(faces).astype(np.int32)
        corners = v[f]
        total += float(np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])))
        strips.append((paint, v, f))
    return [Surface(p, v, np.ascontiguousarray(f[:, ::-1]) if total < 0 else f) for p, v, f in strips]


def block(paint: Paint, size: Triple, at: Triple = (0, 0, 0), bevel: float = 0.004) -> Surface:
    """A bevelled box standing with the middle of its base at ``at``."""
    x, y, z = size[0] / 2, size[1] / 2, size[2] / 2
    b = min(bevel, 0.3 * min(size))
    vertices: list[Triple] = []
    number: dict[tuple[int, int, int, int], int] = {}
    for sx in (-1, 1):
        for sy in (-1, 1):
            for sz in (-1, 1):
                for axis in range(3):
                    inset = [b, b, b]
                    inset[axis] = 0.0
                    number[(sx, sy, sz, axis)] = len(vertices)
                    vertices.append((sx * (x - inset[0]), sy * (y - inset[1]) + y, sz * (z - inset[2])))
    v = np.array(vertices)
    faces: list[tuple[int, int, int]] = []

    def add(corners: list[int]) -> None:
        centre = v[corners].mean(axis=0) - np.array([0, y, 0])
        a, c = v[corners[1]] - v[corners[0]], v[corners[2]] - v[corners[0]]
        ordered = corners if float(np.cross(a, c) @ centre) > 0 else corners[::-1]
        for k in range(1, len(ordered) - 1):
            faces.append((ordered[0], ordered[k], ordered[k + 1]))

    square = ((-1, -1), (-1, 1), (1, 1), (1, -1))
    for axis in range(3):
        others = [k for k in range(3) if k != axis]
        for side in (-1, 1):
            ring = []
            for p, q in square:
                s = [0, 0, 0]
                s[axis], s[others[0]], s[others[1]] = side, p, q
                ring.append(number[(s[0], s[1], s[2], axis)])
            add(ring)
        for p, q in square:
            ends = []
            for side in (-1, 1):
                s = [0, 0, 0]
                s[axis], s[others[0]], s[others[1]] = side, p, q
                ends.append((s[0], s[1], s[2]))
            add(
                [
                    number[(*ends[0], others[0])],
                    number[(*ends[0], others[1])],
                    number[(*ends[1], others[1])],
                    number[(*ends[1], others[0])],
                ]
            )
    for sx in (-1, 1):
        for sy in (-1, 1):
            for sz in (-1, 1):
                add([number[(sx, sy, sz, axis)] for axis in range(3)])
    return Surface(paint, v + np.array(at), np.array(faces, dtype=np.int32))


def post(paint: Paint, foot: Triple, head: Triple, width: float, depth: float, bevel: float = 0.003) -> Surface:
    """A leg from foot to head, sheared so that both its ends stay level."""
    height = head[1] - foot[1]
    upright = block(paint, (width, height, depth), (0, 0, 0), bevel)
    share = upright.vertices[:, 1:2] / height
    shift = np.array(foot) + share * np.array([head[0] - foot[0], 0.0, head[2] - foot[2]])
    return Surface(paint, upright.vertices + shift, upright.faces)


def bar(paint: Paint, a: Triple, b: Triple, width: float, depth: float, bevel: float = 0.003) -> Surface:
    """A bevelled bar from a to b, square at its ends."""
    start, end = np.array(a), np.array(b)
    along = end - start
    length = float(np.linalg.norm(along))
    made = block(paint, (width, length, depth), (0, 0, 0), bevel)
    y = along / length
    x = np.cross(np.array([0.0, 0.0, 1.0]) if abs(y[2]) < 0.9 else np.array([1.0, 0.0, 0.0]), y)
    x /= np.linalg.norm(x)
    basis = np.stack([x, y, np.cross(x, y)], axis=1)
    return Surface(paint, made.vertices @ basis.T + start, made.faces)


def curve(points: Sequence[Triple], steps: int = 12) -> Vec:
    """A smooth curve through the points (Catmull-Rom)."""
    p = np.array([points[0], *points, points[-1]], dtype=np.float64)
    out = []
    for i in range(1, len(p) - 2):
        for t in np.linspace(0, 1, steps, endpoint=False):
            a, b, c, d = p[i - 1], p[i], p[i + 1], p[i + 2]
            out.append(
                0.5 * (2 * b + (c - a) * t + (2 * a - 5 * b + 4 * c - d) * t**2 + (3 * b - a - 3 * c + d) * t**3)
            )
    out.append(p[-2])
    return np.array(out)


def rope(paint: Paint, path: Vec, radius: float | Sequence[float], sections: int = 10, flat: float = 1.0) -> Surface:
    """A closed round (or flattened) body swept along a path, turning as little as it can."""
    n = len(path)
    radii = np.broadcast_to(np.asarray(radius, dtype=np.float64), (n,))
    tangent = np.gradient(path, axis=0)
    tangent /= np.linalg.norm(tangent, axis=1)[:, None]
    side = np.cross(tangent[0], np.eye(3)[int(np.argmin(np.abs(tangent[0])))])
    angle = np.arange(sections) * (2 * math.pi / sections)
    vertices = []
    for i in range(n):
        side = side - tangent[i] * float(side @ tangent[i])
        side /= np.linalg.norm(side)
        other = np.cross(tangent[i], side)
        vertices.append(path[i] + radii[i] * (np.cos(angle)[:, None] * side + flat * np.sin(angle)[:, None] * other))
    v = np.concatenate([*vertices, path[:1], path[-1:]])
    ring = np.arange(sections)
    after = np.roll(ring, -1)
    faces = []
    for i in range(n - 1):
        a, b = i * sections, (i + 1) * sections
        faces += [np.stack([a + ring, a + after, b + ring], 1), np.stack([a + after, b + after, b + ring], 1)]
    last = (n - 1) * sections
    faces += [
        np.stack([np.full(sections, n * sections), after, ring], 1),
        np.stack([np.full(sections, n * sections + 1), last + ring, last + after], 1),
    ]
    return Surface(paint, *oriented(v, np.concatenate(faces).astype(np.int32)))


def globe(rings: int, sections: int) -> tuple[Vec, Faces]:
    """A unit sphere of rings and sections, closed at its poles."""
    lat = np.linspace(-math.pi / 2, math.pi / 2, rings + 1)
    profile = [(float(math.cos(a)) if 0 < i < rings else 0.0, float(math.sin(a))) for i, a in enumerate(lat)]
    made = turned([(Paint("none", (1, 1, 1)), profile)], sections)[0]
    return made.vertices, made.faces


def ripple(points: Vec, seed: int, waves: int = 7, sharp: float = 2.2) -> Vec:
    """Smooth noise in about -1..1 at (n, 3) points: a sum of sines in random directions."""
    rng = np.random.default_rng(seed)
    total = np.zeros(len(points))
    for k in range(waves):
        direction = rng.normal(size=3) * sharp * (1.0 + 0.45 * k)
        total += np.sin(points @ direction + rng.uniform(0, 6.28)) / (1.0 + 0.5 * k)
    return total / (1.0 + 0.5 * waves) * 1.4


def lump(paint: Paint, size: Triple, seed: int, rough: float, flat_base: float = 0.0, rings: int = 18) -> Surface:
    """A stone or a sack: a rippled globe; ``flat_base`` is the share of its height that is cut level."""
    v, f = globe(rings, 2 * rings)
    v = v * (1.0 + rough * ripple(v, seed))[:, None]
    v = v * np.array(size) / 2
    low = float(v[:, 1].min())
    floor = low + flat_base * size[1]
    v[:, 1] = np.maximum(v[:, 1], floor) - floor
    return Surface(paint, *oriented(v, f))


def moved(surface: Surface, by: Triple = (0, 0, 0), turn: float = 0.0, lean: float = 0.0) -> Surface:
    """Turned about y, after leaning about z (radians), then moved."""
    c, s = math.cos(turn), math.sin(turn)
    cl, sl = math.cos(lean), math.sin(lean)
    about_y = np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]])
    about_z = np.array([[cl, -sl, 0], [sl, cl, 0], [0, 0, 1]])
    return Surface(
        surface.paint, surface.vertices @ (about_y @ about_z).T + np.array(by), surface.faces, surface.colours
    )
