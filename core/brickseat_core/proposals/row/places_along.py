"""Rows: places along a line, evenly by its length, each with the way that the line runs there."""

from typing import NamedTuple

import numpy as np

from brickseat_core.geometry.flat_regions import FlatRegion
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Vec

SPLIT_COSINE = float(np.cos(np.radians(35.0)))
"""Cosine of the turn from which a border is split into lines of their own."""
MOST_IN_ROW = 2000
LEAST_LINE = 1e-6
SAME_CHORD = 1e-9
"""Share of a chord by which one may be shorter by rounding."""


class RowPlace(NamedTuple):
    """``point`` (3,) on the line, and the unit direction (3,) in which it runs there."""

    point: Vec
    tangent: Vec


class NoRow(ValueError):
    """A row that cannot be laid; says why, and what to do."""


def places_along(
    line: Vec, count: int | None, spacing: float | None, closed: bool, chord: bool = False
) -> list[RowPlace]:
    """``count`` places from one end of ``line`` (n, 3) to the other, or as many as fit ``spacing`` metres apart.

    Measured along the line, or with ``chord`` straight from place to place. On a closed line the last is as far from the
    first as from the one before. Raises NoRow.
    """
    points = np.concatenate([line, line[:1]]) if closed else line
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    points = points[np.concatenate([[True], steps > LEAST_LINE])]
    if len(points) < 2:
        raise NoRow("the line has no length; draw it between two places")
    at = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    length = float(at[-1])
    if count is None and spacing is None:
        raise NoRow("say how many stand in the row, or how far apart")
    if spacing is not None and length / spacing > MOST_IN_ROW:
        raise NoRow(f"that would be more than {MOST_IN_ROW} pieces; lay them farther apart")
    if chord and spacing is not None:
        where = chords(points, at, spacing, closed)[: count or None]
    elif spacing is not None:
        fit = int(np.floor(length / spacing + 1e-9)) + (0 if closed else 1)
        where = [spacing * k for k in range(fit if count is None else min(count, fit))]
    else:
        many = count or 1
        parts = many if closed else max(1, many - 1)
        where = [length * k / parts for k in range(many)] if many > 1 or closed else [0.5 * length]
    return [place_at(points, at, s) for s in where]


def place_at(points: Vec, at: Vec, s: float) -> RowPlace:
    """The place ``s`` metres along a line whose corners lie ``at`` (n,) metres along it."""
    k = int(np.clip(np.searchsorted(at, s, side="right") - 1, 0, len(points) - 2))
    tangent = (points[k + 1] - points[k]) / (at[k + 1] - at[k])
    return RowPlace(points[k] + tangent * min(s - at[k], at[k + 1] - at[k]), tangent)


def chords(points: Vec, at: Vec, spacing: float, closed: bool) -> list[float]:
    """Metres along a line at which places lie ``spacing`` apart as the crow flies, each the next one after the last.

    On a ``closed`` line the last ones that are nearer than that to the first are left out: there the line begins again.
    """
    found = [0.0]
    while len(found) < MOST_IN_ROW:
        here = place_at(points, at, found[-1]).point
        ends = np.linalg.norm(points - here, axis=1)
        beyond = np.flatnonzero((at > found[-1]) & (ends >= spacing))
        if not len(beyond):
            break
        k = int(beyond[0])
        low, high = max(found[-1], float(at[k - 1])), float(at[k])
        # Fifty halvings leave less than a float can hold.
        for _ in range(50):
            middle = 0.5 * (low + high)
            if float(np.linalg.norm(place_at(points, at, middle).point - here)) < spacing:
                low = middle
            else:
                high = middle
        found.append(high)
    while closed and len(found) > 1:
        if float(np.linalg.norm(place_at(points, at, found[-1]).point - points[0])) >= spacing * (1.0 - SAME_CHORD):
            break
        found.pop()
    return found


def border_near(mesh: Mesh, point: Vec) -> tuple[Vec, bool]:
    """The line (n, 3) of a flat face's border that is nearest to ``point`` (3,), and whether it is closed.

    In the mesh's own coordinates. A border is split where it turns sharply. Raises NoRow where the mesh has no flat face.
    """
    best: tuple[float, Vec, bool] | None = None
    for region in mesh.flat_regions:
        for line, closed in lines_of_region(region):
            distance = distance_to(line, point, closed)
            # The larger face first, where two share an edge.
            if best is None or distance < best[0] - 1e-9:
                best = (distance, line, closed)
    if best is None:
        raise NoRow("it has no flat face whose edge a row could follow; draw a line instead")
    return best[1], best[2]


def lines_of_region(region: FlatRegion) -> list[tuple[Vec, bool]]:
    """The borders of a face, split where they turn sharply; a loop that never does is closed."""
    found: list[tuple[Vec, bool]] = []
    for loop in region.loops:
        sides = np.roll(loop, -1, axis=0) - loop
        unit = sides / np.maximum(np.linalg.norm(sides, axis=1), 1e-300)[:, None]
        turns = np.flatnonzero(np.einsum("ij,ij->i", unit, np.roll(unit, 1, axis=0)) < SPLIT_COSINE)
        if not len(turns):
            found.append((loop, True))
            continue
        for k, start in enumerate(turns):
            end = turns[(k + 1) % len(turns)]
            many = (end - start) % len(loop) or len(loop)
            found.append((loop[(start + np.arange(many + 1)) % len(loop)], False))
    return found


def distance_to(line: Vec, point: Vec, closed: bool) -> float:
    """Metres from a point (3,) to a line (n, 3)."""
    a = line if closed else line[:-1]
    b = np.roll(line, -1, axis=0) if closed else line[1:]
    segments = b - a
    share = np.clip(
        np.einsum("ij,ij->i", point - a, segments) / np.maximum(np.einsum("ij,ij->i", segments, segments), 1e-300),
        0.0,
        1.0,
    )
    return float(np.linalg.norm(a + share[:, None] * segments - point, axis=1).min())
