"""The feeler's view: both outlines cut by an upright plane through a contact."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.scene import Piece, Vec

AZIMUTHS = 8
SAMPLES = 33


@dataclass(frozen=True)
class Section:
    """Outlines in the plane through ``at``: segments (n, 4) of x0, y0, x1, y1 in metres about it.

    ``azimuth``: radians about the vertical of the plane's x axis, chosen where the gap is widest. ``half``:
    half the width and height shown. ``others``: outlines by key of the pieces cut.
    """

    at: Vec
    azimuth: float
    half: float
    piece: Vec
    others: dict[str, Vec]


def cut_by_plane(index: SceneIndex, piece: Piece, at: Vec, azimuth: float, half: float) -> Vec:
    """Segments (n, 4) in which an upright plane cuts the triangles of a piece, within the window."""
    along = np.array([np.cos(azimuth), 0.0, np.sin(azimuth)])
    across = np.array([-np.sin(azimuth), 0.0, np.cos(azimuth)])
    v = piece.pose.apply(index.mesh_of(piece).vertices) - at
    off, x, y = v @ across, v @ along, v[:, 1]
    faces = index.mesh_of(piece).faces
    f_off = off[faces]
    crosses = (f_off.min(axis=1) < 0) & (f_off.max(axis=1) >= 0)
    crosses &= (x[faces].min(axis=1) < half) & (x[faces].max(axis=1) > -half)
    crosses &= (y[faces].min(axis=1) < half) & (y[faces].max(axis=1) > -half)
    chosen = faces[crosses]
    if not len(chosen):
        return np.zeros((0, 4))
    ends = []
    hit = []
    for a, b in ((0, 1), (1, 2), (2, 0)):
        i, j = chosen[:, a], chosen[:, b]
        passes = (off[i] < 0) != (off[j] < 0)
        t = np.where(passes, off[i] / np.where(passes, off[i] - off[j], 1.0), 0.0)
        ends.append(np.stack([x[i] + t * (x[j] - x[i]), y[i] + t * (y[j] - y[i])], axis=1))
        hit.append(passes)
    passes = np.stack(hit, axis=1)
    points = np.stack(ends, axis=1)
    order = np.argsort(~passes, axis=1, kind="stable")[:, :2]
    rows = np.arange(len(chosen))[:, None]
    return np.asarray(points[rows, order].reshape(-1, 4))


def envelope(segments: Vec, xs: Vec, lower: bool, limit: float) -> Vec:
    """Lowest (or highest) height of the outline at each x; NaN where it is not there."""
    best = np.full(len(xs), np.inf if lower else -np.inf)
    for x0, y0, x1, y1 in segments:
        a, b = min(x0, x1), max(x0, x1)
        inside = (xs >= a) & (xs <= b)
        if not inside.any():
            continue
        y = y0 + (xs[inside] - x0) / (x1 - x0) * (y1 - y0) if b > a else np.full(int(inside.sum()), min(y0, y1))
        if lower:
            best[inside] = np.minimum(best[inside], y)
        else:
            best[inside] = np.maximum(best[inside], np.where(y <= limit, y, -np.inf))
    return np.where(np.isfinite(best), best, np.nan)


LEVEL = 0.3
"""The least level part of a unit normal for the plane to hold it."""


def section(
    index: SceneIndex, piece: Piece, others: list[str], at: Vec, half: float, normal: Vec | None = None
) -> Section:
    """Cut ``piece`` and ``others`` through ``at``, turned to where the gap between them is widest.

    ``normal`` (3,): of a clash; unless it stands upright, the plane holds it, so that both are cut where they are in each
    other.
    """
    azimuths = [np.pi * k / AZIMUTHS for k in range(AZIMUTHS)]
    if normal is not None and np.hypot(normal[0], normal[2]) > LEVEL:
        azimuths = [float(np.arctan2(normal[2], normal[0]) % np.pi)]
    xs = np.linspace(-0.9 * half, 0.9 * half, SAMPLES)
    best: tuple[float, float, Vec, dict[str, Vec]] | None = None
    for azimuth in azimuths:
        mine = cut_by_plane(index, piece, at, azimuth, half)
        theirs = {key: cut_by_plane(index, index.pieces[key], at, azimuth, half) for key in others}
        under = np.concatenate([*theirs.values(), np.zeros((0, 4))])
        below = envelope(under, xs, lower=False, limit=0.5 * half)
        gap = envelope(mine, xs, lower=True, limit=0.0) - below
        measured = gap[np.isfinite(gap)]
        width = float(np.sum(np.clip(measured, 0.0, half))) + 0.01 * len(measured) * half
        if best is None or width > best[0] + 1e-9:
            best = (width, float(azimuth), mine, theirs)
    assert best is not None
    return Section(at, best[1], half, best[2], best[3])
