"""Fill: what a recipe says, stacked in its bay. Every piece touches exactly, is in balance, and lies wholly inside.

The grid proposes the cheapest places of the prop whose turn it is; the first that holds is taken. A place that fails stays closed until
something beside it changes: nothing is repaired.
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np

from brickseat_core.admission.reasons import Reason, how_many
from brickseat_core.admission.withdrawing import withdrawn
from brickseat_core.contact.contacts import query_contacts
from brickseat_core.fit.measuring import bands
from brickseat_core.proposals.fill.bay import bay_of
from brickseat_core.proposals.fill.fields import Field, Taste, cheapest
from brickseat_core.proposals.fill.room import WALLS, Body, Room
from brickseat_core.proposals.fill.rows import fullest_rows, places_on_floor, radius_of
from brickseat_core.proposals.fill.seating import LIFT, Failed, Stand, can_be_carried_in, seated, turned_a_little
from brickseat_core.proposals.fill.shapes import Shape, bases_of_rule, box_at, is_boxy, shapes_of, sizes_of
from brickseat_core.proposals.fill.spans import SLACK
from brickseat_core.proposals.proposer import Proposer
from brickseat_core.recipes.chance import chances, channel
from brickseat_core.recipes.fill_schema import MOST_PLACED, FillRecipe
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.scene import Piece, Pose, Vec
from brickseat_core.tolerances import CONTACT_EPSILON

Key = tuple[int, int]
"""A prop of the recipe and one of its sizes, by their numbers."""
BOX_CELLS, ROUND_CELLS = 6.0, 11.0
"""Cells along the least plan extent of a box, and of anything else."""
COARSER = 1.25
MOST_PLACES, MOST_LOOKS = 1_200_000, 1.2e8
"""Places of all shapes together, and looks at a cell that they take at first: beyond them the grid gets coarser."""
MOST_COARSENINGS = 40
FINEST = 5e-4
"""Metres of the finest grid."""
SQUARE_DEG = 1e-9
"""Degrees by which a right angle may be off by rounding."""
FITS = 1e-6
"""Metres by which what is to stand in a bay may be larger than it by rounding."""
AT_A_TIME = 10
MOST_FAILED = 40
"""Places that are tried for a prop before it waits for the next round."""
MOST_RESTS = 4
MOST_BARREN = 6
"""Rounds that add nothing, after which no more are tried: what fails stays closed, so that each looks at other places."""
MOST_ROUNDS = 400
MOST_ASKEW, ASKEW_TRIES = 9.0, 3
"""Degrees that a piece is turned out of its row at most, half of it when that finds no room, and so on."""
VOID, TOUCH, MOST_TOUCH, LEFT, MOST_NOISE = 1.0, 0.35, 1.5, 0.003, 0.6
"""Against a mean height: room lost below a piece, sides that touch something and at most, the left end, and chance at its roughest."""
MIDDLE_CELLS = 1.6
"""Cells within which what stands below is set over in the middle."""
SUNKEN = 0.25
"""Share of its height by which a piece that does not nest may stand lower than the place it was given."""


@dataclass(frozen=True)
class Filled:
    """``pieces``: what was placed, by number. ``wanted``: how many were, None for as many as go in. ``left``: how many of them were not
    placed, by the reason that is in the way of most. ``density``: share of the bay that their meshes take."""

    pieces: Mapping[int, Piece]
    wanted: int | None
    left: Mapping[Reason, int]
    density: float

    def in_words(self) -> str:
        """How many were placed, and why not more."""
        return f"{how_many('placed', self.pieces, self.wanted, self.left)}, {100.0 * self.density:.0f} % of the bay"


def lift_of(headroom: float) -> float:
    """Metres by which a piece begins above its place, where it has so much ``headroom``."""
    return min(LIFT, 0.5 * max(0.0, headroom - 2.0 * SLACK))


@dataclass
class Filling(Proposer[FillRecipe]):
    """A recipe being placed. The budget is shown each piece that is placed; when it has enough, what was placed by then is kept."""

    _placed: dict[int, Piece] = field(default_factory=dict)
    _fields: dict[Key, list[Field]] = field(default_factory=dict)
    _waiting: set[int] = field(default_factory=set)
    _failed: dict[int, Counter[Failed]] = field(default_factory=dict)
    _tried: dict[int, int] = field(default_factory=dict)
    _bodies: list[Body] = field(default_factory=list)
    _levels: dict[str, int] = field(default_factory=dict)
    _middles: dict[tuple[int, int], list[tuple[Vec, float]]] = field(default_factory=dict)

    def run(self) -> Filled:
        """Place it. Raises BadRecipe, and GivenUp where the budget says so."""
        recipe = self.recipe
        if recipe.bay not in self.places.dressed.regions:
            raise BadRecipe(f"bay: there is no region {recipe.bay!r} on the set; mark one out")
        shape = self.places.volume(recipe.bay, "bay")
        index = self.places.index
        self._bay = bay_of(shape.mesh, shape.pose, index, recipe.square_to == "bay")
        self._bases = [bases_of_rule(p.mesh, r, recipe.seed) for p, r in zip(self.props, recipe.props, strict=True)]
        self._sizes = [sizes_of(rule) for rule in recipe.props]
        h, self._shapes = self._grid()
        self._check_budget()
        self._room = Room(index, self._bay, h, self._check_budget)
        self._check_budget()
        self._room.leave_free(self._bay.front, recipe.front_room_m)
        heights = [s.hi[1] - s.lo[1] for some in self._shapes.values() for s in some]
        self._unit = float(np.mean(heights)) if heights else 1.0
        self._taste = self._taste_of()
        self._out = set(recipe.exceptions.taken_out)
        self._counts: Counter[int] = Counter()
        self._number = 0
        try:
            self._stand()
            self._stand_in_rows()
            self._rounds()
        finally:
            index.remove(WALLS)
        refused = self._prove()
        left = Counter(self._left())
        left.update(refused)
        return Filled(self._placed, self._wanted, dict(left), self._density())

    def _prove(self) -> Counter[Reason]:
        """Check all that was placed as it stands in the end, and take out what is not right with what stood on it; how many, by reason."""
        index, kept = self.places.index, {piece.key for piece in self.kept.values()}
        number_of = {piece.key: number for number, piece in self._placed.items() if piece.key not in kept}
        gone = withdrawn(index, number_of, self.tolerance, self._check_budget)
        for key in gone:
            del self._placed[number_of[key]]
        return Counter("tips" if fit.faults == ("tippy",) else "no_room" for fit in gone.values())

    def _grid(self) -> tuple[float, dict[Key, list[Shape]]]:
        """The size of a cell, and the shapes of each prop in each of its sizes on such a grid."""
        extent = np.ptp(self._bay.solid.vertices @ self._bay.turn, axis=0)
        h = math.inf
        for number, (prop, bases) in enumerate(zip(self.props, self._bases, strict=True)):
            for basis in bases:
                lo, hi = box_at(prop.mesh, basis)
                plan = (hi - lo)[[0, 2]]
                cells = BOX_CELLS if is_boxy(prop.mesh, basis) else ROUND_CELLS
                h = min(h, self._sizes[number][0] * float(plan.min()) / cells)
        h = max(FINEST, min(h, float(extent[[0, 2]].max())))
        open_ = extent + FITS
        for _ in range(MOST_COARSENINGS):
            # The fewest that there may be: only so many shapes are made as there is room for.
            if float(extent[0] / h) * float(extent[2] / h) > MOST_PLACES:
                h *= COARSER
                continue
            shapes = {
                (number, k): shapes_of(prop.mesh, number, bases, size, h, open_, self.budget)
                for number, (prop, bases) in enumerate(zip(self.props, self._bases, strict=True))
                for k, size in enumerate(self._sizes[number])
            }
            sizes = [s.raster.bottom.shape for some in shapes.values() for s in some]
            places = [max(0.0, extent[0] / h - wx) * max(0.0, extent[2] / h - wz) for wx, wz in sizes]
            looks = sum(many * wx * wz for many, (wx, wz) in zip(places, sizes, strict=True))
            if sum(places) <= MOST_PLACES and looks <= MOST_LOOKS:
                return h, shapes
            h *= COARSER
            self.budget.check()
        raise BadRecipe("bay: is too large for what it is to be filled with; mark out a smaller one")

    def _taste_of(self) -> Taste:
        """What makes a place dear: mostly a matter of the seed, so that several seeds are several ways to stack."""
        recipe = self.recipe
        back = 0.08 if recipe.first_row == "back" else -0.08
        number = np.zeros(1, np.int64)
        # The first of all is neat: plain rows that lose as much room below as they must.
        void = VOID if recipe.seed == 1 else VOID * 4.0 ** (2.0 * float(chances(number, recipe.seed, "void")[0]) - 1.0)
        touch = TOUCH if recipe.seed == 1 else MOST_TOUCH * float(chances(number, recipe.seed, "touch")[0])
        return Taste(void, touch, back, LEFT, MOST_NOISE * recipe.rough, np.uint64(channel(recipe.seed, "place")))

    @property
    def _wanted(self) -> int | None:
        """How many are wanted: by the recipe, or by all of its props; None for as many as go in."""
        if self.recipe.count is not None:
            return self.recipe.count
        counts = [rule.count for rule in self.recipe.props]
        return sum(count or 0 for count in counts) if all(count is not None for count in counts) else None

    def _stand(self) -> None:
        """Put what stands already: pieces that were kept, or moved by hand."""
        index = self._room.index
        index.put_all(self.kept.values())
        band, leaning = bands(self.tolerance)
        for piece in sorted(self.kept.values(), key=lambda p: (float(index.box_of(p)[0][1]), p.key)):
            with self._room.without_walls():
                found = query_contacts(index, piece, index.row[piece.key], 0.0, band, leaning)
            self._note_level(piece, found.bearing.rows if found.bearing is not None else ())
        for number, piece in sorted(self.kept.items()):
            # Where several rules name one prop, those that still lack some of it come first.
            kinds = sorted((k for k, prop in enumerate(self.props) if prop == piece.prop), key=self._is_full)
            kind = kinds[0] if kinds else None
            self._placed[number] = piece
            if kind is not None:
                self._counts[kind] += 1
            self._take_room(piece, None)

    def _rounds(self) -> None:
        """Go on for as long as a round adds anything."""
        barren = 0
        for _ in range(MOST_ROUNDS):
            before = len(self._placed)
            self._waiting = {k for k in range(len(self.props)) if self._is_full(k)}
            self._failed, self._tried = {}, {}
            self._round()
            barren = barren + 1 if len(self._placed) == before else 0
            nothing_left = not any(self._tried.values())
            if len(self._placed) >= self._most or barren == MOST_BARREN or nothing_left or self.budget.enough():
                return

    def _stand_in_rows(self) -> None:
        """Round pieces of one kind, neat and as full as it goes: in the rows that hold most, and one on the other over them."""
        recipe = self.recipe
        if len(self.props) > 1 or len(self._sizes[0]) > 1 or recipe.rough > 0.0 or self._wanted is not None:
            return
        fields = self._fields_of((0, 0))
        radius = radius_of(self.props[0].mesh, fields[0].shape) if len(fields) == 1 else None
        if radius is None:
            return
        room, shape, field = self._room, fields[0].shape, fields[0]
        front = self._bay.front[[0, 2]]
        away = front if recipe.first_row == "back" else -front
        lo = room.lo[[0, 2]] + recipe.front_room_m * np.maximum(-front, 0.0)
        hi = room.hi[[0, 2]] - recipe.front_room_m * np.maximum(front, 0.0)
        corners = fullest_rows(places_on_floor(field), lo, hi, room.lo[[0, 2]], radius, room.h, away)
        floor = float(field.height.min(initial=np.inf)) + shape.lo[1]
        high = float(shape.hi[1] - shape.lo[1])
        stacks = [np.array([x, floor, z]) for x, z in corners]
        for _ in range(recipe.most_stacked or MOST_PLACED):
            higher = []
            for corner in stacks:
                if self.budget.enough():
                    return
                self.budget.check(len(self._placed), 0)
                top = self._stand_at(shape, corner, lift_of(float(room.hi[1]) - float(corner[1]) - high))
                if top is not None:
                    higher.append(np.array([corner[0], top, corner[2]]))
            if not higher:
                return
            stacks = higher

    def _stand_at(self, shape: Shape, corner: Vec, lift: float) -> float | None:
        """Place the next piece with its least corner at ``corner`` (3,) of the frame; the height of its top, None where it cannot stand there."""
        self._number += 1
        while self._number in self._placed:
            self._number += 1
        found = self._exact(shape, corner, lift, [], self._number, False)
        if isinstance(found, Stand) and self._is_carried_in(found):
            stands = float((self._bay.turn.T @ found.piece.pose.origin)[1] + shape.lo[1])
            if self.recipe.props[shape.prop].nest or stands > corner[1] - SUNKEN * float(shape.hi[1] - shape.lo[1]):
                self._settle_in(found, shape, shape.prop, self._number)
                return stands + float(shape.hi[1] - shape.lo[1])
        self._number -= 1
        return None

    def _is_carried_in(self, stand: Stand) -> bool:
        """Whether a hand can bring a piece to where it stands, if that is wanted."""
        return not self.recipe.by_hand or can_be_carried_in(self._room, stand.piece)

    @property
    def _most(self) -> int:
        return min(MOST_PLACED, self.recipe.count if self.recipe.count is not None else MOST_PLACED)

    def _is_full(self, kind: int) -> bool:
        """Whether there are as many of a prop as are wanted of it."""
        count = self.recipe.props[kind].count
        return count is not None and self._counts[kind] >= count

    def _round(self) -> None:
        """Place one after the other, until every prop waits."""
        for _ in range(MOST_PLACED + len(self.props)):
            if len(self._placed) >= self._most or self.budget.enough():
                return
            kind = self._next()
            if kind is None:
                return
            self._check_budget()
            self._number += 1
            while self._number in self._placed:
                self._number += 1
            if not self._add(kind, self._number):
                self._number -= 1
                self._waiting.add(kind)
            elif self._is_full(kind):
                self._waiting.add(kind)

    def _next(self) -> int | None:
        """The prop of which most is missing by its share; None where all wait."""
        rules = self.recipe.props
        open_ = [k for k in range(len(rules)) if k not in self._waiting]
        if not open_:
            return None
        shares = [rule.share if rule.count is None else float(rule.count) for rule in rules]
        total, placed = sum(shares), sum(self._counts.values()) + 1
        return max(open_, key=lambda k: (shares[k] / total * placed - self._counts[k], -k))

    def _chance(self, number: int, what: str) -> float:
        return float(chances(np.array([number]), self.recipe.seed, what)[0])

    def _turned(self, kind: int, fields: list[Field], number: int) -> list[list[Field]]:
        """Fields in the order in which they are tried: where a prop may be turned otherwise than square, those of a turn by chance first."""
        step = self.recipe.props[kind].turn_step_deg
        if (
            len(fields) < 2
            or step == 0.0
            or (math.isclose(math.remainder(90.0, step), 0.0, abs_tol=1e-9) and step >= 90.0)
        ):
            return [fields]
        if math.isclose(math.remainder(step, 90.0), 0.0, abs_tol=1e-9):
            return [fields]
        drawn = min(len(fields) - 1, int(self._chance(number, "turn") * len(fields)))
        return [[fields[drawn]], [field for n, field in enumerate(fields) if n != drawn]]

    def _add(self, kind: int, number: int) -> bool:
        """Place one of a prop, in a size by chance or in the next smaller one that finds room."""
        sizes = len(self._sizes[kind])
        drawn = min(sizes - 1, int(self._chance(number, "size") * sizes))
        self._failed[kind] = Counter()
        self._tried[kind], self._rests = 0, MOST_RESTS
        for k in range(drawn, -1, -1):
            for fields in self._turned(kind, self._fields_of((kind, k)), number):
                if self._add_to(fields, kind, number):
                    return True
        if not self._tried[kind]:
            self._failed[kind][Failed.NO_ROOM] += 1
        return False

    def _add_to(self, fields: list[Field], kind: int, number: int) -> bool:
        """As ``_add``, in one size and at the places of some ``fields``."""
        for _ in range(MOST_FAILED // AT_A_TIME if fields else 0):
            proposed = cheapest(fields, AT_A_TIME, self._check_budget)
            for place in proposed:
                self._check_budget()
                found = self._try(*place, number, self._rests > 0)
                if isinstance(found, Stand) and self._is_sunken(found.piece, *place):
                    found = Failed.NO_ROOM
                if isinstance(found, Stand) and not self._is_carried_in(found):
                    found = Failed.OUT_OF_REACH
                if isinstance(found, Stand):
                    self._settle_in(found, place[0].shape, kind, number)
                    return True
                self._rests -= found is Failed.TIPS
                self._failed[kind][found] += 1
                place[0].close(*place[1:])
                self._tried[kind] += 1
            if len(proposed) < AT_A_TIME:
                break
        return False

    def _check_budget(self) -> None:
        """Raises GivenUp where the budget says so."""
        self.budget.check(len(self._placed), self._wanted or 0)

    def _fields_of(self, key: Key) -> list[Field]:
        """The fields of a prop in one size; made when they are asked for first, of all that stands then."""
        if key not in self._fields:
            made: list[Field] = []
            for shape in self._shapes[key]:
                columns = self._room.columns(shape)
                number = channel(*key, len(made))
                toward = self._bay.front[[0, 2]].copy()
                made.append(Field(shape, columns, number, self._taste, self._unit, toward, self._check_budget))
                if not self.recipe.props[key[0]].nest:
                    # The columns know hollows: what stands already is written in without them.
                    for body in self._bodies:
                        made[-1].add(body.as_for(shape, False))
            self._fields[key] = made
        return self._fields[key]

    def _try(self, place: Field, i: int, j: int, number: int, rests: bool) -> Stand | Failed:
        """Bring a shape exactly to where a field proposes it."""
        room, shape = self._room, place.shape
        x0, z0, h = room.grid
        lo = np.array([x0 + i * h, float(place.height[i, j]) + shape.lo[1], z0 + j * h])
        lift = lift_of(float(place.headroom[i, j]))
        back, left = -self._bay.front, np.array([-self._bay.front[2], 0.0, self._bay.front[0]])
        neat = self._chance(number, "neat") >= 0.5 * self.recipe.rough
        if shape.boxy:
            found: Stand | Failed = Failed.NO_ROOM
            for x, z, snapped_x, snapped_z in room.snapping.places(lo, shape.hi - shape.lo, 1.02 * h)[:3]:
                free = [d for d in (back, left) if not (snapped_x if abs(d[0]) > 0.5 else snapped_z)]
                found = self._exact(shape, np.array([x, lo[1], z]), lift, free, number, rests)
                if isinstance(found, Stand):
                    return found
            return found
        middle = self._middle_below(lo + 0.5 * (shape.hi - shape.lo), float(lo[1]))
        if middle is not None and neat:
            centred = lo.copy()
            centred[[0, 2]] = middle - 0.5 * (shape.hi - shape.lo)[[0, 2]]
            found = self._exact(shape, centred, lift, [], number, rests)
            if isinstance(found, Stand):
                return found
        return self._exact(shape, lo, lift, [back, left] if neat else [], number, rests)

    def _is_sunken(self, piece: Piece, place: Field, i: int, j: int) -> bool:
        """Whether a piece that may not stand in a hollow went down into one."""
        if self.recipe.props[place.shape.prop].nest or place.shape.boxy:
            return False
        height = float(place.shape.hi[1] - place.shape.lo[1])
        stands = float((self._bay.turn.T @ piece.pose.origin)[1])
        return stands < float(place.height[i, j]) - SUNKEN * height

    def _middle_below(self, middle: Vec, foot: float) -> Vec | None:
        """(2,) along x and z, the middle of what is not a box and stands nearest below, within a cell or so."""
        best, least = None, MIDDLE_CELLS * self._room.h
        i, j = self._cell_of(middle)
        around = range(-math.ceil(MIDDLE_CELLS), math.ceil(MIDDLE_CELLS) + 1)
        for at, bottom in (m for a in around for b in around for m in self._middles.get((i + a, j + b), ())):
            away = math.hypot(at[0] - middle[0], at[2] - middle[2])
            if away < least and bottom < foot:
                best, least = at[[0, 2]], away
        return best

    def _cell_of(self, at: Vec) -> tuple[int, int]:
        """The cell of the grid that a point (3,) of the frame is in."""
        x0, z0, h = self._room.grid
        return math.floor((at[0] - x0) / h), math.floor((at[2] - z0) / h)

    def _exact(
        self, shape: Shape, corner: Vec, lift: float, pushes: list[Vec], number: int, rests: bool
    ) -> Stand | Failed:
        """A piece with its least corner at ``corner`` (3,) of the frame, brought into exact contact."""
        turn = self._bay.turn
        at = corner - shape.lo
        at[1] += lift
        piece = self.piece_of(number, self.props[shape.prop], Pose.of(turn @ shape.basis, turn @ at))
        may_rest = rests and not shape.boxy
        return seated(self._room, piece, shape, [turn @ d for d in pushes], self.tolerance, may_rest)

    def _settle_in(self, stand: Stand, shape: Shape, kind: int, number: int) -> None:
        """Keep a piece where it stands, a little askew where the recipe is rough, and pass it on to who watches."""
        turn = (2.0 * self._chance(number, "askew") - 1.0) * MOST_ASKEW * self.recipe.rough
        for _ in range(ASKEW_TRIES if turn else 0):
            askew = turned_a_little(self._room, stand.piece, shape, turn, self.tolerance)
            if askew is not None:
                stand = askew
                break
            turn *= 0.5
        piece = stand.piece
        self._note_level(piece, stand.rows)
        if number in self._out:
            self._room.keep_free(piece)
        else:
            self._placed[number] = piece
            self._counts[kind] += 1
            self._room.index.put(piece)
            self.budget.on_part(piece)
        straight = np.array_equal(self._bay.turn @ shape.basis, piece.pose.linear)
        self._take_room(piece, shape if straight else None)

    def _note_level(self, piece: Piece, rows: Iterable[int]) -> None:
        """On how many others ``piece`` stands, itself counted. ``rows``: what bears it; what is only leaned on does not count."""
        index = self._room.index
        foot = float(index.box_of(piece)[0][1]) - CONTACT_EPSILON
        below = [index.keys[row] or "" for row in rows if index.placed.lo[row, 1] < foot]
        self._levels[piece.key] = 1 + max((self._levels.get(key, 0) for key in below), default=0)

    def _take_room(self, piece: Piece, shape: Shape | None) -> None:
        """Write what a piece takes into the cells, and into the fields."""
        body = self._room.body_of(piece, shape)
        if self.recipe.most_stacked is not None and self._levels.get(piece.key, 1) >= self.recipe.most_stacked:
            body = body.up_to_the_ceiling()
        self._room.take(body)
        self._bodies.append(body)
        if shape is not None and not shape.boxy:
            corner = self._bay.turn.T @ piece.pose.origin
            middle = corner + 0.5 * (shape.lo + shape.hi)
            self._middles.setdefault(self._cell_of(middle), []).append((middle, float(corner[1] + shape.lo[1])))
        for (kind, _), fields in self._fields.items():
            self._check_budget()
            for each in fields:
                each.add(body.as_for(each.shape, self.recipe.props[kind].nest))

    def _left(self) -> dict[Reason, int]:
        """How many of those that are wanted were not placed, by what is in the way of most of them."""
        if self._wanted is None:
            return {}
        left: Counter[Reason] = Counter()
        short = self._wanted - len(self._placed)
        kinds = [k for k in range(len(self.props)) if not self._is_full(k)]
        for kind in kinds:
            rule = self.recipe.props[kind]
            mine = short if rule.count is None else min(short, rule.count - self._counts[kind])
            if mine <= 0:
                continue
            failed = self._failed.get(kind) or Counter([Failed.NO_ROOM])
            left[failed.most_common(1)[0][0].reason] += mine
            short -= mine
        return dict(left)

    def _density(self) -> float:
        """Share of the bay that the meshes take."""
        bay = abs(self._bay.solid.mass[0])
        taken = sum(abs(p.prop.mesh.mass[0] * float(np.linalg.det(p.pose.linear))) for p in self._placed.values())
        return taken / bay if bay else 0.0
