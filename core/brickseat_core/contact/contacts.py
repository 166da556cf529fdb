"""One look at standing pieces: what each would touch first, where it touches, what bears it, and what it may be inside of.

A single kernel call for the whole look, at one piece or at many: for most pieces this is all that there is to a check.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from brickseat_core.contact.bearing import (
    MOST_CONTACTS,
    Bearing,
    bearing_kernel,
    bearing_of,
    bearing_or_leaning_kernel,
    centre_of,
)
from brickseat_core.contact.column_query import column_query_kernel, query_kernel
from brickseat_core.contact.depth import contained_rows
from brickseat_core.contact.first_contact import (
    ALL_CUTS,
    CLOSE,
    EMBEDDED_LIFT,
    first_contact_kernel,
    flush_kernel,
    near_contact_kernel,
)
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.inside import containers_kernel
from brickseat_core.contact.kernels.contact_region import contact_region_kernel
from brickseat_core.contact.kernels.flags import any_of
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, double_area, overlap_polygon
from brickseat_core.contact.kernels.mesh_table import MeshTable, mesh_at, mesh_table
from brickseat_core.contact.kernels.mover import (
    frame_kernel,
    mover_kernel,
    near_among_kernel,
    near_kernel,
    out_of_frame_kernel,
    outline_kernel,
    transforms_kernel,
)
from brickseat_core.contact.kernels.pairs import (
    ALL_PAIRS,
    back_to_back,
    blocking_pairs,
    mover_triangle,
    same_side,
    triangle_in_frame,
)
from brickseat_core.contact.plan_grid import PlanGrid, no_grid, plan_grid, rows_over_kernel
from brickseat_core.kernels import kernel, nested_kernel
from brickseat_core.scene import Piece, Vec
from brickseat_core.tolerances import CONTACT_EPSILON, FLUSH_WIDTH

GRID_FROM = 32
"""Pieces asked in one go from which the plan grid is worth its making."""
CUT, CONTAINER, CONTAINED, BEARER = np.int64(0), np.int64(1), np.int64(2), np.int64(3)
"""What a row is to a piece, where many are returned in one list. No plain ints: a literal is a type of its own."""


@dataclass(frozen=True)
class Contacts:
    """``travel``: metres along the direction to first contact, None when nothing is there. ``first``: the row met there.

    ``initially_intersecting``: rows whose surface the piece cuts. ``containers``: rows it stands wholly inside of. ``contained``:
    rows whose box lies within its own, so that they may stand inside it. ``bearing``: when all three are empty, how what it
    touches bears it.
    """

    travel: float | None
    first: int | None
    initially_intersecting: tuple[int, ...]
    containers: tuple[int, ...]
    contained: tuple[int, ...]
    bearing: Bearing | None


def query_contacts(
    index: SceneIndex, piece: Piece, skip: int, sink: float, band: float, leaning: tuple[float, float] | None = None
) -> Contacts:
    """What ``piece`` reaches along its direction, all but row ``skip``.

    Contacts: gaps from first contact up to ``band`` metres beyond it, or beyond ``sink`` when that is farther.
    ``leaning``: metres within which contacts count to what a piece out of balance leans on (``leaning_kernel``), when
    it touches within the second of them; without, no piece leans.
    """
    near, far = leaning if leaning is not None else NO_LEANING
    rows_near, travel, who, initially_intersecting, containers, contained, _, *borne = looked_at(
        index, piece, skip, sink, band, near, far
    )
    return Contacts(
        float(travel) if who >= 0 else None,
        int(rows_near[who]) if who >= 0 else None,
        tuple(rows_near[initially_intersecting].tolist()),
        tuple(rows_near[containers].tolist()),
        tuple(rows_near[contained].tolist()),
        bearing_of(*borne),
    )


NO_LEANING = (0.0, -1.0)


def contact_points(index: SceneIndex, piece: Piece, skip: int, band: float) -> Vec:
    """(n, 3) world points where ``piece`` would touch, all but row ``skip``: gaps from first contact up to ``band`` metres
    beyond it. None where it cuts something or stands inside of it."""
    points: Vec = looked_at(index, piece, skip, 0.0, band, *NO_LEANING)[6]
    return points


def looked_at(
    index: SceneIndex, piece: Piece, skip: int, sink: float, band: float, near: float, far: float
) -> tuple[Any, ...]:
    """What ``query_contacts_kernel`` returns."""
    pose = piece.pose
    found: tuple[Any, ...] = query_contacts_kernel(
        *index.with_moving_mesh(index.mesh_of(piece)),
        pose.linear,
        pose.origin,
        np.asarray(piece.direction, dtype=np.float64),
        skip,
        sink,
        band,
        near,
        far,
    )
    return found


class ManyContacts:
    """Looks at many pieces that stand in an index, side by side: threads may share it, the kernels run without the
    interpreter's lock.

    Good for as long as nothing of the index moves. What it gives for a piece is what ``query_contacts`` gives, bit for bit.
    """

    def __init__(self, index: SceneIndex, pieces: Sequence[Piece]) -> None:
        """``pieces``: one at least, each at the pose that is looked at, with the sink that it has there."""
        self.index = index
        meshes = [index.mesh_of(piece) for piece in pieces]
        different = {id(mesh): mesh for mesh in meshes}
        place = {key: n for n, key in enumerate(different)}
        self._which = np.array([place[id(mesh)] for mesh in meshes], np.int64)
        # Spans are held: what lies in the forest stays there for as long as it is asked.
        self._spans = [index.span(mesh) for mesh in different.values()]
        self._table: MeshTable = mesh_table([span.moving for span in self._spans])
        self._forest = index.forest
        # Said of each: for whole numbers a kernel would be compiled anew, which takes a quarter of a minute.
        self._linear = np.array([piece.pose.basis for piece in pieces], np.float64).reshape(-1, 3, 3)
        self._origin = np.array([piece.pose.position for piece in pieces], np.float64)
        self._direction = np.array([piece.direction for piece in pieces], np.float64)
        self._row = np.array([index.row.get(piece.key, -1) for piece in pieces], np.int64)
        self._sink = np.array([piece.sink for piece in pieces], np.float64)
        grid = len(pieces) >= GRID_FROM
        self._grid: PlanGrid = plan_grid(index.placed, len(index.keys)) if grid else no_grid()

    def of(self, begin: int, end: int, band: float, leaning: tuple[float, float]) -> list[Contacts]:
        """What the pieces from number ``begin`` up to ``end`` reach. ``band``, ``leaning``: as ``query_contacts`` takes them."""
        some = slice(begin, end)
        near, far = np.full(end - begin, leaning[0]), np.full(end - begin, leaning[1])
        bounds: tuple[Any, ...] = (self._sink[some], band, near, far)
        travel, first, noted, contacts, counts, touch, margin, grip = many_contacts_kernel(*self._asked(some), *bounds)
        rows: list[tuple[list[int], list[int], list[int], list[int]]] = [([], [], [], []) for _ in range(end - begin)]
        for piece, what, row in noted.tolist():
            rows[piece][what].append(row)
        found = []
        travels, firsts, margins, grips = travel.tolist(), first.tolist(), margin.tolist(), grip.tolist()
        for n, count in enumerate(counts.tolist()):
            met = firsts[n] >= 0
            cut, containers, contained, bearers = map(tuple, rows[n])
            bearing = None
            if count:
                bearing = Bearing(
                    contacts[n, :count], touch[n], bearers, margins[n], grips[n] if grips[n] >= 0.0 else None
                )
            found.append(
                Contacts(travels[n] if met else None, firsts[n] if met else None, cut, containers, contained, bearing)
            )
        return found

    def _asked(self, some: slice) -> tuple[Any, ...]:
        """What the kernels get of ``some`` of the pieces, and of all that stands."""
        columns = (self._which, self._linear, self._origin, self._direction, self._row)
        standing = (self._forest, self.index.placed, len(self.index.keys), self._grid, self._table)
        return (*standing, *(column[some] for column in columns))

    def cuts(self, begin: int, end: int) -> list[list[int]]:
        """The rows that each of the pieces from number ``begin`` up to ``end`` is in, or that are in it.

        Of what ``of`` gives only this, in a part of its time; what is flush with a piece on all sides is left out.
        """
        noted = many_cuts_kernel(*self._asked(slice(begin, end)))
        found: list[list[int]] = [[] for _ in range(end - begin)]
        for piece, what, row in noted.tolist():
            if what != CONTAINED or contained_rows(self.index, int(self._row[begin + piece]), (row,)):
                found[piece].append(row)
        return found


@nested_kernel
def near_contacts_kernel(query, pairs):
    """What ``first_contact_kernel`` and ``embedded_kernel`` give, from all ``pairs`` near contact: no walk of its own.

    Returns the travel (inf where none of the pairs is met), who is met, who is cut, whether it is met from within, and
    who is gone through with corners or edges just in the surface.
    """
    mover, facing = query.mover, query.facing
    count = query.rows.shape[0]
    outer, inner = np.inf, np.inf
    who, who_inner = np.int64(-1), np.int64(-1)
    initially_intersecting = np.zeros(count, np.bool_)
    embedded = np.zeros(count, np.bool_)
    s = np.empty((3, 3))
    t = np.empty((3, 3))
    out = np.empty((POLYGON_ROOM, 4))
    work = np.empty((POLYGON_ROOM, 3))
    for pair in range(pairs.shape[0]):
        i = np.int64(pairs[pair, 2])
        triangle_in_frame(query.forest, pairs[pair, 1], query.matrix, query.offset, i, s)
        mover_triangle(mover, pairs[pair, 0], t)
        corners = overlap_polygon(t, s, FLUSH_WIDTH, out, work)
        if corners == 0:
            continue
        g0, g1 = out[0, 3], out[0, 3]
        for c in range(1, corners):
            g0, g1 = min(g0, out[c, 3]), max(g1, out[c, 3])
        pressing = not back_to_back(t, s, mover.facing, facing[i])
        in_plane = not pressing and same_side(t, s, mover.facing, facing[i])
        if g0 >= -CONTACT_EPSILON - EMBEDDED_LIFT:
            embedded[i] = embedded[i] or (in_plane and g1 <= CONTACT_EPSILON - EMBEDDED_LIFT)
        elif g1 > CONTACT_EPSILON - EMBEDDED_LIFT and facing[i] * double_area(s) >= 0.0:
            embedded[i] = True
        if g0 < -CONTACT_EPSILON:
            initially_intersecting[i] = initially_intersecting[i] or g1 > CONTACT_EPSILON
        elif g1 <= CONTACT_EPSILON and not pressing:
            initially_intersecting[i] = initially_intersecting[i] or in_plane
        elif g0 > CONTACT_EPSILON and not pressing:
            if g0 < inner:
                inner, who_inner = g0, i
        elif g0 < outer:
            outer, who = g0, i
    # What is met from within is believed only when nothing is met from without at the same travel.
    within = inner < outer - CONTACT_EPSILON
    return min(inner, outer), who_inner if within else who, initially_intersecting, within, embedded


@kernel
def query_contacts_kernel(forest, placed, count, moving, linear, origin, direction, skip, sink, band, near, far):
    """As ``query_contacts``, with rows as they are in the query."""
    mover = mover_kernel(forest, moving, linear, frame_kernel(direction))
    query = column_query_kernel(forest, placed, count, mover, origin, skip, 0.0)
    return contacts_of_query_kernel(
        query, placed, count, moving, linear, origin, direction, skip, sink, band, near, far
    )


@nested_kernel
def over_plan_kernel(forest, placed, count, grid, mover, origin, direction, skip):
    """As ``column_query_kernel``; rows are found by the grid where there is one and the column is plumb."""
    frame, lo, hi = mover.frame, mover.lo[0], mover.hi[0]
    if grid.across[0] == 0 or direction[0] != 0.0 or direction[2] != 0.0:
        rows = near_kernel(placed, count, frame, origin, lo, hi, skip)
    else:
        x0 = x1 = origin[0]
        z0 = z1 = origin[2]
        for c in range(2):
            x0 += min(frame[c, 0] * lo[c], frame[c, 0] * hi[c])
            x1 += max(frame[c, 0] * lo[c], frame[c, 0] * hi[c])
            z0 += min(frame[c, 2] * lo[c], frame[c, 2] * hi[c])
            z1 += max(frame[c, 2] * lo[c], frame[c, 2] * hi[c])
        # Rounding must not lose what just touches the column.
        x, z = 1e-9 * (1.0 + abs(x0) + abs(x1)), 1e-9 * (1.0 + abs(z0) + abs(z1))
        candidates = rows_over_kernel(grid, placed, x0 - x, x1 + x, z0 - z, z1 + z)
        rows = near_among_kernel(placed, candidates, frame, origin, lo, hi, skip)
    matrix, offset, facing = transforms_kernel(placed, rows, frame, origin)
    return query_kernel(forest, placed, mover, rows, matrix, offset, facing)


@nested_kernel
def note_rows(noted, n, piece, what, rows, chosen):
    """Write those of ``rows`` that are ``chosen`` behind the ``n`` that are noted; the list, longer if need be, and its length."""
    if n + rows.shape[0] > noted.shape[0]:
        longer = np.empty((2 * (n + rows.shape[0]), 3), np.int64)
        for i in range(n):
            for k in range(3):
                longer[i, k] = noted[i, k]
        noted = longer
    for i in range(rows.shape[0]):
        if chosen[i]:
            noted[n, 0], noted[n, 1], noted[n, 2] = piece, what, rows[i]
            n += 1
    return noted, n


@kernel
def many_contacts_kernel(
    forest, placed, count, grid, table, which, linear, origin, direction, skip, sink, band, near, far
):
    """As ``query_contacts`` of n pieces, ``which`` (n,) their meshes in the table.

    Returns (n,) travels, (n,) rows met first or -1, (m, 3) piece, what and row of each that is noted, (n, k, 3) contacts and
    (n,) how many, (n, 3) touches, (n,) margins and grips.
    """
    pieces = which.shape[0]
    travels, firsts = np.empty(pieces), np.full(pieces, -1)
    noted, n = np.empty((4 * pieces, 3), np.int64), np.int64(0)
    contacts, counts = np.zeros((pieces, MOST_CONTACTS, 3)), np.zeros(pieces, np.int64)
    touches, margins, grips = np.zeros((pieces, 3)), np.zeros(pieces), np.full(pieces, -1.0)
    for j in range(pieces):
        moving = mesh_at(table, which[j])
        mover = mover_kernel(forest, moving, linear[j], frame_kernel(direction[j]))
        query = over_plan_kernel(forest, placed, count, grid, mover, origin[j], direction[j], skip[j])
        rows, travel, who, cut, containers, contained, _, points, touch, bearers, margin, grip = (
            contacts_of_query_kernel(
                query,
                placed,
                count,
                moving,
                linear[j],
                origin[j],
                direction[j],
                skip[j],
                sink[j],
                band,
                near[j],
                far[j],
            )
        )
        travels[j] = travel
        if who >= 0:
            firsts[j] = rows[who]
        noted, n = note_rows(noted, n, j, CUT, rows, cut)
        noted, n = note_rows(noted, n, j, CONTAINER, rows, containers)
        noted, n = note_rows(noted, n, j, CONTAINED, rows, contained)
        noted, n = note_rows(noted, n, j, BEARER, bearers, np.ones(bearers.shape[0], np.bool_))
        counts[j], margins[j], grips[j] = points.shape[0], margin, grip
        for k in range(3):
            touches[j, k] = touch[k]
            for i in range(points.shape[0]):
                contacts[j, i, k] = points[i, k]
    return travels, firsts, noted[:n].copy(), contacts, counts, touches, margins, grips


@kernel
def many_cuts_kernel(forest, placed, count, grid, table, which, linear, origin, direction, skip):
    """(m, 3) piece, what and row, of each row that one of n pieces cuts, stands in, or whose box stands in its own."""
    noted, n = np.empty((4 * which.shape[0], 3), np.int64), np.int64(0)
    for j in range(which.shape[0]):
        moving = mesh_at(table, which[j])
        mover = mover_kernel(forest, moving, linear[j], frame_kernel(direction[j]))
        query = over_plan_kernel(forest, placed, count, grid, mover, origin[j], direction[j], skip[j])
        _, _, cut, _ = first_contact_kernel(query, np.full(query.rows.shape[0], FLUSH_WIDTH), 0.0, ALL_CUTS)
        lo, hi, probes = outline_kernel(moving, linear[j], origin[j])
        containers, contained = containers_kernel(forest, placed, query.rows, cut, skip[j], lo, hi, probes)
        noted, n = note_rows(noted, n, j, CUT, query.rows, cut)
        noted, n = note_rows(noted, n, j, CONTAINER, query.rows, containers)
        noted, n = note_rows(noted, n, j, CONTAINED, query.rows, contained)
    return noted[:n].copy()


@nested_kernel
def contacts_of_query_kernel(query, placed, count, moving, linear, origin, direction, skip, sink, band, near, far):
    """As ``query_contacts``, of a query of everything in the column of the piece."""
    forest, mover = query.forest, query.mover
    others = query.rows
    # Most pieces stand: the pairs of triangles near contact then say all. Only what is afloat asks what lies beyond.
    high = sink + band
    pairs = blocking_pairs(query, -EMBEDDED_LIFT - CONTACT_EPSILON, high, ALL_PAIRS)
    travel, who, initially_intersecting, within, embedded = near_contacts_kernel(query, pairs)
    if travel > high:
        ignored_width = np.full(others.shape[0], FLUSH_WIDTH)
        travel, who, initially_intersecting, within = near_contact_kernel(query, ignored_width, CLOSE)
    touched = who >= 0 and travel <= CONTACT_EPSILON
    if touched:
        initially_intersecting |= embedded
    flush_kernel(query, placed, -1 if within else who, touched, initially_intersecting)
    lo, hi, probes = outline_kernel(moving, linear, origin)
    containers, contained = containers_kernel(forest, placed, others, initially_intersecting, skip, lo, hi, probes)
    points = np.empty((0, 3))
    rows = np.empty(0, np.int64)
    centre = centre_of(moving, linear, origin)
    hidden = any_of(containers) or any_of(contained)
    if who >= 0 and not hidden and not any_of(initially_intersecting):
        low = travel - CONTACT_EPSILON
        if travel > sink:
            high = travel + band
            pairs = blocking_pairs(query, low, high, ALL_PAIRS)
        found, whose = contact_region_kernel(query, pairs, low, high)
        rows = others[whose]
        points = out_of_frame_kernel(found, mover.frame, origin)
    if travel - sink <= far:
        contacts, touch, bearers, margin, grip = bearing_or_leaning_kernel(
            forest, placed, count, mover, origin, direction, skip, points, rows, centre, near, far
        )
    else:
        contacts, touch, bearers, margin, _, _ = bearing_kernel(points, rows, centre)
        grip = -1.0
    return (
        others,
        travel,
        who,
        initially_intersecting,
        containers,
        contained,
        points,
        contacts,
        touch,
        bearers,
        margin,
        grip,
    )
