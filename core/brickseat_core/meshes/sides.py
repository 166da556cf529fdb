"""Resting sides: the ways a thing can stand on a flat floor, ranked by how hard it is to tip over."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from brickseat_core.meshes.mesh import Mesh, Vec

SAME_PLANE = 1e-5
LEAST_STEADINESS_DEG = 0.5


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
    size = float((mesh.box[1] - mesh.box[0]).max())
    groups: list[list[int]] = []
    leads: list[Vec] = []
    for i, plane in enumerate(hull.equations):
        for group, lead in zip(groups, leads, strict=True):
            if float(np.abs(plane[:3] - lead[:3]).max()) < 1e-4 and abs(plane[3] - lead[3]) < SAME_PLANE * size:
                group.append(i)
                break
        else:
            groups.append([i])
            leads.append(plane)
    found = []
    for group, plane in zip(groups, leads, strict=True):
        normal = plane[:3]
        height = -float(normal @ centre + plane[3])
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
