"""What a prop breaks into: the closed pieces that a seeded Voronoi pattern cuts its solid into.

The cells are cut from a box by planes (after Voronoi, 1908), and each is intersected once with the whole solid, so that
no volume is lost between neighbours.
"""

from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from scipy.spatial import Delaunay, QhullError

from brickseat_core.geometry.mesh import Mesh, Vec

FEWEST, MOST = 3, 14
"""Cells of one breaking; a cell may come apart into several shards, as at the handle of a jug."""
MOST_LOST = 1e-3
"""Share of the volume that may be left out as dust."""
DUST_EXTENT = 0.002
"""Metres: what is smaller in every direction is dust."""
PATTERN_TRIES = 8
LEAST_RATIO = 2.5
"""How many times the least shard a thing must measure to break into some."""
MARGIN = 1e-3
PATTERNS_KEPT = 256


class Unbreakable(ValueError):
    """A prop that cannot be cut into closed shards; says why."""


@dataclass(frozen=True, eq=False)
class Shard:
    """``mesh``: closed, about its own centre of mass, which was at ``centre`` (3,) in the prop that broke."""

    mesh: Mesh
    centre: Vec


def shards_of(mesh: Mesh, seed: int, least: float) -> tuple[Shard, ...]:
    """The shards of ``mesh``, some ``least`` metres large or larger; the same for the same seed.

    Their volumes make up the solid's to a thousandth. Raises Unbreakable for what is open, or is too small.
    """
    return _kept(mesh, seed, least)


@lru_cache(maxsize=PATTERNS_KEPT)
def _kept(mesh: Mesh, seed: int, least: float) -> tuple[Shard, ...]:
    solid = manifold_of(mesh)
    size = float(np.linalg.norm(mesh.box[1] - mesh.box[0]))
    if size < LEAST_RATIO * least:
        raise Unbreakable("it is too small to break further")
    count = int(np.clip(round(size / least), FEWEST, MOST))
    whole = solid.volume()
    rng = np.random.default_rng(seed)
    for _ in range(PATTERN_TRIES):
        parts = [part for cell in cells(mesh, rng, count) for part in (solid ^ cell).decompose()]
        found = [part for part in parts if not is_dust(part)]
        if len(found) > 1 and abs(whole - sum(p.volume() for p in found)) <= MOST_LOST * whole:
            return tuple(shard(part) for part in found)
    raise Unbreakable("it could not be cut into closed shards without losing some of it")


def manifold_of(mesh: Mesh) -> manifold3d.Manifold:
    """The solid that a closed mesh bounds, its shells united. Raises Unbreakable when it bounds none."""
    if not mesh.health.closed:
        raise Unbreakable("its mesh is open; close it or give it thickness")
    corners, welded = np.unique(mesh.vertices[mesh.faces].reshape(-1, 3), axis=0, return_inverse=True)
    faces = welded.reshape(-1, 3)
    if mesh.health.inward:
        faces = faces[:, ::-1]
    whole = (faces[:, 0] != faces[:, 1]) & (faces[:, 1] != faces[:, 2]) & (faces[:, 2] != faces[:, 0])
    taken = manifold3d.Mesh64(np.ascontiguousarray(corners), np.ascontiguousarray(faces[whole]).astype(np.uint64))
    solid = manifold3d.Manifold(taken)
    if solid.status() != manifold3d.Error.NoError or solid.is_empty():
        raise Unbreakable("its mesh does not bound one solid; mend it on the bench")
    parts = solid.decompose()
    if len(parts) > 1 and all(p.volume() > 0.0 for p in parts):
        # Modelled of closed parts that run into each other: they are one body.
        solid = manifold3d.Manifold.batch_boolean(parts, manifold3d.OpType.Add)
    if solid.volume() <= 0.0:
        raise Unbreakable("it has no volume")
    return solid


def cells(mesh: Mesh, rng: np.random.Generator, count: int) -> list[manifold3d.Manifold]:
    """The Voronoi cells of ``count`` points on the surface, within the mesh's box; well spread, as cracks are."""
    lo, hi = mesh.box
    sites = spread_sites(mesh, rng, count)
    try:
        ends, neighbours = Delaunay(sites).vertex_neighbor_vertices
        beside = [neighbours[ends[k] : ends[k + 1]] for k in range(count)]
    except QhullError:
        # All in one plane: every other site may be a neighbour.
        beside = [np.delete(np.arange(count), k) for k in range(count)]
    box = manifold3d.Manifold.cube(tuple(hi - lo + 2.0 * MARGIN)).translate(tuple(lo - MARGIN))
    made = []
    for site, others in zip(sites, beside, strict=True):
        cell = box
        for other in sites[others]:
            direction = site - other
            length = float(np.linalg.norm(direction))
            if length > 0.0:
                direction /= length
                cell = cell.trim_by_plane(tuple(direction), float(0.5 * (site + other) @ direction))
        made.append(cell)
    return made


def spread_sites(mesh: Mesh, rng: np.random.Generator, count: int) -> Vec:
    """(count, 3) points on the surface, each the farthest of a few tried from those before (best candidate)."""
    corners = mesh.vertices[mesh.faces]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    tried = 4
    face = rng.choice(len(area), size=count * tried, p=area / area.sum())
    a, b = np.sqrt(rng.random(count * tried)), rng.random(count * tried)
    weights = np.stack([1.0 - a, a * (1.0 - b), a * b], axis=1)
    points = np.einsum("ik,ikj->ij", weights, corners[face]).reshape(count, tried, 3)
    chosen = [points[0, 0]]
    for candidates in points[1:]:
        nearest = np.linalg.norm(candidates[:, None] - np.array(chosen)[None], axis=2).min(axis=1)
        chosen.append(candidates[int(np.argmax(nearest))])
    return np.array(chosen)


def is_dust(part: manifold3d.Manifold) -> bool:
    """Whether a part is too small to keep as a shard."""
    box = np.array(part.bounding_box())
    return part.volume() <= 0.0 or float((box[3:] - box[:3]).max()) < DUST_EXTENT


def shard(part: manifold3d.Manifold) -> Shard:
    """The shard that a part is: its mesh about its centre of mass, and that centre."""
    cut = part.to_mesh64()
    mesh = Mesh(np.array(cut.vert_properties[:, :3], dtype=np.float64), np.array(cut.tri_verts, dtype=np.int32))
    centre = np.asarray(mesh.mass[1])
    # What fits into 32 bits is the same mesh when it has been to a file and back.
    kept = (mesh.vertices - centre).astype(np.float32).astype(np.float64)
    return Shard(Mesh(kept, mesh.faces), centre)
