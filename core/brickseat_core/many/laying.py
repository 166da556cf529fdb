"""Scatter: what a recipe says, laid. Every piece touches exactly, is in balance, and is in nobody's way; or it is not laid.

Candidates are taken in the order of their keys and decided on one after the other, by what lies already and by nothing that
comes later: so more of them never move one that lies.
"""

import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.bearing import UPWARD
from brickseat_core.contact.clash import contained_rows
from brickseat_core.contact.contact_query import Contacts, ManyContacts
from brickseat_core.contact.mesh_table import mesh_table
from brickseat_core.executing import OpenPool
from brickseat_core.fit.check import MANY, Looked, Looks, check, side_by_side
from brickseat_core.fit.measuring import bands, cuts_something, raised_by_sink
from brickseat_core.many.elbow import with_elbow_room
from brickseat_core.many.places import A_FEW, MORE_THAN_WANTED, Places, surfaces_of
from brickseat_core.many.pool import Candidates, Pool
from brickseat_core.many.recipe import MOST_LAID, ScatterRecipe
from brickseat_core.many.seating import CHUNK, FOOTPRINT, Seated, Seats, Wanted, ground_normals_kernel, seats_of
from brickseat_core.many.seating_apart import seats_apart
from brickseat_core.many.shaping import bases_of, kinds_of, leaned_ups
from brickseat_core.many.volumes import Volumes
from brickseat_core.many.weights import Weight, clear_weight, gather_weight
from brickseat_core.placing.pointing import FLOOR_SLOPE
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Triple, Vec
from brickseat_core.tolerances import BALANCE_TOLERANCE

Each = Callable[..., Iterator[Any]]
"""A ``map``, over threads or not."""
Reason = Literal["no_room", "no_fit", "tips", "kept_out", "unsettled"]
IN_WORDS: dict[Reason, str] = {
    "no_room": "found no room",
    "no_fit": "did not fit the ground",
    "tips": "would tip",
    "kept_out": "reached into a keep-out",
    "unsettled": "did not come to lie",
}
CROWD_WIDTHS = 0.5
CROWDED = 0.5
"""Neighbours within so many widths of each, from which pieces are a crowd."""
STANDING = ""
"""In the place of a key: something that stood before."""
POOLED_FROM = 2000
"""Copies that are seated on a cluster rather than here: for fewer the ground takes longer to be sent there."""
MOST_ROUNDS = 60
MOST_TRIED = 4
"""Candidates tried at most, over those that are wanted."""
FEWEST_TRIED = 200


@dataclass(frozen=True)
class Laid:
    """``pieces``: what was laid, by number. ``wanted``: how many were. ``left``: why others were not."""

    pieces: Mapping[int, Piece]
    wanted: int
    left: Mapping[Reason, int]

    def in_words(self) -> str:
        """How many were laid, and why not more."""
        why = [f"{count} {IN_WORDS[reason]}" for reason, count in self.left.items()]
        short = self.wanted - len(self.pieces)
        return (
            f"laid {len(self.pieces)}"
            + (f" of {self.wanted}" if short > 0 else "")
            + (f" ({', '.join(why)})" if why else "")
        )


@dataclass
class Scatter:
    """A recipe being laid in ``places``, whose index is a fork that is its own. ``props``: of its rules, in their order.

    ``key_of``, ``name_of``: of the piece of a number, the second with the prop that it is a copy of. ``kept``: pieces that
    were changed by hand, by number, or are spiked: they stand as they are. ``pool``: a cluster that seats a share of many.
    """

    places: Places
    recipe: ScatterRecipe
    props: list[Prop]
    recipe_key: str
    key_of: Callable[[int], str]
    name_of: Callable[[Prop, int], str]
    tolerance: float
    budget: Budget = UNLIMITED
    kept: Mapping[int, Piece] = field(default_factory=dict)
    pool: OpenPool | None = None
    left: Counter[Reason] = field(default_factory=Counter)
    _laid: dict[int, Piece] = field(default_factory=dict)
    _held: dict[int, Piece] = field(default_factory=dict)
    _roomed: list[tuple[Vec, Vec]] = field(default_factory=list)
    _sitting: set[str] = field(default_factory=set)
    _full: int = 0

    def run(self) -> Laid:
        """Lay it. Raises BadRecipe, and GivenUp where the budget says so."""
        recipe, index = self.recipe, self.places.index
        surfaces = surfaces_of(self.places, recipe)
        pool = Pool(surfaces, self.budget)
        self._rows = np.array(sorted({index.row[s.piece.key] for s in surfaces}), np.int64)
        self._surface_row = np.array([index.row[s.piece.key] for s in surfaces], np.int64)
        self._surface_keys = {s.piece.key for s in surfaces}
        self._volumes = volumes_of(self.places, recipe)
        self._spans = [index.span(prop.mesh) for prop in self.props]
        self._table = mesh_table([span.moving for span in self._spans])
        self._taken_out = set(recipe.exceptions.taken_out)
        self._early = frozenset(k for k, r in enumerate(recipe.props) if r.gather_m is None and r.clear_m is None)
        self._nudge()
        # What lies round others, or gives way to them, comes when they lie.
        groups = [self._early, *(frozenset([k]) for k in range(len(self.props)) if k not in self._early)]
        parts = self._parts_of(groups)
        wanted = self._lay(pool, groups[0], parts[0])
        for group, part in zip(groups[1:], parts[1:], strict=True):
            (kind,) = group
            further = surfaces_of(self.places, recipe, self._beside_others(kind))
            wanted += self._lay(Pool(further, self.budget), group, part)
        for piece in [p for number, p in self._held.items() if number not in self._laid]:
            index.remove(piece.key)
        left = {reason: count for reason in IN_WORDS if (count := self.left[reason])}
        return Laid(self._laid, wanted, left if len(self._held) < wanted or recipe.count is None else {})

    def _parts_of(self, groups: list[frozenset[int]]) -> list[int] | list[None]:
        """How many of the count each group of props gets by its shares, together just as many; None where there is no count."""
        if self.recipe.count is None:
            return [None] * len(groups)
        ends = np.cumsum([sum(self.recipe.props[kind].share for kind in group) for group in groups])
        upto = np.round(self.recipe.count * ends / ends[-1]).astype(np.int64)
        return [int(part) for part in np.diff(upto, prepend=0)]

    def _lay(self, pool: Pool, kinds: frozenset[int], count: int | None) -> int:
        """Lay the props of ``kinds``: ``count`` of them, or as many as their density says; how many that are."""
        shares = [rule.share for rule in self.recipe.props]
        some = len(kinds) < len(shares)
        share = sum(shares[kind] for kind in kinds) / sum(shares)
        everything = None
        if self.recipe.density_per_m2 is not None:
            everything = self._of_kinds(pool.denser(self.recipe.density_per_m2, MOST_LAID), kinds)
        wanted = count if count is not None else len(everything.key) if everything is not None else 0
        numbers = np.array(list(self._held), np.int64)
        before = int(np.isin(kinds_of(numbers, self.recipe.props, self.recipe.seed), list(kinds)).sum())
        self._full = len(self._held) - before + wanted
        done = 0
        for _ in range(MOST_ROUNDS):
            short = self._full - len(self._held)
            if short <= 0 or done > MOST_TRIED * wanted / share + FEWEST_TRIED:
                break
            upto = done + math.ceil(MORE_THAN_WANTED * short / share) + A_FEW
            candidates = everything.some(slice(upto)) if everything is not None else pool.first(upto)
            fresh = candidates.some(slice(done, None))
            done = len(candidates.key)
            if not len(fresh.key):
                break
            self._round(self._of_kinds(fresh, kinds) if some else fresh)
        return wanted

    def _of_kinds(self, candidates: Candidates, kinds: frozenset[int]) -> Candidates:
        """Those that one of the props of ``kinds`` lies on."""
        return candidates.some(np.isin(kinds_of(candidates.number, self.recipe.props, self.recipe.seed), list(kinds)))

    def _beside_others(self, kind: int) -> tuple[Weight, ...]:
        """How one of the later props lies round those that lie already, or keeps off them."""
        rule = self.recipe.props[kind]
        boxes = [self.places.index.box_of(piece) for piece in self._held.values()]
        feet = np.array([[0.5 * (lo[0] + hi[0]), lo[1], 0.5 * (lo[2] + hi[2])] for lo, hi in boxes]).reshape(-1, 3)
        half = np.array([0.25 * (hi[0] - lo[0] + hi[2] - lo[2]) for lo, hi in boxes])
        found = []
        if rule.gather_m is not None:
            found.append(gather_weight(feet, half, rule.gather_m))
        if rule.clear_m is not None:
            found.append(clear_weight(feet, half, rule.clear_m, rule.clear_fade_m))
        return tuple(found)

    def _nudge(self) -> None:
        """Put what was moved by hand first: it stays where it is, and has its room."""
        numbers = np.array(sorted({*self.recipe.exceptions.nudged, *self.kept}), np.int64)
        if not len(numbers):
            return
        kinds = kinds_of(numbers, self.recipe.props, self.recipe.seed)
        for number, kind in zip(numbers.tolist(), kinds.tolist(), strict=True):
            rule, piece = self.recipe.props[kind], self.kept.get(number)
            if piece is None:
                nudged = self.recipe.exceptions.nudged[number]
                plumb = bases_of(np.array([number]), np.array([[0.0, 1.0, 0.0]]), rule, self.recipe.seed)[0]
                basis = plumb if nudged.basis is None else np.array(nudged.basis).reshape(3, 3)
                piece = self._piece(number, kind, Pose.of(basis, np.array(nudged.position)), DOWN, rule.sink_m)
            self._held[number] = piece
            if number not in self._taken_out:
                self._laid[number] = piece
            self.places.index.put(piece)
            lo, hi = self.places.index.box_of(piece)
            foot = np.array([0.5 * (lo[0] + hi[0]), lo[1], 0.5 * (lo[2] + hi[2])])
            self._roomed.append((foot[None], np.array([rule.elbow_room_m])))

    def _piece(self, number: int, kind: int, pose: Pose, direction: Triple, sink: float) -> Piece:
        prop = self.props[kind]
        return Piece(
            self.key_of(number),
            self.name_of(prop, number),
            prop,
            pose,
            "prop",
            direction,
            sink,
            self.recipe.props[kind].stand_off_m,
            recipe=self.recipe_key,
            number=number,
        )

    def _round(self, candidates: Candidates) -> None:
        """Decide on candidates, in their order, until as many as are wanted have their room."""
        known = np.array([int(n) not in self._held for n in candidates.number], np.bool_)
        candidates = candidates.some(known)
        kinds = kinds_of(candidates.number, self.recipe.props, self.recipe.seed)
        if self.recipe.no_overlap == "elbow":
            roomy = self._with_elbow_room(candidates, kinds)
            self.left["no_room"] += int((~roomy).sum())
            candidates, kinds = candidates.some(roomy), kinds[roomy]
        total = len(candidates.key)
        with side_by_side(total) as each:
            seats, wanted_seats = self._seats(candidates, kinds, each)
            seated = []
            for n in np.flatnonzero(seats.ended == Seated.SITS).tolist():
                direction = wanted_seats.direction[n]
                depth = seats.sink[n] - self.recipe.props[kinds[n]].stand_off_m
                pose = Pose.of(wanted_seats.linear[n], seats.origin[n] + depth * direction)
                x, y, z = direction.tolist()
                seated.append(
                    self._piece(int(candidates.number[n]), int(kinds[n]), pose, (x, y, z), float(seats.sink[n]))
                )
            by_number = {p.number: p for p in seated}
            allowed = dict(zip(by_number, self._volumes.allow(seated, each), strict=True))
            standing = [p for p in seated if allowed[p.number]]
            cuts = self._cuts(standing, each) if self.recipe.no_overlap != "none" else {}
        self._choose(candidates, seats, by_number, allowed, cuts)

    def _with_elbow_room(self, candidates: Candidates, kinds: NDArray[np.int64]) -> NDArray[np.bool_]:
        radius = np.array([rule.elbow_room_m for rule in self.recipe.props])[kinds]
        before = np.concatenate([np.zeros((0, 3)), *(at for at, _ in self._roomed)])
        before_radius = np.concatenate([np.zeros(0), *(r for _, r in self._roomed)])
        found = with_elbow_room(candidates.at, radius, before, before_radius, self.recipe.facing != "surface")
        found &= self._clear_of_standing(candidates.at, radius)
        self._roomed.append((candidates.at[found], radius[found]))
        return found

    def _clear_of_standing(self, at: Vec, radius: Vec) -> NDArray[np.bool_]:
        """(n,) whether circles about points (n, 3) keep off the boxes of the props that stand already."""
        own = {p.key for p in self._held.values()}
        index = self.places.index
        rows = [
            index.row[p.key]
            for p in index.pieces.values()
            if p.role == "prop" and p.key not in own and p.key not in self._surface_keys
        ]
        clear = np.ones(len(at), np.bool_)
        for lo, hi in zip(index.placed.lo[rows], index.placed.hi[rows], strict=True):
            aside = np.maximum(np.maximum(lo - at, at - hi), 0.0)
            clear &= (np.hypot(aside[:, 0], aside[:, 2]) >= radius) | (aside[:, 1] >= radius)
        return clear

    def _seats(self, candidates: Candidates, kinds: NDArray[np.int64], each: Each) -> tuple[Seats, Wanted]:
        """The seats of candidates, and what was asked for."""
        recipe, index, n = self.recipe, self.places.index, len(candidates.key)
        linear = np.zeros((n, 3, 3))
        direction = seating_directions(candidates.normal)
        for kind, rule in enumerate(recipe.props):
            mine = np.flatnonzero(kinds == kind)
            if not len(mine):
                continue
            normal = np.ascontiguousarray(candidates.normal[mine])
            if rule.lean > 0.0:
                lo, hi = self.props[kind].mesh.box
                radius = FOOTPRINT * 0.5 * float(np.hypot(*(hi - lo)[[0, 2]])) * 0.5 * sum(rule.size)
                rows = self._surface_row[candidates.surface[mine]]
                normal = ground_normals_kernel(
                    index.forest,
                    index.placed,
                    rows,
                    np.ascontiguousarray(candidates.at[mine]),
                    normal,
                    np.full(len(mine), max(radius, 1e-6)),
                )
            linear[mine] = bases_of(candidates.number[mine], leaned_ups(normal, rule.lean), rule, recipe.seed)
        rules = recipe.props
        wanted = Wanted(
            kinds,
            linear,
            np.ascontiguousarray(candidates.at),
            direction,
            np.array([rule.sink_m for rule in rules])[kinds],
            np.array([rule.auto_bed for rule in rules])[kinds],
            (np.abs(direction[:, 1]) > FLOOR_SLOPE)
            & (np.array([rule.stand_off_m for rule in rules])[kinds] == 0.0)
            & (recipe.throw_m is None),
        )
        band, _ = bands(self.tolerance)
        if self.pool is not None and n >= POOLED_FROM:
            return seats_apart(index, self._rows, self._table, wanted, band, self.pool, self._check_budget), wanted
        parts = []

        def seated(begin: int) -> Seats:
            return seats_of(index, self._rows, self._table, wanted, band, begin)

        for part in each(seated, range(0, n, CHUNK)):
            parts.append(part)
            self._check_budget()
        if not parts:
            return Seats(np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.int64)), wanted
        return Seats._make(map(np.concatenate, zip(*parts, strict=True))), wanted

    def _cuts(self, fresh: list[Piece], each: Each) -> dict[str, set[str]]:
        """By key, what each of ``fresh`` is in; and what bedded piece of those that stand is in one of them.

        What is in something that stands already is not looked at any further; the others are put on the set. Where they are
        no crowd, they are measured at once, and those that sit are noted.
        """
        index = self.places.index
        first = self._looked(fresh, each) if len(index.pieces) > len(self._surface_keys) else {}
        free = [piece for piece in fresh if not first.get(piece.key)]
        if not free:
            return first
        index.put_all(free)
        # A bedded piece is measured raised by its sink: what comes beside it may be in its way only there.
        own = {p.key for p in free}
        rows = [index.row[p.key] for p in free]
        boxes = np.stack([index.placed.lo[rows], index.placed.hi[rows]], axis=1)
        bedded = {key for key, p in index.pieces.items() if p.sink and key not in own}
        near = [index.pieces[k] for k in index.props_reaching(boxes, 1e-3) if k in bedded] if bedded else []
        second = self._looked([*free, *near], each) if is_crowd(boxes) else self._measured([*free, *near], each)
        return {**first, **{key: keys if key in own else keys & own for key, keys in second.items()}}

    def _looked(self, pieces: list[Piece], each: Each) -> dict[str, set[str]]:
        """By key, the keys of what each of ``pieces`` is in, or what is in it."""
        index = self.places.index
        if not pieces:
            return {}
        many = ManyContacts(index, [raised_by_sink(piece) for piece in pieces])
        found: dict[str, set[str]] = {}

        def looked(begin: int) -> list[list[int]]:
            return many.cuts(begin, min(begin + MANY, len(pieces)))

        for some in each(looked, range(0, len(pieces), MANY)):
            for rows in some:
                found[pieces[len(found)].key] = {index.keys[r] or "" for r in rows}
            self._check_budget()
        return found

    def _measured(self, pieces: list[Piece], each: Each) -> dict[str, set[str]]:
        """As ``_looked``; which of them sit is noted besides."""
        index = self.places.index
        looks = Looks(index, pieces, self.tolerance)
        found: dict[str, set[str]] = {}
        some: list[Looked]
        for some in each(looks.of, range(0, len(pieces), MANY)):
            for piece, _, contacts in some:
                rows = (*contacts.initially_intersecting, *contacts.containers)
                rows = (*rows, *contained_rows(index, index.row[piece.key], contacts.contained))
                found[piece.key] = {index.keys[r] or "" for r in rows}
                if sits(piece, contacts, self.tolerance):
                    self._sitting.add(piece.key)
            self._check_budget()
        return found

    def _check_budget(self) -> None:
        """Raises GivenUp where the budget says so."""
        self.budget.check(len(self._held), max(self.recipe.count or 0, len(self._held)))

    def _choose(
        self,
        candidates: Candidates,
        seats: Seats,
        seated: Mapping[int | None, Piece],
        allowed: Mapping[int | None, bool],
        cuts: Mapping[str, set[str]],
    ) -> None:
        """Give room to one after the other; what is in the way of an earlier one is not laid."""
        index = self.places.index
        against = self._against(cuts, {p.key for n, p in seated.items() if allowed[n]})
        ended = seats.ended.tolist()
        chosen: list[Piece] = []
        taken: set[str] = set()
        for place, n in enumerate(candidates.number.tolist()):
            full = len(self._held) + len(chosen) >= self._full
            piece = seated.get(n)
            if piece is None:
                if not full:
                    self.left["no_fit" if ended[place] == Seated.NO_FIT else "tips"] += 1
                continue
            in_the_way = against.get(piece.key, set())
            if full or not allowed[n] or ((STANDING in in_the_way or in_the_way & taken) and n not in self._taken_out):
                if not full:
                    self.left["no_room" if allowed[n] else "kept_out"] += 1
                if piece.key in index.row:
                    index.remove(piece.key)
                continue
            chosen.append(piece)
            taken.add(piece.key)
        index.put_all(p for p in chosen if p.key not in index.row)
        self._keep(chosen)

    def _keep(self, chosen: list[Piece]) -> None:
        """Lay what is chosen, all of it measured once more as it stands now: what is not in order is not laid."""
        index = self.places.index
        laid = [p.key for p in chosen if p.number not in self._taken_out]
        asked = [key for key in laid if key not in self._sitting] if self.recipe.no_overlap != "none" else []
        fits = check(index, self.tolerance, asked)
        for piece in chosen:
            number = piece.number or 0
            fit = fits.get(piece.key)
            # What is thrown does not stay as it is here: it only has to be free.
            if fit is not None and set(fit.faults) - ({"tippy"} if self.recipe.throw_m is not None else set()):
                self.left["tips" if "tippy" in fit.faults else "no_room"] += 1
                index.remove(piece.key)
                continue
            self._held[number] = piece
            if number not in self._taken_out:
                self._laid[number] = piece
        self._check_budget()

    @staticmethod
    def _against(cuts: Mapping[str, set[str]], fresh: set[str]) -> dict[str, set[str]]:
        """By key of a fresh piece, the fresh ones that it cannot stand with, and ``STANDING`` where something stood before."""
        found: dict[str, set[str]] = {key: set() for key in fresh}
        for key, others in cuts.items():
            for other in others:
                for one, two in ((key, other), (other, key)):
                    if one in fresh:
                        found[one].add(two if two in fresh else STANDING)
        return found


def volumes_of(places: Places, recipe: ScatterRecipe) -> Volumes:
    """What a recipe keeps its pieces out of, and in. Raises BadRecipe."""
    return Volumes(
        [places.volume(name, "keep_out") for name in recipe.keep_out],
        [places.volume(name, "only_inside") for name in recipe.only_inside],
    )


def sits(piece: Piece, found: Contacts, tolerance: float) -> bool:
    """Whether a piece is known to be in order by what it reaches alone: it touches, is in nothing, and is in balance."""
    if cuts_something(found) or piece.stand_off or found.travel is None or found.travel - piece.sink > tolerance:
        return False
    plumb = abs(piece.direction[1]) > UPWARD
    return not plumb or (found.bearing is not None and found.bearing.margin >= -BALANCE_TOLERANCE)


def is_crowd(boxes: Vec) -> bool:
    """Whether so many of ``boxes`` (n, 2, 3) stand where others do that most are not laid: then only this is looked at first."""
    middles = 0.5 * (boxes[:, 0] + boxes[:, 1])
    width = float(np.median((boxes[:, 1] - boxes[:, 0]).max(axis=1)))
    tree = cKDTree(middles)
    close = int(tree.count_neighbors(tree, CROWD_WIDTHS * width)) - len(boxes)
    return close > CROWDED * len(boxes)


def seating_directions(normals: Vec) -> Vec:
    """(n, 3) in which direction pieces are seated on surfaces of unit ``normals`` (n, 3): down, up, or into the wall."""
    found = -normals + 0.0
    found[normals[:, 1] >= FLOOR_SLOPE] = (0.0, -1.0, 0.0)
    found[normals[:, 1] <= -FLOOR_SLOPE] = (0.0, 1.0, 0.0)
    return np.asarray(found)
