"""A prop's true surface: triangles, their tree, and what is measured of them."""

import hashlib
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.edges import Edges, edges_of, grouped, sharp_directions
from brickseat_core.geometry.flat_regions import FlatRegion, flat_regions
from brickseat_core.geometry.lazy import lazy
from brickseat_core.geometry.rays import points_inside_kernel
from brickseat_core.geometry.sharp_lines import Bends, SharpLines, bends, sharp_lines
from brickseat_core.geometry.tree import Tree, build_tree
from brickseat_core.kernels import kernel
from brickseat_core.tolerances import LEAST_SHRINK

Vec = NDArray[np.float64]
MAX_PROBES = 16
SPREAD_CORNERS = 64
PROBE_AXIS = np.array([0.83, 0.71, 0.47])
ROW_HASH = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], dtype=np.uint64)
"""Odd multipliers that spread small integers over 64 bits."""
LEAST_FLAT = 1e-4
"""Share of the surface from which a flat region is looked at."""
INNER_SHARE = 1e-5
"""Share of the mesh's size by which points of its material lie beneath its surface."""
WELD_SHARE = 1e-7
"""Corners nearer than this share of the mesh's size are one vertex when topology is judged."""


class MeshError(ValueError):
    """A triangle mesh that cannot be used; says what, and where."""


@dataclass(frozen=True)
class Health:
    """What is unusual about a mesh. Reported, never silently repaired."""

    triangles: int
    degenerate: int
    duplicate: int
    open_edges: int
    shells: int
    inward: bool

    @property
    def closed(self) -> bool:
        """Whether every edge is shared by two triangles."""
        return self.open_edges == 0


@dataclass(frozen=True, eq=False)
class Mesh:
    """An immutable triangle mesh.

    ``vertices``: (n, 3) float64, metres in the prop's own frame. ``faces``: (m, 3) int32.
    Raises MeshError on no triangles, indices out of range or coordinates that are not finite.
    """

    vertices: Vec
    faces: NDArray[np.int32]

    def __post_init__(self) -> None:
        if self.faces.size == 0 or self.vertices.size == 0:
            raise MeshError("it has no triangles")
        if self.vertices.shape[1:] != (3,) or self.faces.shape[1:] != (3,):
            raise MeshError("its vertices or triangles do not come in threes")
        low, high = int(self.faces.min()), int(self.faces.max())
        if low < 0 or high >= len(self.vertices):
            raise MeshError(
                f"index {high if low >= 0 else low} is out of range (there are {len(self.vertices)} vertices)"
            )
        if not np.isfinite(self.vertices).all():
            row = int(np.flatnonzero(~np.isfinite(self.vertices).all(axis=1))[0])
            raise MeshError(f"vertex {row} is not a finite number")

    @lazy
    def digest(self) -> str:
        """Hexadecimal digest of the content: equal for meshes of the same vertices and faces in the same order."""
        digest = hashlib.blake2b(f"{self.vertices.shape} {self.faces.shape}".encode(), digest_size=16)
        digest.update(np.ascontiguousarray(self.vertices).data)
        digest.update(np.ascontiguousarray(self.faces).data)
        return digest.hexdigest()

    @lazy
    def tree(self) -> Tree:
        """The hierarchy that finds its triangles."""
        return build_tree(self.vertices[self.faces])

    @lazy
    def box(self) -> tuple[Vec, Vec]:
        """Axis-aligned box of the triangles: (lo, hi)."""
        corners = self.used_vertices
        return corners.min(axis=0), corners.max(axis=0)

    @lazy
    def used_vertices(self) -> Vec:
        """(k, 3) the vertices that triangles use."""
        return self.vertices[self._used]

    @lazy
    def _used(self) -> NDArray[np.bool_]:
        used = np.zeros(len(self.vertices), np.bool_)
        used[self.faces] = True
        return used

    @lazy
    def area(self) -> float:
        """Surface in m²."""
        a, b, c = (self.vertices[self.faces[:, k]] for k in range(3))
        return float(0.5 * np.linalg.norm(crossed(b - a, c - a), axis=1).sum())

    @lazy
    def mass(self) -> tuple[float, Vec]:
        """Signed volume (m³, negative when turned inside out) and centre of mass (3,).

        Closed meshes: signed tetrahedra about the box centre (Mirtich, 1996, reduced to first order).
        Open meshes are taken as thin shells: the centre is that of the area.
        """
        centre = 0.5 * (self.box[0] + self.box[1])
        corners = self.vertices[self.faces] - centre
        signed = np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])) / 6.0
        volume = float(signed.sum())
        size = float(np.prod(np.maximum(self.box[1] - self.box[0], 1e-12)))
        if self.health.closed and abs(volume) > 1e-9 * size:
            first = (signed[:, None] * corners.sum(axis=1) / 4.0).sum(axis=0)
            return volume, centre + first / volume
        area = np.linalg.norm(crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
        total = float(area.sum())
        if total <= 0.0:
            return 0.0, centre
        return 0.0, centre + (area[:, None] * corners.mean(axis=1)).sum(axis=0) / total

    @lazy
    def inertia(self) -> Vec:
        """(3, 3) inertia about the centre of mass per kg: times the mass gives kg·m².

        Closed meshes: second moments of signed tetrahedra (Blow and Binstock, "How to find the inertia tensor of a
        solid body represented by a triangle mesh", 2004). Open meshes: those of the area, as a thin shell.
        """
        volume, centre = self.mass
        corners = self.vertices[self.faces] - centre
        total = corners.sum(axis=1)
        moments = np.einsum("ij,ik->ijk", total, total) + np.einsum("icj,ick->ijk", corners, corners)
        if volume != 0.0:
            share = np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])) / (120.0 * volume)
        else:
            area = np.linalg.norm(crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
            share = area / (12.0 * max(float(area.sum()), 1e-300))
        second = np.einsum("i,ijk->jk", share, moments)
        return np.asarray(np.trace(second) * np.eye(3) - second)

    @lazy
    def welded(self) -> NDArray[np.int64]:
        """(m, 3) corners of each triangle, numbered anew so that those at one place have one number."""
        lo, hi = self.box
        step = max(float((hi - lo).max()), 1e-9) * WELD_SHARE
        keys = np.round((self.vertices - lo) / step).astype(np.int64)
        return number_rows(keys)[self.faces]

    @lazy
    def corner_normals(self) -> Vec:
        """(m, 3, 3) smooth unit normal at each corner: the faces round it, weighted by area."""
        welded = self.welded
        corners = self.vertices[self.faces]
        cross = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        flat = welded.ravel()
        total = np.stack([np.bincount(flat, weights=np.repeat(cross[:, k], 3)) for k in range(3)], axis=1)
        unit = total / np.maximum(np.linalg.norm(total, axis=1), 1e-30)[:, None]
        return np.asarray(unit[welded])

    @lazy
    def shell_of(self) -> NDArray[np.int32]:
        """(m,) which connected shell each triangle belongs to, numbered from 0."""
        welded = self.welded
        return np.asarray(shells_kernel(welded, int(welded.max()) + 1))

    @lazy
    def probes(self) -> Vec:
        """(2k, 3) two far points on each of the ``MAX_PROBES`` largest shells, one after the other.

        A shell that cuts nothing is wholly inside or wholly outside; two points, so that one that lies in a
        contact cannot mislead.
        """
        sizes = np.bincount(self.shell_of)
        # Irregular weights, so that a probe does not stand right above an edge of a regular grid.
        centres = np.einsum("k,ikj->ij", np.array([0.31, 0.27, 0.42]), self.vertices[self.faces])
        spread = centres @ PROBE_AXIS
        chosen = []
        for shell in np.argsort(-sizes, kind="stable")[:MAX_PROBES]:
            mine = np.flatnonzero(self.shell_of == shell)
            chosen += [mine[np.argmin(spread[mine])], mine[np.argmax(spread[mine])]]
        return np.asarray(centres[chosen])

    @lazy
    def far_corners(self) -> Vec:
        """(k, 3) corners that stand for the whole: those that reach farthest, then others spread over it."""
        return self.vertices[self.faces.ravel()[self._far]]

    @lazy
    def _far(self) -> NDArray[np.int64]:
        """(k,) numbers of the ``far_corners`` among the corners of all triangles.

        The farthest along the 26 directions of a cube's faces, edges and corners, and ``SPREAD_CORNERS`` taken
        evenly in the order of the tree, which is that of space.
        """
        directions = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z])
        farthest = np.flatnonzero(self._used)[np.unique(np.argmax(self.used_vertices @ directions.T, axis=0))]
        corner_of = np.empty(len(self.vertices), np.int64)
        corner_of[self.faces.ravel()] = np.arange(self.faces.size)
        spread = 3 * self.tree.order[:: max(1, len(self.faces) // SPREAD_CORNERS)].astype(np.int64)
        return np.concatenate([corner_of[farthest], spread])

    @lazy
    def inner_points(self) -> Vec:
        """(k, 3) points of its material, just beneath the ``far_corners``; of what is open these corners themselves."""
        if not self.health.closed:
            return self.far_corners
        shared = self.welded.ravel()[self._far]
        around = np.isin(self.welded, shared).any(axis=1)
        corners = self.vertices[self.faces[around]]
        cross = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        numbers, place = np.unique(self.welded[around], return_inverse=True)
        total = np.stack([np.bincount(place.ravel(), weights=np.repeat(cross[:, k], 3)) for k in range(3)], axis=1)
        outward = total[np.searchsorted(numbers, shared)] * (-1.0 if self.health.inward else 1.0)
        outward = outward / np.maximum(np.linalg.norm(outward, axis=1), 1e-30)[:, None]
        step = max(INNER_SHARE * float((self.box[1] - self.box[0]).max()), LEAST_SHRINK)
        points = np.ascontiguousarray(self.far_corners - step * outward)
        return np.asarray(points[points_inside_kernel(self.tree, points)])

    @lazy
    def _edges(self) -> Edges:
        return edges_of(self.welded)

    @lazy
    def edge_directions(self) -> Vec:
        """(k, 3) unit directions that its sharp edges run, three at most."""
        return sharp_directions(self.vertices, self.faces, self._edges)

    @lazy
    def sharp_lines(self) -> SharpLines:
        """Where its faces meet at an angle, and the corners of that."""
        return sharp_lines(self.vertices[self.faces], self.welded, self._edges)

    @lazy
    def bends(self) -> Bends:
        """Its sharp and its open edges, one by one, with the faces that meet there."""
        return bends(self.vertices[self.faces], self._edges)

    @lazy
    def flat_regions(self) -> list[FlatRegion]:
        """Its flat regions of at least a hundredth of a percent of its surface, the largest first."""
        return flat_regions(self.vertices[self.faces], self.welded, self._edges, LEAST_FLAT * self.area)

    @lazy
    def health(self) -> Health:
        """What is to be said of the mesh: flaws counted, and whether it faces inward."""
        welded = self.welded
        degenerate = (welded[:, 0] == welded[:, 1]) | (welded[:, 1] == welded[:, 2]) | (welded[:, 2] == welded[:, 0])
        good = welded[~degenerate]
        opened = self._edges.unmatched()
        corners = self.vertices[self.faces] - 0.5 * (self.box[0] + self.box[1])
        volume = float(np.einsum("ij,ij->i", corners[:, 0], crossed(corners[:, 1], corners[:, 2])).sum())
        return Health(
            triangles=len(self.faces),
            degenerate=int(degenerate.sum()),
            duplicate=len(good) - len(grouped(np.sort(good, axis=1))[1]),
            open_edges=opened,
            shells=int(self.shell_of.max()) + 1,
            inward=opened == 0 and volume < 0.0,
        )

    @lazy
    def uprightness(self) -> float:
        """How much of the area seen from above faces one way: ±1 for a height field, 0 for a solid."""
        corners = self.vertices[self.faces]
        up = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 1]
        total = float(np.abs(up).sum())
        return float(up.sum()) / total if total > 0.0 else 0.0


def crossed(a: Vec, b: Vec) -> Vec:
    """(n, 3) cross products of two (n, 3), row by row: for few rows far quicker than numpy's, which allows for any shape."""
    return np.stack(
        [
            a[:, 1] * b[:, 2] - a[:, 2] * b[:, 1],
            a[:, 2] * b[:, 0] - a[:, 0] * b[:, 2],
            a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0],
        ],
        axis=1,
    )


def number_rows(rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n,) equal numbers for equal rows of (n, 3) integers, counted from 0.

    Sorted by a 64-bit hash of each row, which is much faster than sorting rows; the rows are compared
    afterwards, and sorted themselves in the unlikely case that two share a hash.
    """
    mixed = rows.astype(np.uint64) * ROW_HASH
    _, first, inverse = np.unique(mixed[:, 0] ^ mixed[:, 1] ^ mixed[:, 2], return_index=True, return_inverse=True)
    inverse = inverse.reshape(-1)
    if not np.array_equal(rows[first[inverse]], rows):
        _, inverse = np.unique(rows, axis=0, return_inverse=True)
    return np.asarray(inverse.reshape(-1), dtype=np.int64)


@kernel
def shells_kernel(faces, vertices):
    """How many parts the triangles hang together in (union-find: Tarjan, 1975)."""
    parent = np.arange(vertices)
    for i in range(faces.shape[0]):
        for k in range(1, 3):
            a = faces[i, 0]
            while parent[a] != a:
                parent[a] = parent[parent[a]]
                a = parent[a]
            b = faces[i, k]
            while parent[b] != b:
                parent[b] = parent[parent[b]]
                b = parent[b]
            if a != b:
                parent[max(a, b)] = min(a, b)
    number = np.full(vertices, -1, np.int32)
    shell = np.empty(faces.shape[0], np.int32)
    found = 0
    for i in range(faces.shape[0]):
        a = faces[i, 0]
        while parent[a] != a:
            a = parent[a]
        if number[a] < 0:
            number[a] = found
            found += 1
        shell[i] = number[a]
    return shell
