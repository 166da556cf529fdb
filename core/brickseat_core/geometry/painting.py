"""The vertex colours of a model, asked for at points of its surface."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.geometry.lazy import lazy
from brickseat_core.geometry.mesh import Vec
from brickseat_core.geometry.nearest import nearest_triangles
from brickseat_core.geometry.tree import Tree, build_tree


@dataclass(frozen=True, eq=False)
class Painting:
    """``corners``: (m, 3, 3) of triangles, m >= 1. ``colours``: (m, 3, 3) red, green and blue at each of them, linear, 0 to 1."""

    corners: Vec
    colours: Vec

    @lazy
    def _tree(self) -> Tree:
        return build_tree(self.corners)

    def at(self, points: Vec) -> Vec:
        """(n, 3) the colour at the points (n, 3) of the surface: between the corners of the nearest triangle, as it is drawn."""
        which = nearest_triangles(self._tree, points)
        a, b, c = np.moveaxis(self.corners[which], 1, 0)
        cross = np.cross(b - a, c - a)
        twice = np.maximum(np.einsum("ij,ij->i", cross, cross), 1e-300)
        v = np.einsum("ij,ij->i", np.cross(points - a, c - a), cross) / twice
        w = np.einsum("ij,ij->i", np.cross(b - a, points - a), cross) / twice
        shares = np.clip(np.stack([1.0 - v - w, v, w], axis=1), 0.0, 1.0)
        shares /= shares.sum(axis=1, keepdims=True)
        return np.asarray(np.einsum("ij,ijk->ik", shares, self.colours[which]))
