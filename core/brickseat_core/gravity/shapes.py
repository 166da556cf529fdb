"""Contact shapes: what stands for a prop while gravity acts, made from its mesh, with its error measured against it.

For settling only. Everything that is proved, is proved on the true mesh.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

import manifold3d
import numpy as np
import rapier3d
import trimesh
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from brickseat_core.geometry.lazy import lazy
from brickseat_core.geometry.mesh import Mesh, Vec
from brickseat_core.geometry.nearest import distances
from brickseat_core.geometry.rays import points_inside_kernel
from brickseat_core.gravity.shards import Unbreakable, manifold_of

ShapeKind = Literal["ball", "box", "capsule", "hull", "parts"]
SHAPE_KINDS: tuple[ShapeKind, ...] = get_args(ShapeKind)
"""From the cheapest to the dearest."""

SKIN = 0.0001
"""Metres kept round every shape while settling: what is left at rest is a gap, which the exact finish closes. Twice
this, and a little, is still within what counts as touching."""

COVERED = 1.0
"""Share of what few corners leave out that is covered again by pushing them out."""
HULL_CORNERS, PART_CORNERS = (400, 64), (64, 32)
"""Corners of a hull, and of each of many parts, to lie with and to fall with. Many follow the surface, and what they miss the
finish has to mend; but they make an engine slow, and their small faces bear less: stones fell into each other."""
BATCH = 16
"""One corner more at once for so many that are chosen."""
GOOD_SHARE, GOOD_LEAST = 0.02, 0.001
"""A shape is good enough when it errs by no more than this share of the prop's size, or this many metres."""

NEARLY_CONVEX = 0.93
MOST_FILLED = 0.07
"""Share of a prop's size that a part may stand out of its surface, times the share of the part that is not solid."""
MOST_SHELLS = 24
"""Of a mesh in more shells than this, none is a part by itself."""
SAMPLES = 3000


@dataclass(frozen=True, eq=False)
class ContactShape:
    """``solids``: corners (n, 3) of each convex part, in the prop's frame. ``bulge``: metres it stands out beyond
    the true surface at most. ``uncovered``: metres the true surface stands out beyond it at most. ``figures``: box
    half sizes; ball radius; capsule radius and half length along ``axis``; empty for the others. ``light``: the solids with
    few corners, empty where they have few."""

    kind: ShapeKind
    solids: tuple[Vec, ...]
    bulge: float
    uncovered: float
    centre: tuple[float, float, float] = (0.0, 0.0, 0.0)
    figures: tuple[float, ...] = ()
    axis: int = 1
    light: tuple[Vec, ...] = ()

    @lazy
    def falling(self) -> "ContactShape":
        """The same with few corners: to fall with, not to lie with."""
        return replace(self, solids=self.light, light=()) if self.light else self

    @property
    def error(self) -> float:
        """Metres: the farthest that the shape is off the true mesh, outwards or inwards."""
        return max(self.bulge, self.uncovered)

    @property
    def cost(self) -> int:
        """Convex parts the engine has to look at."""
        return len(self.solids)


class NoShape(ValueError):
    """A mesh of which that kind of shape cannot be made; says why."""


def contact_shape(mesh: Mesh, kind: ShapeKind, corners: int = HULL_CORNERS[0]) -> ContactShape:
    """The shape of that kind about ``mesh``; hulls with at most ``corners`` corners a part. Raises NoShape."""
    lo, hi = mesh.box
    centre = 0.5 * (lo + hi)
    half = 0.5 * (hi - lo)
    at = (float(centre[0]), float(centre[1]), float(centre[2]))
    used = mesh.vertices[np.unique(mesh.faces)]
    if kind == "box":
        made = trimesh.creation.box(2.0 * np.maximum(half, SKIN))
        return measured(mesh, kind, [np.asarray(made.vertices) + centre], at, tuple(half.tolist()))
    if kind == "ball":
        radius = float(np.linalg.norm(used - centre, axis=1).max())
        made = trimesh.creation.icosphere(subdivisions=3, radius=radius)
        return measured(mesh, kind, [np.asarray(made.vertices) + centre], at, (radius,))
    if kind == "capsule":
        axis = int(np.argmax(half))
        others = [k for k in range(3) if k != axis]
        away = np.hypot(*(used - centre)[:, others].T)
        radius = float(away.max())
        # Each corner has to lie within the round end that is nearer to it.
        straight = np.abs((used - centre)[:, axis]) - np.sqrt(np.maximum(radius**2 - away**2, 0.0))
        length = max(0.0, float(straight.max()))
        made = trimesh.creation.capsule(2.0 * length, radius, count=[24, 24])
        turned = np.asarray(made.vertices)[:, [(2, 0, 1), (1, 2, 0), (0, 1, 2)][axis]]
        return measured(mesh, kind, [turned + centre], at, (radius, length), axis)
    if kind == "hull":
        return measured(mesh, kind, [few_corners(used, corners)], at)
    return measured(mesh, kind, [few_corners(part, corners) for part in convex_parts(mesh)], at)


def best_shape(mesh: Mesh) -> ContactShape:
    """The cheapest shape that is good enough, else the one with the least error. Raises NoShape."""
    found = []
    for kind in SHAPE_KINDS:
        try:
            shape = contact_shape(mesh, kind)
        except NoShape:
            continue
        if good_enough(shape, mesh):
            return shape
        found.append(shape)
    if not found:
        raise NoShape("no contact shape can be made of it; close the mesh or give it thickness")
    return min(found, key=lambda s: s.error)


def settling_shape(mesh: Mesh, kind: ShapeKind | None = None) -> ContactShape:
    """A shape to settle by, without measuring its error (``bulge`` and ``uncovered`` are nan). Raises NoShape.

    A hull for what is nearly convex, judged by the share of the hull that the mesh fills; else convex parts.
    """
    if kind in ("box", "ball", "capsule"):
        return contact_shape(mesh, kind)
    if kind == "hull" or (kind is None and nearly_convex(mesh)):
        pairs = [fewer_and_fewer(mesh.vertices[np.unique(mesh.faces)], HULL_CORNERS)]
    else:
        pairs = [fewer_and_fewer(part, PART_CORNERS) for part in convex_parts(mesh)]
    fine, light = zip(*pairs, strict=True)
    return ContactShape("hull" if len(fine) == 1 else "parts", fine, np.nan, np.nan, light=light)


def good_enough(shape: ContactShape, mesh: Mesh) -> bool:
    """Whether the shape follows the mesh closely enough to settle by."""
    return shape.error <= max(GOOD_LEAST, GOOD_SHARE * float((mesh.box[1] - mesh.box[0]).max()))


def few_corners(points: Vec, most: int) -> Vec:
    """At most ``most`` corners of the convex hull of ``points``: always those next that the others leave out most.

    Raises NoShape on flat sets of points, which have no hull.
    """
    return fewer_and_fewer(points, (most,))[0]


def fewer_and_fewer(points: Vec, mosts: tuple[int, ...]) -> list[Vec]:
    """``few_corners`` for each of several numbers, in one search. Raises NoShape on flat sets of points."""
    try:
        corners = np.asarray(points[ConvexHull(points).vertices])
        directions = np.array([[x, y, z] for x in (-1, 0, 1) for y in (-1, 0, 1) for z in (-1, 0, 1) if x or y or z])
        chosen = list(dict.fromkeys(np.argmax(corners @ directions.T, axis=0).tolist()))
        found: dict[int, Vec] = {}
        for most in sorted(mosts):
            if len(corners) <= most:
                found[most] = corners
                continue
            while len(chosen) < most:
                hull = ConvexHull(corners[chosen])
                beyond = (corners @ hull.equations[:, :3].T + hull.equations[:, 3]).max(axis=1)
                beyond[chosen] = 0.0
                # A few at once: those that are left out at one place come in one after the other.
                far = np.argsort(-beyond, kind="stable")[: max(1, min(most - len(chosen), len(chosen) // BATCH))]
                far = far[beyond[far] > 0.0]
                if not len(far):
                    break
                chosen += far.tolist()
            found[most] = grown(corners[chosen], corners)
        return [found[most] for most in mosts]
    except QhullError:
        raise NoShape("it is flat, and a hull needs thickness") from None


def grown(chosen: Vec, corners: Vec) -> Vec:
    """The chosen corners pushed out, so that the faces between them cover most of what they leave out of ``corners``.

    What stands out of a shape ends inside a neighbour, and has to be lifted out of it; a gap is only closed.
    """
    hull = ConvexHull(chosen)
    directions, offsets = hull.equations[:, :3], hull.equations[:, 3]
    beyond = np.maximum((corners @ directions.T + offsets).max(axis=0), 0.0)
    out = chosen.copy()
    for corner in range(len(chosen)):
        beside = np.flatnonzero((hull.simplices == corner).any(axis=1))
        if len(beside):
            # The least movement that takes the faces about it out by their share.
            out[corner] += np.linalg.lstsq(directions[beside], COVERED * beyond[beside], rcond=0.2)[0]
    return out


def nearly_convex(mesh: Mesh) -> bool:
    """Whether the mesh fills nearly all of its hull. Raises NoShape on flat ones, which have none."""
    try:
        hull = ConvexHull(mesh.vertices[np.unique(mesh.faces)])
    except QhullError:
        raise NoShape("it is flat, and a hull needs thickness") from None
    return mesh.health.closed and abs(mesh.mass[0]) > NEARLY_CONVEX * float(hull.volume)


def convex_parts(mesh: Mesh) -> list[Vec]:
    """Convex parts that together cover the mesh and leave its hollows free. Raises NoShape.

    Boards, rungs and legs are each their own hull; what is not so simple falls into parts together, as when leaves are many.
    """
    shells = int(mesh.shell_of.max()) + 1
    solids, others = [], np.ones(len(mesh.faces), np.bool_)
    for shell in range(shells) if 1 < shells <= MOST_SHELLS else ():
        own = mesh.shell_of == shell
        used, faces = np.unique(mesh.faces[own], return_inverse=True)
        part = Mesh(mesh.vertices[used], faces.reshape(-1, 3).astype(np.int32))
        try:
            if nearly_convex(part):
                solids.append(part.vertices)
                others &= ~own
        except NoShape:
            continue
    if others.any():
        solids += hollowed(mesh, decomposed(mesh.vertices, mesh.faces[others]))
    return solids


def hollowed(mesh: Mesh, parts: list[Vec]) -> list[Vec]:
    """The same parts, but those that fill what is hollow cut again: what of the mesh lies in such a part is smaller, and
    so cut more finely. The neck of a jar may else be stopped up."""
    size = float((mesh.box[1] - mesh.box[0]).max())
    try:
        whole = manifold_of(mesh)
    except Unbreakable:
        return parts
    out = []
    for part in parts:
        hull = manifold3d.Manifold.hull_points(part)
        within = whole ^ hull
        empty = 1.0 - within.volume() / hull.volume()
        if empty * bulge_of(mesh, spread(faces_of(ConvexHull(part)))) <= MOST_FILLED * size:
            out.append(part)
        elif not within.is_empty():
            cut = within.to_mesh64()
            out += decomposed(np.asarray(cut.vert_properties[:, :3]), np.asarray(cut.tri_verts))
    return out


def decomposed(vertices: Vec, chosen: NDArray[Any]) -> list[Vec]:
    """Convex parts, each (k, 3) points, of the ``chosen`` triangles (m, 3) of ``vertices`` (n, 3), as the engine cuts them. Raises NoShape."""
    used, faces = np.unique(chosen, return_inverse=True)
    lo = vertices.min(axis=0)
    try:
        made = rapier3d.SharedShape.convex_decomposition(
            (vertices[used] - lo).astype(np.float32), faces.reshape(-1, 3).astype(np.uint32)
        )
        compound = made.as_compound()
        polyhedra = [shape.as_convex_polyhedron() for _, shape in compound.shapes()] if compound is not None else []
        parts = [np.asarray(p.points, dtype=np.float64) + lo for p in polyhedra if p is not None]
    except BaseException as error:
        if isinstance(error, KeyboardInterrupt | SystemExit):
            raise
        raise NoShape(f"it does not fall into convex parts ({type(error).__name__})") from None
    solids = [part for part in parts if has_thickness(part)]
    if not solids:
        raise NoShape("it does not fall into convex parts with thickness")
    return solids


def has_thickness(points: Vec) -> bool:
    """Whether the convex hull of points (n, 3) has volume."""
    try:
        ConvexHull(points)
    except QhullError:
        return False
    return True


def measured(
    mesh: Mesh,
    kind: ShapeKind,
    solids: Sequence[Vec],
    centre: tuple[float, float, float],
    figures: tuple[float, ...] = (),
    axis: int = 1,
) -> ContactShape:
    """The shape with its error both directions, at corners and at points spread over the faces. Raises NoShape."""
    beyond = np.full(len(mesh.faces) * 4, np.inf)
    own = mesh.vertices[mesh.faces]
    asked = np.concatenate([own.reshape(-1, 3), own.mean(axis=1)])
    surface = []
    for corners in solids:
        try:
            hull = ConvexHull(corners)
        except QhullError:
            raise NoShape("it is flat, and a contact shape needs thickness") from None
        beyond = np.minimum(beyond, (asked @ hull.equations[:, :3].T + hull.equations[:, 3]).max(axis=1))
        surface.append(faces_of(hull))
    bulge = bulge_of(mesh, spread(np.concatenate(surface)))
    return ContactShape(kind, tuple(solids), bulge, max(0.0, float(beyond.max())), centre, figures, axis)


def faces_of(hull: ConvexHull) -> Vec:
    """(m, 3, 3) the triangles of a hull."""
    return np.asarray(hull.points[hull.simplices])


def bulge_of(mesh: Mesh, points: Vec) -> float:
    """Metres that the farthest of ``points`` lies outside the mesh."""
    outside = points[~points_inside_kernel(mesh.tree, points)] if mesh.health.closed else points
    return float(distances(mesh.tree, outside).max()) if len(outside) else 0.0


def spread(triangles: Vec) -> Vec:
    """Some ``SAMPLES`` points on triangles (m, 3, 3): corners, middles, and more of them on the larger ones."""
    area = np.linalg.norm(np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]), axis=1)
    rng = np.random.default_rng(7)
    chosen = rng.choice(len(triangles), SAMPLES, p=area / area.sum())
    u, v = rng.random(SAMPLES), rng.random(SAMPLES)
    flip = u + v > 1.0
    u, v = np.where(flip, 1.0 - u, u), np.where(flip, 1.0 - v, v)
    t = triangles[chosen]
    inner = t[:, 0] + u[:, None] * (t[:, 1] - t[:, 0]) + v[:, None] * (t[:, 2] - t[:, 0])
    return np.concatenate([np.unique(triangles.reshape(-1, 3), axis=0), triangles.mean(axis=1), inner])
