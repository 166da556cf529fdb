"""Does it stand? The support polygon of the contacts, and the centre of mass over it."""

import numpy as np

from brickseat_core.kernels import kernel
from brickseat_core.scene import Vec

SAME_POINT = 1e-12


def support_polygon(points: Vec) -> Vec:
    """Corners (k, 2) of the convex hull of ``points`` (n, 2), anticlockwise (Andrew's monotone chain, 1979)."""
    ordered = points[np.lexsort((points[:, 1], points[:, 0]))]
    apart = np.abs(np.diff(ordered, axis=0)).max(axis=1, initial=0.0) > SAME_POINT
    ordered = ordered[np.concatenate([[True], apart])]
    if len(ordered) < 2:
        return np.asarray(ordered)
    chosen = hull_kernel(np.ascontiguousarray(ordered))
    return np.asarray(ordered[chosen])


def way_to_balance(polygon: Vec, centre: Vec) -> Vec:
    """(2,) shortest move of ``centre`` that brings it onto the edge of a convex polygon (k, 2), k >= 1."""
    after = np.roll(polygon, -1, axis=0)
    edge = after - polygon
    square = np.maximum(np.einsum("ij,ij->i", edge, edge), 1e-30)
    along = np.clip(np.einsum("ij,ij->i", centre - polygon, edge) / square, 0.0, 1.0)
    onto = polygon + along[:, None] * edge - centre
    return np.asarray(onto[int(np.argmin(np.linalg.norm(onto, axis=1)))])


def balance_margin(polygon: Vec, centre: Vec) -> float:
    """Distance in metres of ``centre`` (2,) inside (+) or outside (-) a convex polygon (k, 2), k >= 1."""
    if len(polygon) == 1:
        return -float(np.linalg.norm(centre - polygon[0]))
    after = np.roll(polygon, -1, axis=0)
    edge = after - polygon
    along = np.clip(np.einsum("ij,ij->i", centre - polygon, edge) / np.einsum("ij,ij->i", edge, edge), 0.0, 1.0)
    nearest = float(np.linalg.norm(polygon + along[:, None] * edge - centre, axis=1).min())
    if len(polygon) == 2:
        return -nearest
    side = edge[:, 0] * (centre - polygon)[:, 1] - edge[:, 1] * (centre - polygon)[:, 0]
    return nearest if bool((side >= 0.0).all()) else -nearest


@kernel
def turn(points, a, b, c):  # type: ignore[no-untyped-def]
    return (points[b, 0] - points[a, 0]) * (points[c, 1] - points[a, 1]) - (points[b, 1] - points[a, 1]) * (
        points[c, 0] - points[a, 0]
    )


@kernel
def hull_kernel(points):  # type: ignore[no-untyped-def]
    n = points.shape[0]
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
    return chain[: k - 1].copy()
