"""Catching: the corner, edge, middle or centre that the pointer is near, on the true mesh that it points at."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import Hit, first_hit
from brickseat_core.meshes.flat_regions import circle_of
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Vec, cross

What = Literal["corner", "edge", "middle", "centre", "face"]
BIAS: dict[What, float] = {"corner": -0.35, "centre": -0.25, "middle": -0.15, "edge": 0.25, "face": 0.0}
"""Added to the distance, as a share of the reach: what is wanted oftener wins."""
REACH_PIXELS = 24.0
BEHIND = 0.25
"""Share of the way to the surface met by which something caught may lie behind it."""
MOST_LOOKED_AT = 12
SEEN = 1e-4
"""Share of the way to it by which something may lie behind a surface and still be seen."""


@dataclass(frozen=True)
class Caught:
    """``point`` (3,) in the world of what was caught on piece ``on``. ``normal``: of the face there, away from it.
    ``ends`` (2, 3): of the edge that it lies on, or None. ``pixels``: how far it is from the pointer."""

    what: What
    on: str
    point: Vec
    normal: Vec
    ends: Vec | None
    pixels: float


def catch(index: SceneIndex, origin: Vec, ray: Vec, pixel: float, skip: str = "", only: str = "") -> Caught | None:
    """What is near the pointer: something with a name of its own within reach, or else the face itself.

    ``pixel``: radians between two pixels. ``skip``: a piece that is looked through; ``only``: the one piece that is looked
    at, from outside its outline too. None where nothing is there.
    """
    ray = ray / np.linalg.norm(ray)
    row = index.row.get(only, -1)
    hit = first_hit(index, origin, ray, index.row.get(skip, -1), row)
    if hit is None:
        return near_outline(index, origin, ray, pixel, only) if only in index.pieces else None
    piece = index.pieces[index.keys[hit.row] or ""]
    candidates = candidates_on(index.mesh_of(piece), piece, hit, origin, ray, index)
    best = nearest_seen(
        index, candidates, origin, ray, pixel, hit.distance * (1.0 + BEHIND), index.row.get(skip, -1), row
    )
    if best is not None:
        what, point, ends, pixels = best
        return Caught(what, piece.key, point, hit.normal, ends, pixels)
    return Caught("face", piece.key, hit.point, hit.normal, None, 0.0)


Candidates = list[tuple[What, Vec, Vec | None]]
"""What it is, points (n, 3), and for edges their ends (n, 2, 3)."""


def candidates_on(mesh: Mesh, piece: Piece, hit: Hit, origin: Vec, ray: Vec, index: SceneIndex) -> Candidates:
    """All that can be caught on a piece that was met: its corners, edges, their middles, and centres of the face met."""
    found = lines_of(mesh, piece, origin, ray)
    triangle = int(mesh.tree.order[hit.triangle - index.span(mesh).tri0])
    centres = centres_of(mesh, triangle)
    if len(centres):
        found.append(("centre", piece.pose.apply(centres), None))
    return found


def lines_of(mesh: Mesh, piece: Piece, origin: Vec, ray: Vec) -> Candidates:
    """Corners and edges of a piece, each edge by its middle and by its point nearest to the ray."""
    lines = mesh.sharp_lines
    if not len(lines.ends):
        return []
    ends = piece.pose.apply(lines.ends)
    return [
        ("corner", piece.pose.apply(lines.corners), None),
        ("middle", ends.mean(axis=1), ends),
        ("edge", nearest_on_lines(ends, origin, ray), ends),
    ]


def centres_of(mesh: Mesh, triangle: int) -> Vec:
    """(k, 3) centre of the flat region that a triangle belongs to, and of the round holes in it."""
    region = next((r for r in mesh.flat_regions if triangle in r.faces), None)
    if region is None:
        return np.zeros((0, 3))
    circles = [c.centre for loop in region.loops if (c := circle_of(loop, region.normal)) is not None]
    return np.array([region.centre, *circles])


def nearest_on_lines(ends: Vec, origin: Vec, ray: Vec) -> Vec:
    """(n, 3) the point of each line (n, 2, 3) that is nearest to a ray."""
    along = ends[:, 1] - ends[:, 0]
    arm = ends[:, 0] - origin
    # Both square to the ray: there the nearest point of a line to the origin is looked for.
    flat, start = along - np.outer(along @ ray, ray), arm - np.outer(arm @ ray, ray)
    share = -np.einsum("ij,ij->i", flat, start) / np.maximum(np.einsum("ij,ij->i", flat, flat), 1e-300)
    return np.asarray(ends[:, 0] + np.clip(share, 0.0, 1.0)[:, None] * along)


def nearest_seen(
    index: SceneIndex,
    candidates: Candidates,
    origin: Vec,
    ray: Vec,
    pixel: float,
    farthest: float,
    skip: int,
    only: int,
) -> tuple[What, Vec, Vec | None, float] | None:
    """The best of the candidates within reach of the pointer that no surface hides."""
    scored: list[tuple[float, What, Vec, Vec | None, float]] = []
    for what, points, ends in candidates:
        arm = points - origin
        depth = arm @ ray
        aside = np.linalg.norm(arm - np.outer(depth, ray), axis=1)
        pixels = np.arctan2(aside, np.maximum(depth, 1e-12)) / pixel
        near = np.flatnonzero((depth > 0.0) & (depth <= farthest) & (pixels <= REACH_PIXELS))
        order = near[np.argsort(pixels[near], kind="stable")][:MOST_LOOKED_AT]
        for i in order:
            score = float(pixels[i]) / REACH_PIXELS + BIAS[what]
            scored.append((score, what, points[i], ends[i] if ends is not None else None, float(pixels[i])))
    scored.sort(key=lambda found: found[0])
    for _, what, point, line, pixels_off in scored[:MOST_LOOKED_AT]:
        way = point - origin
        distance = float(np.linalg.norm(way))
        met = first_hit(index, origin, way / distance, skip, only)
        if met is None or met.distance >= distance * (1.0 - SEEN) - 1e-6:
            return what, point, line, pixels_off
    return None


def near_outline(index: SceneIndex, origin: Vec, ray: Vec, pixel: float, key: str) -> Caught | None:
    """What of one piece the pointer is near although it points past it."""
    piece = index.pieces[key]
    candidates = lines_of(index.mesh_of(piece), piece, origin, ray)
    best = nearest_seen(index, candidates, origin, ray, pixel, np.inf, -1, index.row[key])
    if best is None:
        return None
    what, point, ends, pixels = best
    lo, hi = index.box_of(piece)
    outward = point - 0.5 * (lo + hi)
    length = float(np.linalg.norm(outward))
    return Caught(what, key, point, outward / length if length > 0.0 else -ray, ends, pixels)


def clock_along(caught: Caught) -> Vec:
    """(3,) 12 o'clock of a seat where something was caught: along the edge there, else up, else across."""
    if caught.ends is not None:
        return np.asarray(caught.ends[1] - caught.ends[0])
    up = np.array([0.0, 1.0, 0.0])
    return up if abs(float(caught.normal @ up)) < 0.9 else np.asarray(cross(caught.normal, np.array([1.0, 0.0, 0.0])))
