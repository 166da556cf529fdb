"""Does it stand? The support polygon of the contacts, and the centre of mass over it."""

import math

import numpy as np

from brickseat_core.kernels import inner_kernel, kernel
from brickseat_core.scene import Vec

SAME_POINT = 1e-12


def support_polygon(points: Vec) -> Vec:
    """Corners (k, 2) of the convex hull of ``points`` (n, 2), anticlockwise (Andrew's monotone chain, 1979)."""
    return np.asarray(support_kernel(np.ascontiguousarray(points)))


def offset_to_balance(polygon: Vec, centre: Vec) -> Vec:
    """(2,) shortest move of ``centre`` that brings it onto the edge of a convex polygon (k, 2), k >= 1."""
    x, y, _ = nearest_edge_kernel(polygon, np.ascontiguousarray(centre))
    return np.array([x, y])


def balance_margin(polygon: Vec, centre: Vec) -> float:
    """Distance in metres of ``centre`` (2,) inside (+) or outside (-) a convex polygon (k, 2), k >= 1."""
    x, y, inside = nearest_edge_kernel(polygon, np.ascontiguousarray(centre))
    return math.hypot(x, y) * (1.0 if inside else -1.0)


@inner_kernel
def nearest_edge_kernel(polygon, centre):
    """The way from ``centre`` to the nearest point of the edge, and whether it lies inside."""
    k = polygon.shape[0]
    best = np.inf
    x, y = 0.0, 0.0
    inside = k > 2
    for i in range(k):
        j = (i + 1) % k
        eu, ev = polygon[j, 0] - polygon[i, 0], polygon[j, 1] - polygon[i, 1]
        du, dv = centre[0] - polygon[i, 0], centre[1] - polygon[i, 1]
        square = eu * eu + ev * ev
        along = min(max((du * eu + dv * ev) / square, 0.0), 1.0) if square > 0.0 else 0.0
        toward_u, toward_v = along * eu - du, along * ev - dv
        distance = np.hypot(toward_u, toward_v)
        if distance < best:
            best, x, y = distance, toward_u, toward_v
        if eu * dv - ev * du < 0.0:
            inside = False
    return x, y, inside


@inner_kernel
def turn(points, a, b, c):
    """Twice the area of the triangle of three of ``points`` (n, 2); positive when they turn left."""
    return (points[b, 0] - points[a, 0]) * (points[c, 1] - points[a, 1]) - (points[b, 1] - points[a, 1]) * (
        points[c, 0] - points[a, 0]
    )


@kernel
def support_kernel(points):
    """Hull of points (n, 2) in any order: sorted first (Shell, 1959, with the gaps of Ciura, 2001)."""
    ordered = points.copy()
    for gap in (701, 301, 132, 57, 23, 10, 4, 1):
        for i in range(gap, ordered.shape[0]):
            x, y = ordered[i, 0], ordered[i, 1]
            j = i
            while j >= gap:
                if ordered[j - gap, 0] < x or (ordered[j - gap, 0] == x and ordered[j - gap, 1] <= y):
                    break
                ordered[j, 0], ordered[j, 1] = ordered[j - gap, 0], ordered[j - gap, 1]
                j -= gap
            ordered[j, 0], ordered[j, 1] = x, y
    return hull_kernel(ordered)


@kernel
def hull_kernel(ordered):
    """Hull of points sorted by their first coordinate, then the second; repeated points count once."""
    points = np.empty_like(ordered)
    n = 0
    for i in range(ordered.shape[0]):
        if (
            n == 0
            or abs(ordered[i, 0] - points[n - 1, 0]) > SAME_POINT
            or abs(ordered[i, 1] - points[n - 1, 1]) > SAME_POINT
        ):
            points[n] = ordered[i]
            n += 1
    if n < 3:
        return points[:n].copy()
    chain = np.empty(2 * n, np.int64)
    k = 0
    for i in range(n):
        while k >= 2 and turn(points, chain[k - 2], chain[k - 1], i) <= 0.0:
            k -= 1
        chain[k] = i
        k += 1
    lower = k + 1
    for i in range(n - 2, -1, -1):
        while k >= lower and turn(points, chain[k - 2], chain[k - 1], i) <= 0.0:
            k -= 1
        chain[k] = i
        k += 1
    return points[chain[: k - 1]]
