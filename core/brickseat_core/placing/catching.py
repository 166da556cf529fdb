"""Catching: the corner, edge, middle or centre that the pointer is near, on the true meshes."""

from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import Hit, first_hit
from brickseat_core.geometry.flat_regions import circle_of
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Vec, cross

What = Literal["corner", "edge", "middle", "centre", "face"]
BIAS: dict[What, float] = {"corner": -0.35, "centre": -0.25, "middle": -0.15, "edge": 0.25, "face": 0.0}
"""Added to the distance, as a share of the reach: what is wanted oftener wins."""
REACH_PIXELS = 24.0
BEHIND = 0.25
"""Share of the way to the surface met by which something caught may lie behind it."""
MOST_LOOKED_AT = 12
MOST_PIECES = 6
"""Pieces near the pointer whose lines are looked at."""
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


class Candidate(NamedTuple):
    """Points (n, 3) of piece ``on`` that can be caught, and for edges their ends (n, 2, 3)."""

    what: What
    on: str
    points: Vec
    ends: Vec | None


class Best(NamedTuple):
    """The candidate that is caught. ``pixels``: how far it is from the pointer."""

    what: What
    on: str
    point: Vec
    ends: Vec | None
    pixels: float


def catch(index: SceneIndex, origin: Vec, ray: Vec, pixel: float, skip: str = "", only: str = "") -> Caught | None:
    """What is near the pointer: something with a name of its own within reach, or else the face itself.

    ``pixel``: radians between two pixels. ``skip``: a piece that is looked through; ``only``: the one piece that is looked
    at. What is near is caught from outside its outline, too. None where nothing is there.
    """
    ray = ray / np.linalg.norm(ray)
    passed, row = index.row.get(skip, -1), index.row.get(only, -1)
    hit = first_hit(index, origin, ray, passed, row)
    farthest = np.inf if hit is None else hit.distance * (1.0 + BEHIND)
    candidates: list[Candidate] = []
    for number in [row] if row >= 0 else rows_near(index, origin, ray, pixel, farthest, passed):
        piece = index.pieces[index.keys[number] or ""]
        candidates += lines_of(index.mesh_of(piece), piece, origin, ray)
    if hit is not None:
        candidates += centres_at(index, hit)
    best = nearest_seen(index, candidates, origin, ray, pixel, farthest, passed, row)
    if best is not None:
        same = hit is not None and index.keys[hit.row] == best.on
        normal = hit.normal if same and hit is not None else outward(index, index.pieces[best.on], best.point)
        return Caught(best.what, best.on, best.point, normal, best.ends, best.pixels)
    if hit is None:
        return None
    return Caught("face", index.keys[hit.row] or "", hit.point, hit.normal, None, 0.0)


def rows_near(index: SceneIndex, origin: Vec, ray: Vec, pixel: float, farthest: float, skip: int) -> list[int]:
    """The rows of pieces whose box may come within reach of the pointer, the nearest to it first, at most a few."""
    placed, count = index.placed, len(index.keys)
    lo, hi = placed.lo[:count], placed.hi[:count]
    middle, radius = 0.5 * (lo + hi), 0.5 * np.linalg.norm(hi - lo, axis=1)
    arm = middle - origin
    depth = np.clip(arm @ ray, 0.0, min(farthest, 1e9))
    aside = np.linalg.norm(arm - depth[:, None] * ray, axis=1) - radius
    near = (placed.root[:count] >= 0) & (aside <= (depth + radius) * REACH_PIXELS * pixel)
    if 0 <= skip < count:
        near[skip] = False
    rows = np.flatnonzero(near)
    # Small things before large ones: everything lies in the box of the floor.
    order = np.argsort(np.maximum(aside[rows], 0.0) + 0.1 * radius[rows], kind="stable")
    return [int(r) for r in rows[order][:MOST_PIECES]]


def lines_of(mesh: Mesh, piece: Piece, origin: Vec, ray: Vec) -> list[Candidate]:
    """Corners and edges of a piece, each edge by its middle and by its point nearest to the ray."""
    lines = mesh.sharp_lines
    if not len(lines.ends):
        return []
    ends = piece.pose.apply(lines.ends)
    return [
        Candidate("corner", piece.key, piece.pose.apply(lines.corners), None),
        Candidate("middle", piece.key, ends[lines.between].mean(axis=1), ends[lines.between]),
        Candidate("edge", piece.key, nearest_on_lines(ends, origin, ray), ends),
    ]


def centres_at(index: SceneIndex, hit: Hit) -> list[Candidate]:
    """The centres of the face that was met, and of the round holes in it."""
    piece = index.pieces[index.keys[hit.row] or ""]
    mesh = index.mesh_of(piece)
    centres = centres_of(mesh, int(mesh.tree.order[hit.triangle - index.span(mesh).tri0]))
    return [Candidate("centre", piece.key, piece.pose.apply(centres), None)] if len(centres) else []


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
    candidates: list[Candidate],
    origin: Vec,
    ray: Vec,
    pixel: float,
    farthest: float,
    skip: int,
    only: int,
) -> Best | None:
    """The best of the candidates within reach of the pointer that no surface hides."""
    scored: list[tuple[float, Best]] = []
    for what, on, points, ends in candidates:
        arm = points - origin
        depth = arm @ ray
        aside = np.linalg.norm(arm - np.outer(depth, ray), axis=1)
        pixels = np.arctan2(aside, np.maximum(depth, 1e-12)) / pixel
        near = np.flatnonzero((depth > 0.0) & (depth <= farthest) & (pixels <= REACH_PIXELS))
        for i in near[np.argsort(pixels[near], kind="stable")][:MOST_LOOKED_AT]:
            line = ends[i] if ends is not None else None
            best = Best(what, on, points[i], line, float(pixels[i]))
            scored.append((best.pixels / REACH_PIXELS + BIAS[what], best))
    scored.sort(key=lambda found: found[0])
    for _, best in scored[:MOST_LOOKED_AT]:
        sight = best.point - origin
        distance = float(np.linalg.norm(sight))
        met = first_hit(index, origin, sight / distance, skip, only)
        if met is None or met.distance >= distance * (1.0 - SEEN) - 1e-6:
            return best
    return None


def outward(index: SceneIndex, piece: Piece, point: Vec) -> Vec:
    """(3,) unit, from the middle of a piece to a point on it."""
    lo, hi = index.box_of(piece)
    offset = point - 0.5 * (lo + hi)
    length = float(np.linalg.norm(offset))
    return np.asarray(offset / length if length > 0.0 else np.array([0.0, 1.0, 0.0]))


def clock_along(caught: Caught) -> Vec:
    """(3,) 12 o'clock of a seat where something was caught: along the edge there, else up, else across."""
    if caught.ends is not None:
        return np.asarray(caught.ends[1] - caught.ends[0])
    up = np.array([0.0, 1.0, 0.0])
    return up if abs(float(caught.normal @ up)) < 0.9 else np.asarray(cross(caught.normal, np.array([1.0, 0.0, 0.0])))
