"""Resting sides: the ways a thing can stand on a flat floor, ranked by how hard it is to tip over."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components
from scipy.spatial import ConvexHull, QhullError

from brickseat_core.geometry.mesh import Mesh, Vec

SAME_DIRECTION, SAME_PLANE = 1e-4, 1e-5
LEAST_STEADINESS_DEG = 0.5
MOST_LOOKED_AT = 64
"""Facets that are looked at closely: those that may be the steadiest. A ball of many triangles stands over each of them."""


@dataclass(frozen=True)
class RestingSide:
    """``down``: (3,) unit direction in the prop's frame that points at the floor. ``height``: metres of the
    centre of mass above it. ``steadiness_deg``: the least tilt that tips it over this side's edge.
    ``area``: m² of the support."""

    down: tuple[float, float, float]
    height: float
    steadiness_deg: float
    area: float


def resting_sides(mesh: Mesh) -> tuple[RestingSide, ...]:
    """Facets of the convex hull over which the centre of mass stands, steadiest first.

    Empty for flat meshes, which have no hull. Stability after Goldberg et al., "Part pose statistics", 1999:
    the least angle about an edge of the facet.
    """
    try:
        hull = ConvexHull(mesh.vertices[np.unique(mesh.faces)])
    except QhullError:
        return ()
    centre = mesh.mass[1]
    planes = hull.equations
    facet = facets(hull, float((mesh.box[1] - mesh.box[0]).max()))
    # The weight stands over a facet only where its foot lies in the facet's box: few of them are looked at closely.
    corners = hull.points[hull.simplices]
    lo = np.full((facet.max() + 1, 3), np.inf)
    hi = -lo
    np.minimum.at(lo, facet, corners.min(axis=1))
    np.maximum.at(hi, facet, corners.max(axis=1))
    heights = -(planes[:, :3] @ centre + planes[:, 3])
    foot = centre + heights[:, None] * planes[:, :3]
    near = ((foot >= lo[facet] - SAME_PLANE) & (foot <= hi[facet] + SAME_PLANE)).all(axis=1)
    order = np.argsort(facet, kind="stable")
    first = np.searchsorted(facet[order], np.arange(facet.max() + 2))
    reach = np.full(len(lo), -np.inf)
    np.maximum.at(reach, facet, reach_of(corners, foot, np.diff(first)[facet] == 1))
    most = np.degrees(np.arctan2(reach, heights[order[first[:-1]]]))
    chosen = np.unique(facet[near])
    chosen = chosen[most[chosen] >= LEAST_STEADINESS_DEG]
    chosen = np.sort(chosen[np.argsort(-most[chosen], kind="stable")][:MOST_LOOKED_AT])
    found = []
    for number in chosen.tolist():
        group = order[first[number] : first[number + 1]]
        normal = planes[group[0], :3]
        height = float(heights[group[0]])
        corners = hull.points[np.unique(hull.simplices[group])]
        u = np.cross(normal, np.eye(3)[int(np.argmin(np.abs(normal)))])
        u /= np.linalg.norm(u)
        v = np.cross(normal, u)
        flat = np.stack([corners @ u, corners @ v], axis=1)
        outline = flat[ConvexHull(flat).vertices]
        at = np.array([centre @ u, centre @ v])
        edge = np.roll(outline, -1, axis=0) - outline
        length = np.linalg.norm(edge, axis=1)
        inside = (edge[:, 0] * (at - outline)[:, 1] - edge[:, 1] * (at - outline)[:, 0]) / length
        steadiness = float(np.degrees(np.arctan2(inside.min(), height)))
        if steadiness < LEAST_STEADINESS_DEG:
            continue
        x, y = outline[:, 0], outline[:, 1]
        area = 0.5 * abs(float(x @ np.roll(y, -1) - y @ np.roll(x, -1)))
        down = (float(normal[0]), float(normal[1]), float(normal[2]))
        found.append(RestingSide(down, height, steadiness, area))
    return tuple(sorted(found, key=lambda s: -s.steadiness_deg))


def reach_of(corners: Vec, foot: Vec, alone: NDArray[np.bool_]) -> Vec:
    """(m,) metres from the foot of the weight that an edge of a triangle's facet may be away at most.

    ``corners``: (m, 3, 3), ``foot``: (m, 3). ``alone``: (m,) which triangles are facets of their own: of those it is exact, negative where
    the foot lies outside.
    """
    reach = np.linalg.norm(corners - foot[:, None], axis=2).max(axis=1)
    a, b, c = corners[alone], np.roll(corners[alone], -1, axis=1), np.roll(corners[alone], -2, axis=1)
    along = b - a
    along /= np.maximum(np.linalg.norm(along, axis=2, keepdims=True), 1e-300)
    inward = (c - a) - ((c - a) * along).sum(axis=2, keepdims=True) * along
    inward /= np.maximum(np.linalg.norm(inward, axis=2, keepdims=True), 1e-300)
    reach[alone] = ((foot[alone][:, None] - a) * inward).sum(axis=2).min(axis=1)
    return np.asarray(reach)


def facets(hull: ConvexHull, size: float) -> NDArray[np.int32]:
    """(m,) the number of the plane facet that each triangle of a hull belongs to: neighbours in one plane are one."""
    planes, neighbours = hull.equations, hull.neighbors
    own = np.repeat(np.arange(len(planes)), neighbours.shape[1])
    other = neighbours.ravel()
    same = (np.abs(planes[own, :3] - planes[other, :3]).max(axis=1) < SAME_DIRECTION) & (
        np.abs(planes[own, 3] - planes[other, 3]) < SAME_PLANE * size
    )
    links = coo_matrix((np.ones(int(same.sum())), (own[same], other[same])), shape=(len(planes), len(planes)))
    return np.asarray(connected_components(links, directed=False)[1], dtype=np.int32)
