"""Cut-outs: the hole that a piece makes in a bearer, as wide as its silhouette and as deep as that wall.

The bearer's own mesh stays whole. The cut one is derived from both poses and kept for as long as it is in use, so that
moving the piece moves the hole, and taking it away leaves no trace.
"""

from typing import NamedTuple

import manifold3d
import numpy as np

from brickseat_core.constraints.silhouettes import FLUSH, sample_points, silhouette, silhouette_within
from brickseat_core.constraints.solids import MESHES_KEPT, CannotCut, Kept, shells_of, without_prisms
from brickseat_core.geometry.crossings import intervals_inside
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.tree import Tree
from brickseat_core.scene import CutOut, Piece, Set, Vec

MARGIN_SHARE = 0.05
LEAST_MARGIN = 1e-4
"""Share of its thickness, and metres at least, by which the hole reaches beyond the wall on both sides."""
INTO_WALL = 0.7
"""Part of a piece's seating direction that must lead through a wall for the piece to be seated into it."""
COVER = 1e-3
"""Metres that the cover over an opening is thick."""
MOST_NORMALS = 8
"""Directions that the wall may be cut in, tried one after the other."""


_meshes = Kept(MESHES_KEPT)


def derived_meshes(dressed: Set) -> dict[str, Mesh]:
    """By key, the mesh of every bearer that something is cut into.

    A cut that is impossible where the piece stands now leaves the bearer as it is without it.
    """
    by_bearer: dict[str, list[CutOut]] = {}
    for cut in dressed.cut_outs.values():
        if cut.bearer in dressed.pieces and cut.piece in dressed.pieces:
            by_bearer.setdefault(cut.bearer, []).append(cut)
    found: dict[str, Mesh] = {}
    for key, cuts in by_bearer.items():
        bearer = dressed.pieces[key]
        mesh = cut_mesh(bearer, [(dressed.pieces[c.piece], c.clearance) for c in cuts])
        if mesh is not bearer.prop.mesh:
            found[key] = mesh
    return found


def cut_mesh(bearer: Piece, cutters: list[tuple[Piece, float]]) -> Mesh:
    """The mesh of ``bearer`` with a hole for each piece, wider than it by so many metres; its own where none can be cut."""
    whole = bearer.prop.mesh
    # Where each stands in the bearer's own coordinates is all that the outcome depends on.
    back = np.linalg.inv(bearer.pose.matrix)
    parts = sorted(
        (p.prop.mesh.digest, tuple(np.round(back @ p.pose.matrix, 12).ravel().tolist()), p.direction, clearance, p.key)
        for p, clearance in cutters
    )
    key = (whole.digest, tuple(np.round(bearer.pose.linear, 12).ravel().tolist()), tuple(parts))
    kept = _meshes.get(key)
    if isinstance(kept, Mesh):
        return kept
    made = whole
    prisms = []
    for piece, clearance in sorted(cutters, key=lambda c: c[0].key):
        try:
            prisms.append(prism_for(bearer, piece, clearance))
        except CannotCut:
            continue
    if prisms:
        made = without_prisms(whole, prisms) or whole
    _meshes.put(key, made)
    return made


class Opening(NamedTuple):
    """``frame`` (3, 3): rows across the wall twice, and through it. ``outline`` (n, 2) along the first two, relative to the
    piece's origin. ``low``, ``high``: where the wall begins and ends along the third, in metres from that origin;
    ``start``, ``end``: where the hole does."""

    frame: Vec
    outline: Vec
    low: float
    high: float
    start: float
    end: float


def opening_for(bearer: Piece, piece: Piece, clearance: float) -> Opening:
    """The hole that ``piece`` makes in ``bearer``. Raises CannotCut."""
    if shells_of(bearer.prop.mesh) is None:
        flaws = bearer.prop.mesh.health.open_edges
        why = f"{flaws} open edges" if flaws else "its faces look inward"
        raise CannotCut(f"{bearer.name} is no closed solid ({why}); mend the model, then cut")
    tree = bearer.prop.mesh.tree
    back: Vec = np.asarray(np.linalg.inv(bearer.pose.linear), dtype=np.float64)
    normals = wall_normals(bearer, piece)
    thinnest: tuple[float, Vec, Vec, tuple[float, float, float, float]] | None = None
    for normal in normals:
        frame = frame_with(normal)
        outline = silhouette(piece, frame, clearance)
        depth = depth_of(tree, bearer, piece, frame, outline, back)
        if depth is None:
            continue
        thickness = depth[1] - depth[0]
        # The wall is cut the short way; a piece that is seated into it says which way that is.
        seated = (
            1e6
            if abs(float(normal @ np.asarray(piece.direction))) < INTO_WALL and abs(piece.direction[1]) < INTO_WALL
            else 0.0
        )
        if thinnest is None or thickness + seated < thinnest[0]:
            thinnest = (thickness + seated, frame, outline, depth)
    if thinnest is None:
        raise CannotCut(f"{piece.name} does not reach {bearer.name}; move it against the wall, then cut")
    _, frame, outline, depth = thinnest
    # A frame that lies on the wall is not sunk into it: where something goes into the wall, only that is cut.
    inner = silhouette_within(piece, frame, clearance, depth[0], depth[1])
    if inner is not None:
        outline = inner
        depth = depth_of(tree, bearer, piece, frame, outline, back) or depth
    return Opening(frame, outline, *depth)


def prism_for(bearer: Piece, piece: Piece, clearance: float) -> manifold3d.Manifold:
    """The volume that ``piece`` takes out of ``bearer``, in the bearer's own coordinates. Raises CannotCut."""
    opening = opening_for(bearer, piece, clearance)
    frame = opening.frame
    prism = manifold3d.CrossSection([opening.outline]).extrude(opening.end - opening.start)
    to_world = np.eye(4)
    # Its own x, y and z are the frame's two axes across and the way through the wall.
    to_world[:3, :3] = frame.T
    to_world[:3, 3] = frame.T @ np.array([0.0, 0.0, opening.start]) + piece.pose.origin
    local = np.linalg.inv(bearer.pose.matrix) @ to_world
    return prism.transform(local[:3])


def part_before_wall(bearer: Piece, piece: Piece, clearance: float) -> Mesh | None:
    """What of ``piece`` stands before the wall that it is cut into, in its own coordinates, with a thin cover over the
    opening where nothing does: it can be moved along the whole wall.

    None where the piece is not seated into that wall. Raises CannotCut.
    """
    opening = opening_for(bearer, piece, clearance)
    inward = float(opening.frame[2] @ np.asarray(piece.direction))
    shells = shells_of(piece.prop.mesh)
    if abs(inward) < INTO_WALL or shells is None:
        return None
    # From the side that it was seated from: its direction leads into the wall.
    entry = opening.low if inward > 0.0 else -opening.high
    normal = opening.frame[2] * np.sign(inward)
    local = piece.pose.linear.T @ normal
    length = float(np.linalg.norm(local))
    outside = manifold3d.Manifold()
    for solid, _ in shells:
        if solid is not None:
            outside += solid.trim_by_plane(tuple(-local / length), -(entry + FLUSH) / length)
    if outside.volume() <= 0.0:
        cover = manifold3d.CrossSection([opening.outline]).extrude(COVER)
        to_world = np.eye(4)
        to_world[:3, :3] = opening.frame.T
        low = opening.low - COVER if inward > 0.0 else opening.high
        to_world[:3, 3] = opening.frame.T @ np.array([0.0, 0.0, low])
        back = np.eye(4)
        back[:3, :3] = np.linalg.inv(piece.pose.linear)
        outside = cover.transform((back @ to_world)[:3])
    cut = outside.to_mesh64()
    return Mesh(np.array(np.asarray(cut.vert_properties)[:, :3]), np.asarray(cut.tri_verts).astype(np.int32))


def frame_with(normal: Vec) -> Vec:
    """(3, 3) rows: two directions square to ``normal`` (3,) unit, and ``normal``; right-handed."""
    least = np.zeros(3)
    least[int(np.argmin(np.abs(normal)))] = 1.0
    u = np.cross(least, normal)
    u /= np.linalg.norm(u)
    return np.stack([u, np.cross(normal, u), normal])


def wall_normals(bearer: Piece, piece: Piece) -> list[Vec]:
    """Unit normals (3,) of the largest faces of ``bearer`` near ``piece``, one of each pair of opposite ones."""
    mesh = bearer.prop.mesh
    corners = bearer.pose.apply(mesh.vertices[mesh.faces])
    lo, hi = piece_box(piece)
    reach = 0.5 * float((hi - lo).max())
    near = ((corners.min(axis=1) <= hi + reach) & (corners.max(axis=1) >= lo - reach)).all(axis=1)
    if not near.any():
        return []
    corners = corners[near]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(cross, axis=1)
    unit = cross[area > 0.0] / area[area > 0.0, None]
    area = area[area > 0.0]
    found: list[Vec] = []
    while len(area) and len(found) < MOST_NORMALS:
        largest = int(np.argmax(area))
        normal = unit[largest]
        found.append(normal)
        others = np.abs(unit @ normal) < 0.985
        unit, area = unit[others], area[others]
    return found


def piece_box(piece: Piece) -> tuple[Vec, Vec]:
    """Axis-aligned box (lo, hi) of the vertices of a piece in the world."""
    points = piece.pose.apply(piece.prop.mesh.vertices)
    return points.min(axis=0), points.max(axis=0)


def depth_of(
    tree: Tree, bearer: Piece, piece: Piece, frame: Vec, outline: Vec, back: Vec
) -> tuple[float, float, float, float] | None:
    """Where the wall that ``piece`` is at begins and ends along the third row of ``frame``, in metres from the piece's
    origin, and where the hole is to begin and end. None where no wall is there.

    ``back``: (3, 3) from the world into the bearer's own coordinates.
    """
    mesh = piece.prop.mesh
    own = (mesh.vertices @ (frame[2] @ piece.pose.linear)).min(), (mesh.vertices @ (frame[2] @ piece.pose.linear)).max()
    low, high, before, beyond = np.inf, -np.inf, -np.inf, np.inf
    direction = back @ frame[2]
    for across in sample_points(outline):
        start = piece.pose.origin + across @ frame[:2]
        stretches = intervals_inside(tree, back @ (start - bearer.pose.origin), direction)
        if not len(stretches):
            continue
        # This wall is the one the piece is in, or else the nearest.
        apart = np.maximum(0.0, np.maximum(stretches[:, 0] - own[1], own[0] - stretches[:, 1]))
        mine = int(np.argmin(apart))
        if apart[mine] > own[1] - own[0]:
            continue
        low, high = min(low, stretches[mine, 0]), max(high, stretches[mine, 1])
        if mine > 0:
            before = max(before, stretches[mine - 1, 1])
        if mine + 1 < len(stretches):
            beyond = min(beyond, stretches[mine + 1, 0])
    if high <= low:
        return None
    margin = max(LEAST_MARGIN, MARGIN_SHARE * (high - low))
    low, high = with_corners_between(bearer, piece, frame, outline, low - margin, high + margin, low, high)
    start = low - margin if before >= low else low - min(margin, 0.5 * (low - before))
    end = high + margin if beyond <= high else high + min(margin, 0.5 * (beyond - high))
    return low, high, start, end


def with_corners_between(
    bearer: Piece, piece: Piece, frame: Vec, outline: Vec, least: float, most: float, low: float, high: float
) -> tuple[float, float]:
    """``low`` and ``high`` so that they hold the corners of the wall within the outline that lie between ``least`` and
    ``most``: what is uneven between two measured lines."""
    points = (bearer.pose.apply(bearer.prop.mesh.vertices) - piece.pose.origin) @ frame.T
    near = (points[:, 2] >= least) & (points[:, 2] <= most)
    near &= ((points[:, :2] >= outline.min(axis=0)) & (points[:, :2] <= outline.max(axis=0))).all(axis=1)
    if not near.any():
        return low, high
    return min(low, float(points[near, 2].min())), max(high, float(points[near, 2].max()))
