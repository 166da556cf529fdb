"""Polygons cut into triangles, convex or not."""

import manifold3d
import numpy as np
from numpy.typing import NDArray

Vec = NDArray[np.float64]
Ints = NDArray[np.int64]
CONVEX = 1e-9
"""How far a corner may turn the other way, as a share of the polygon's area, and the polygon still be convex."""


def triangulated(outline: Vec) -> Ints:
    """(m, 3) indices of the triangles of a polygon in the plane, ``outline`` (n, 2), anticlockwise or clockwise.

    Triangles turn as the polygon does. By manifold3d, which also makes the best of an outline that cuts itself.
    """
    n = len(outline)
    if n == 3:
        return np.array([[0, 1, 2]])
    x, y = outline[:, 0], outline[:, 1]
    turns = float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)
    order = np.arange(n) if turns >= 0.0 else np.arange(n)[::-1]
    found = np.asarray(manifold3d.triangulate([np.ascontiguousarray(outline[order])]), dtype=np.int64).reshape(-1, 3)
    triangles = order[found]
    return triangles if turns >= 0.0 else triangles[:, ::-1]


def fans(counts: Ints) -> Ints:
    """(m, 3) corners of the triangles of convex polygons, numbered through all of them; ``counts``: (p,) corners each."""
    start = np.cumsum(counts) - counts
    times = np.maximum(counts - 2, 0)
    first = np.repeat(start, times)
    step = np.arange(len(first)) - np.repeat(np.cumsum(times) - times, times) + 1
    return np.stack([first, first + step, first + step + 1], axis=1)


def concave(points: Vec, counts: Ints) -> NDArray[np.bool_]:
    """(p,) which polygons are not convex, seen square to their mean normal (Newell's, 1972).

    ``points``: (sum of counts, 3) their corners one after the other.
    """
    start = np.cumsum(counts) - counts
    whose = np.repeat(np.arange(len(counts)), counts)
    place = np.arange(len(points)) - np.repeat(start, counts)
    following = np.repeat(start, counts) + (place + 1) % np.repeat(np.maximum(counts, 1), counts)
    before = np.repeat(start, counts) + (place - 1) % np.repeat(np.maximum(counts, 1), counts)
    normal = newell(points, points[following], whose, len(counts))
    turn = np.cross(points - points[before], points[following] - points)
    area = np.linalg.norm(normal, axis=1)
    wrong = np.einsum("ij,ij->i", turn, normal[whose]) < -CONVEX * area[whose] ** 2
    found = np.zeros(len(counts), np.bool_)
    found[whose[wrong]] = True
    return found & (counts > 3)


def newell(points: Vec, following: Vec, whose: Ints, count: int) -> Vec:
    """(count, 3) twice the area vector of each polygon; ``whose``: (n,) the polygon of each corner."""
    middle = np.zeros((count, 3))
    np.add.at(middle, whose, points)
    middle /= np.maximum(np.bincount(whose, minlength=count), 1)[:, None]
    normal = np.zeros((count, 3))
    np.add.at(normal, whose, np.cross(points - middle[whose], following - middle[whose]))
    return normal


def triangles_of(points: Vec, counts: Ints) -> Ints:
    """(m, 3) corners of the triangles of polygons in space, numbered through all of them, polygon after polygon.

    ``points``: (sum of counts, 3) their corners. Convex ones become fans; the others are cut in their mean plane.
    """
    bent = concave(points, counts)
    if not bent.any():
        return fans(counts)
    start = np.cumsum(counts) - counts
    found = []
    for number, (first, count) in enumerate(zip(start.tolist(), counts.tolist(), strict=True)):
        if not bent[number]:
            found.append(fans(np.array([count])) + first)
            continue
        own = points[first : first + count]
        normal = newell(own, np.roll(own, -1, axis=0), np.zeros(count, np.int64), 1)[0]
        u = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
        u /= np.linalg.norm(u)
        v = np.cross(normal / np.linalg.norm(normal), u)
        found.append(triangulated((own - own.mean(axis=0)) @ np.stack([u, v], axis=1)) + first)
    return np.concatenate(found)
