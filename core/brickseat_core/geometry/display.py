"""Light display copies: a heavy mesh with fewer triangles, for drawing only; contact is always computed on the true one."""

from threading import Lock

import fast_simplification
import numpy as np

from brickseat_core.geometry.mesh import Mesh, Vec, number_rows
from brickseat_core.geometry.nearest import distances

_one_at_a_time = Lock()
"""The library works in variables of its own that all threads share: two at once mix up their meshes."""


def display_copy(mesh: Mesh, most: int) -> tuple[Mesh, float]:
    """A copy of at most about ``most`` triangles, and how far in metres its corners are off the true surface.

    Quadric error decimation (Garland and Heckbert, 1997). The mesh itself when it is light enough.
    """
    if len(mesh.faces) <= most:
        return mesh, 0.0
    lo = mesh.box[0]
    # Single precision inside: about the corner of its box nothing is lost far from the origin.
    number = number_rows(np.ascontiguousarray(mesh.vertices + 0.0).view(np.int64))
    _, first = np.unique(number, return_index=True)
    points_given, faces_given = (mesh.vertices[first] - lo).astype(np.float32), number[mesh.faces].astype(np.int32)
    with _one_at_a_time:
        vertices, faces = fast_simplification.simplify(points_given, faces_given, target_count=most)
    if not len(faces):
        return mesh, 0.0
    points: Vec = np.asarray(vertices, dtype=np.float64) + lo
    light = Mesh(points, np.asarray(faces, dtype=np.int32))
    return light, float(distances(mesh.tree, points[np.unique(light.faces)]).max())
