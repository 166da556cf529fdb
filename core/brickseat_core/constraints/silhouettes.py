"""Silhouettes: the outline of a piece, or of a slice of it, seen along a direction."""

import manifold3d
import numpy as np

from brickseat_core.constraints.solids import MESHES_KEPT, CannotCut, Kept, shells_of
from brickseat_core.scene import Piece, Vec

SAMPLES = 5
"""Lines across and along the silhouette on which the depth of the wall is measured."""
INSET = 1e-4
"""Share of its size by which measured lines stand within the silhouette."""
MITER_LIMIT = 4.0
FLUSH = 1e-5
"""Metres from which something goes into a wall: what is nearer to its face only lies on it."""

_silhouettes = Kept(MESHES_KEPT)


def silhouette(piece: Piece, frame: Vec, clearance: float) -> Vec:
    """(n, 2) the largest outline of a piece seen along the third row of ``frame``, grown by ``clearance`` metres.

    Relative to the piece's origin, so that it is the same wherever the piece is carried. Raises CannotCut.
    """
    basis = frame @ piece.pose.linear
    key = (piece.prop.mesh.digest, tuple(np.round(basis, 12).ravel().tolist()), clearance)
    kept = _silhouettes.get(key)
    if isinstance(kept, np.ndarray):
        return kept
    mesh = piece.prop.mesh
    flat = (mesh.vertices @ basis.T)[:, :2]
    corners = flat[mesh.faces]
    a, b = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
    turned = np.where((area < 0.0)[:, None, None], corners[:, ::-1], corners)
    drawn = turned[np.abs(area) > 1e-14]
    found = largest_outline(manifold3d.CrossSection(list(drawn), manifold3d.FillRule.NonZero), clearance)
    if found is None:
        raise CannotCut(f"{piece.name} has no outline seen from there; give it a thickness")
    _silhouettes.put(key, found)
    return found


def silhouette_within(piece: Piece, frame: Vec, clearance: float, low: float, high: float) -> Vec | None:
    """As ``silhouette``, of what of a piece lies between ``low`` and ``high`` metres along the third row of ``frame``.

    None where nothing of it does, or its mesh is not closed.
    """
    basis = frame @ piece.pose.linear
    where = (tuple(np.round(basis, 12).ravel().tolist()), clearance, low, high)
    key = (piece.prop.mesh.digest, *where)
    kept = _silhouettes.get(key)
    if isinstance(kept, np.ndarray):
        return kept
    shells = shells_of(piece.prop.mesh)
    if shells is None:
        return None
    matrix = np.concatenate([basis, np.zeros((3, 1))], axis=1)
    inner = manifold3d.CrossSection()
    for solid, _ in shells:
        if solid is not None:
            slab = solid.transform(matrix).trim_by_plane((0.0, 0.0, 1.0), low + FLUSH)
            inner += slab.trim_by_plane((0.0, 0.0, -1.0), FLUSH - high).project()
    found = largest_outline(inner, clearance)
    if found is not None:
        _silhouettes.put(key, found)
    return found


def largest_outline(section: manifold3d.CrossSection, clearance: float) -> Vec | None:
    """(n, 2) the largest outline of a section grown by ``clearance`` metres; None where there is none.

    What is hollow in it is filled: a ring takes out a disc.
    """
    if clearance > 0.0:
        section = section.offset(clearance, manifold3d.JoinType.Miter, MITER_LIMIT)
    outlines = [np.asarray(p, dtype=np.float64) for p in section.to_polygons()]
    return max(outlines, key=polygon_area) if outlines else None


def polygon_area(outline: Vec) -> float:
    """Signed area of a closed outline (n, 2), positive when it runs anticlockwise."""
    x, y = outline[:, 0], outline[:, 1]
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def inside_outline(outline: Vec, points: Vec) -> Vec:
    """(k,) whether points (k, 2) are inside an outline (n, 2), by parity of crossings."""
    a, b = outline, np.roll(outline, -1, axis=0)
    above = (a[None, :, 1] > points[:, None, 1]) != (b[None, :, 1] > points[:, None, 1])
    rise = np.where(a[:, 1] == b[:, 1], 1.0, b[:, 1] - a[:, 1])
    x = a[None, :, 0] + (points[:, None, 1] - a[None, :, 1]) * ((b[:, 0] - a[:, 0]) / rise)[None, :]
    return np.asarray((above & (points[:, None, 0] < x)).sum(axis=1) % 2 == 1)


def sample_points(outline: Vec) -> Vec:
    """(k, 2) points inside an outline: a grid over it, and its corners drawn in a little."""
    lo, hi = outline.min(axis=0), outline.max(axis=0)
    steps = (np.arange(SAMPLES) + 0.5) / SAMPLES
    # Not exactly in the middle, where meshes have their edges.
    grid = np.array([lo + (hi - lo) * np.array([s + 0.0037, t - 0.0029]) for s in steps for t in steps])
    grid = grid[inside_outline(outline, grid)]
    few = outline[:: max(1, len(outline) // 32)]
    centre = grid.mean(axis=0) if len(grid) else few.mean(axis=0)
    return np.concatenate([grid, few + (centre - few) * INSET])
