"""The fit of one piece: gap, depth, support and balance, on the true triangles."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from threading import Lock
from typing import Literal, get_args

import numpy as np

from brickseat_core.contact.bearing import UPWARD, Bearing, bearing_among
from brickseat_core.contact.contacts import Contacts, query_contacts
from brickseat_core.contact.depth import Cut, contained_rows, hidden_cut, penetration
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.lengths import in_words
from brickseat_core.scene import Piece, Triple, Vec
from brickseat_core.tolerances import BALANCE_TOLERANCE, CONTACT_BAND_SHARE, CONTACT_EPSILON, SEATED_TOLERANCE

State = Literal["clashing", "sunk", "unborne", "floating", "tippy", "seated", "unchecked"]
STATES: tuple[State, ...] = get_args(State)
"""In the order in which one of several faults is shown first."""


@dataclass(frozen=True)
class Clash:
    """Interpenetration with one neighbour: metres, and a point and parting normal in the world.

    ``upward``: how much the normal points against the piece's direction, 1 for a plain sinking.
    """

    other: str
    depth: float
    point: Triple
    normal: Triple
    upward: float


@dataclass(frozen=True)
class Fit:
    """The measured verdict on one piece. Keys, not names, for ``key``, ``rests_on`` and ``Clash.other``.

    ``grip``: the least friction that holds a piece which leans, None for one that stands without. ``deeper``: how deep it is
    in others is not measured yet; it is deeper than ``depth`` and its clashes say, and of the rest only what it would rest on is known.
    """

    key: str
    state: State
    faults: tuple[State, ...]
    gap: float | None
    depth: float
    rests_on: tuple[str, ...]
    clashes: tuple[Clash, ...]
    contacts: tuple[Triple, ...]
    touch: Triple | None
    balance_margin: float | None
    tilt_deg: float
    reason: str
    grip: float | None = None
    deeper: bool = False


def triple(v: Vec) -> Triple:
    """Three plain floats of a (3,) vector, as records keep them."""
    return (float(v[0]), float(v[1]), float(v[2]))


def clash_of(index: SceneIndex, cut: Cut, direction: Vec) -> Clash:
    """The clash that a row of the index's cuts is. ``direction``: (3,) unit, in which the piece is seated."""
    upward = float(cut.normal @ -direction)
    return Clash(index.keys[cut.row] or "", cut.depth, triple(cut.point), triple(cut.normal), upward)


class Depths:
    """How deep pairs of pieces are in each other: what two props do to each other is measured once, for both of them.

    Good for as long as nothing of the set moves. Threads may share it: who asks for a pair that another one is
    measuring waits for it. ``limit``: metres; what is deeper is given as infinitely deep, which takes a third of the time.
    """

    def __init__(self, index: SceneIndex, limit: float = math.inf) -> None:
        self.index = index
        self.limit = limit
        self._found: dict[tuple[str, str], Cut] = {}
        self._asked: dict[tuple[str, str], Lock] = {}

    def cut(self, piece: Piece, row: int) -> Cut:
        """As ``penetration``, of a piece that need not stand where it does in the index."""
        other = self.index.pieces[self.index.keys[row] or ""]
        # Always measured from the same side, so that it does not matter which of the two is asked about.
        one, two = sorted((piece, other), key=lambda p: (len(self.index.mesh_of(p).faces), p.key))
        alike = piece.role == other.role and piece.direction == other.direction
        if not alike or self.index.pieces.get(piece.key) != piece:
            return penetration(self.index, piece, row, limit=self.limit)
        pair = (one.key, two.key)
        with self._asked.setdefault(pair, Lock()):
            if pair not in self._found:
                self._found[pair] = penetration(self.index, one, self.index.row[two.key], limit=self.limit)
        cut = self._found[pair]
        return cut if one is piece else Cut(row, cut.depth, -cut.normal, cut.point)


def cuts_of(depths: Depths, piece: Piece, row: int, found: Contacts) -> list[Cut]:
    """Every piece that ``piece`` interpenetrates: those whose surface it cuts, and those that contain it."""
    hidden = found.containers + contained_rows(depths.index, row, found.contained)
    return [depths.cut(piece, r) for r in found.initially_intersecting] + [
        hidden_cut(depths.index, piece, row, r, depths.limit) for r in hidden
    ]


def cuts_of_bedded(
    depths: Depths, piece: Piece, raised: Piece, row: int, found: Contacts
) -> tuple[list[Cut], list[int]]:
    """As ``cuts_of``, of a piece that is meant to be embedded, and what it reaches where it is ``raised`` by its sink; and the rows in which
    it is only there: they stand on it, or over it.

    Raising takes away what the piece is meant to be embedded; what it is not in where it is drawn, it is not in at all. So the lesser
    of the two depths counts.
    """
    index, kept, above = depths.index, list[Cut](), list[int]()
    hidden = found.containers + contained_rows(index, row, found.contained)
    for r in (*found.initially_intersecting, *hidden):
        drawn = hidden_cut(index, piece, row, r, depths.limit) if r in hidden else depths.cut(piece, r)
        if drawn.depth <= CONTACT_EPSILON:
            above.append(r)
            continue
        # Only what is less is asked for: to find that it is not takes a third of the time.
        limit = min(depths.limit, drawn.depth)
        cut = hidden_cut(index, raised, row, r, limit) if r in hidden else penetration(index, raised, r, limit=limit)
        kept.append(cut if cut.depth < drawn.depth else drawn)
    return kept, above


def measure_fit(
    index: SceneIndex, piece: Piece, tolerance: float = SEATED_TOLERANCE, depths: Depths | None = None
) -> Fit:
    """The fit of one piece that stands in ``index``. ``tolerance`` in metres. ``depths``: those measured already."""
    raised = raised_by_sink(piece)
    band, leaning = bands(tolerance)
    row = index.row.get(piece.key, -1)
    found = query_contacts(index, raised, row, piece.sink, band, leaning)
    return judged_fit(index, piece, raised, found, tolerance, depths)


def stands_alone(piece: Piece, found: Contacts, tolerance: float) -> bool:
    """Whether one look shows that a piece has no fault and leans on nothing: it touches, is in nothing, and is in balance."""
    if cuts_something(found) or found.travel is None or found.travel - piece.sink > tolerance:
        return False
    plumb = abs(piece.direction[1]) > UPWARD
    return not plumb or (
        found.bearing is not None and found.bearing.margin >= -BALANCE_TOLERANCE and found.bearing.grip is None
    )


def raised_by_sink(piece: Piece) -> Piece:
    """The piece against its direction by what it is bedded: there it only touches."""
    return piece.at(piece.pose.moved(-piece.sink * np.asarray(piece.direction))) if piece.sink else piece


def bands(tolerance: float) -> tuple[float, tuple[float, float]]:
    """Metres from first contact within which contacts count, and those within which a piece out of balance leans."""
    band = CONTACT_BAND_SHARE * tolerance
    return band, (band, tolerance)


def cuts_something(found: Contacts) -> bool:
    """Whether a piece is in another one, or may be: more has to be measured then."""
    return bool(found.initially_intersecting or found.containers or found.contained)


def judged_fit(
    index: SceneIndex, piece: Piece, raised: Piece, found: Contacts, tolerance: float, depths: Depths | None = None
) -> Fit:
    """The fit of a piece that stands in ``index``, out of what is ``found`` where it is ``raised`` by its sink."""
    row = index.row.get(piece.key, -1)
    direction = np.asarray(piece.direction)
    borne = found.bearing
    cuts: list[Cut] = []
    if cuts_something(found):
        depths = depths or Depths(index)
        cuts, above = (
            cuts_of_bedded(depths, piece, raised, row, found)
            if piece.sink
            else (cuts_of(depths, raised, row, found), [])
        )
        among = index
        if above:
            among = index.fork()
            for r in above:
                among.remove(index.keys[r] or "")
            band, leaning = bands(tolerance)
            found = query_contacts(among, raised, row, piece.sink, band, leaning)
        if deep := tuple(c.row for c in cuts if c.depth == math.inf):
            return deep_fit(index, piece, deep, found.first, tolerance)
        borne = borne_among_cuts(among, raised, row, found, cuts, tolerance) if cuts else found.bearing

    bearing_cuts = [c for c in cuts if float(c.normal @ -direction) > UPWARD]
    beside = [c for c in cuts if float(c.normal @ -direction) <= UPWARD and c.depth > tolerance]
    sunk = [c for c in bearing_cuts if c.depth > tolerance]
    gap = 0.0 if bearing_cuts else None if found.travel is None else max(0.0, found.travel - piece.sink)

    touching = gap is not None and gap <= tolerance
    held = piece.key in index.held
    margin = borne.margin if borne is not None and abs(direction[1]) > UPWARD and not held else None
    grip = borne.grip if borne is not None and not held else None

    faults: list[State] = []
    if beside:
        faults.append("clashing")
    if sunk:
        faults.append("sunk")
    if gap is None:
        faults.append("unborne")
    elif gap > tolerance + piece.stand_off:
        faults.append("floating")
    if touching and margin is not None and margin < -BALANCE_TOLERANCE and grip is None:
        faults.append("tippy")

    rests_on = tuple(index.keys[r] or "" for r in borne.rows) if borne is not None else ()
    clashes = tuple(clash_of(index, c, direction) for c in sorted([*beside, *sunk], key=lambda c: -c.depth))
    fit = Fit(
        key=piece.key,
        state=faults[0] if faults else "seated",
        faults=tuple(faults),
        gap=gap,
        depth=max((c.depth for c in cuts), default=0.0),
        rests_on=rests_on,
        clashes=clashes,
        contacts=tuple((x, y, z) for x, y, z in borne.contacts.tolist()) if touching and borne is not None else (),
        touch=triple(borne.touch) if borne is not None else None,
        balance_margin=margin,
        tilt_deg=tilt_of(piece),
        reason="",
        grip=grip,
    )
    embedded = piece.sink if found.travel is None else max(0.0, piece.sink - found.travel)
    return replace(fit, reason=reason_of(fit, piece, index.pieces, embedded))


def deep_fit(index: SceneIndex, piece: Piece, rows: tuple[int, ...], on: int | None, tolerance: float) -> Fit:
    """The fit of a piece that is deeper than the tolerance in those of ``rows``, and nobody knows how deep. ``on``: the row
    that it would touch first, if any."""
    cuts = [Cut(row, tolerance, -np.asarray(piece.direction), piece.pose.origin) for row in rows]
    clashes = tuple(replace(clash_of(index, cut, np.asarray(piece.direction)), upward=0.0) for cut in cuts)
    others = " and ".join(index.pieces[clash.other].name for clash in clashes[:2])
    return Fit(
        key=piece.key,
        state="clashing",
        faults=("clashing",),
        gap=None,
        depth=tolerance,
        rests_on=() if on is None else (index.keys[on] or "",),
        clashes=clashes,
        contacts=(),
        touch=None,
        balance_margin=None,
        tilt_deg=tilt_of(piece),
        reason=f"more than {in_words(tolerance)} into {others}; how deep is being measured",
        deeper=True,
    )


def tilt_of(piece: Piece) -> float:
    """Degrees from upright to where its own upward axis points."""
    up = piece.pose.linear[:, 1]
    return math.degrees(math.acos(min(1.0, max(-1.0, up[1] / math.hypot(*up)))))


def borne_among_cuts(
    index: SceneIndex, raised: Piece, row: int, found: Contacts, cuts: list[Cut], tolerance: float
) -> Bearing | None:
    """What bears a piece that interpenetrates others: what it sinks into, else what it lies on."""
    direction = np.asarray(raised.direction)
    band, leaning = bands(tolerance)
    sunk = [c for c in cuts if float(c.normal @ -direction) > UPWARD]
    if sunk:
        low, high = -max(c.depth for c in sunk) - CONTACT_EPSILON, raised.sink + band
        return bearing_among(index, raised, row, tuple(c.row for c in sunk), (), low, high, leaning)
    if found.travel is None:
        return None
    # A grazed neighbour bears nothing, unless it is also what is touched first.
    grazed = tuple(c.row for c in cuts if c.row != found.first)
    low, high = found.travel - CONTACT_EPSILON, max(found.travel, raised.sink) + band
    touching = found.travel - raised.sink <= tolerance
    return bearing_among(index, raised, row, (), grazed, low, high, leaning if touching else None)


def reason_of(fit: Fit, piece: Piece, pieces: Mapping[str, Piece], embedded: float) -> str:
    """The verdict in words, every fault of it. ``embedded``: metres that it is in what bears it, of those that it is meant to be.

    Only what was measured is stated: a wanted sink or stand-off that is not there is not.
    """
    on = " and ".join(pieces[k].name for k in fit.rests_on[:2])
    if fit.faults:
        return "; ".join(fault_words(fault, fit, piece, on, pieces) for fault in fit.faults)
    if embedded > CONTACT_EPSILON:
        wanted = f", {in_words(piece.sink)} wanted" if piece.sink - embedded > SEATED_TOLERANCE else ""
        return f"bedded {in_words(embedded)} in {on}{wanted}"
    if piece.stand_off and (fit.gap or 0.0) > CONTACT_EPSILON:
        wanted = (
            f", {in_words(piece.stand_off)} wanted" if piece.stand_off - (fit.gap or 0.0) > SEATED_TOLERANCE else ""
        )
        return f"kept {in_words(fit.gap or 0.0)} off {on}{wanted}"
    if fit.grip is not None:
        return f"leans on {on}, held by a grip of {fit.grip:.2f} or more"
    return f"sits on {on}"


def fault_words(fault: State, fit: Fit, piece: Piece, on: str, pieces: Mapping[str, Piece]) -> str:
    """One fault in words for people. ``on``: the name of what the piece should rest on."""
    gap = fit.gap or 0.0
    if fault == "unborne":
        return "nothing in its direction to rest on"
    if fault == "floating" and piece.stand_off:
        return f"{in_words(gap)} off {on}, {in_words(piece.stand_off)} wanted"
    if fault == "floating":
        return f"{in_words(gap)} above {on}"
    if fault == "tippy":
        outside = in_words(-(fit.balance_margin or 0.0))
        return f"touches {on}, but its weight is {outside} outside what bears it"
    sinks = [c for c in fit.clashes if (c.upward > UPWARD) == (fault == "sunk")]
    worst = (sinks or fit.clashes)[0]
    return f"{'sunk ' if fault == 'sunk' else ''}{in_words(worst.depth)} into {pieces[worst.other].name}"
