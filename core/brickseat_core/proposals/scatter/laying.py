"""Scatter: what a recipe says, proposed. Every piece touches exactly, is in balance, and is in nobody's way; or it is not laid.

Candidates are offered to admission in the order of their keys, which does not depend on how many are wanted: so more of them never
move or remove one that lies.
"""

import math
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from brickseat_core.admission.admission import Admission, Candidate
from brickseat_core.admission.conflicts import Each
from brickseat_core.admission.reasons import IN_WORDS, Reason, how_many
from brickseat_core.contact.kernels.mesh_table import mesh_table
from brickseat_core.executing import OpenPool
from brickseat_core.fit.check import side_by_side
from brickseat_core.fit.measuring import bands
from brickseat_core.placing.pointing import FLOOR_SLOPE
from brickseat_core.proposals.proposer import Proposer
from brickseat_core.proposals.scatter.elbow import clear_of_boxes, clear_of_rooms
from brickseat_core.proposals.scatter.pool import Candidates, Pool
from brickseat_core.proposals.scatter.seating import (
    FOOTPRINT,
    Seated,
    Seats,
    Wanted,
    chunks_of,
    ground_normals_kernel,
    seats_of,
)
from brickseat_core.proposals.scatter.seating_apart import seats_apart
from brickseat_core.proposals.scatter.shaping import bases_of, kinds_of, leaned_ups
from brickseat_core.proposals.scatter.surfaces import A_FEW, MORE_THAN_WANTED, surfaces_of
from brickseat_core.proposals.scatter.weights import Weight, clear_weight, gather_weight
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import MOST_LAID, ScatterRecipe
from brickseat_core.recipes.volumes import Volumes
from brickseat_core.scene import Piece, Pose, Vec

POOLED_FROM = 2000
"""Copies that are seated on a cluster rather than here: for fewer the ground takes longer to be sent there."""
PIECES_AT_A_TIME = 500
"""Pieces that are made before it is asked whether it goes on."""
MOST_ROUNDS = 60
MOST_TRIED = 4
"""Candidates tried at most, over those that are wanted."""
FEWEST_TRIED = 200
FIRST_TURN, TURN_GROWTH = 2, 0.25
"""Pieces for each prop of a recipe in the first turn, and share of all before that is laid in each further one, where some lie round others."""
MOST_TURNS = 200
LEAST_MORE = 2
"""Candidates looked at in a round, over those that are wanted, however few these are."""


@dataclass(frozen=True)
class Laid:
    """``pieces``: what was laid, by number. ``wanted``: how many were. ``left``: why others were not."""

    pieces: Mapping[int, Piece]
    wanted: int
    left: Mapping[Reason, int]

    def in_words(self) -> str:
        """How many were laid, and why not more."""
        return how_many("laid", self.pieces, self.wanted, self.left)


@dataclass
class Scatter(Proposer[ScatterRecipe]):
    """A recipe being laid. ``pool``: a cluster that seats a share of many."""

    pool: OpenPool | None = None

    def __post_init__(self) -> None:
        recipe, index = self.recipe, self.places.index
        self.left: Counter[Reason] = Counter()
        self._laid: dict[int, Piece] = {}
        self._held: dict[int, Piece] = {}
        # What was refused once is not offered again: what was in its way only becomes more.
        self._refused: set[int] = set()
        self._surfaces = surfaces_of(self.places, recipe)
        self._rows = np.array(sorted({index.row[s.piece.key] for s in self._surfaces}), np.int64)
        self._surface_row = np.array([index.row[s.piece.key] for s in self._surfaces], np.int64)
        self._volumes = volumes_of(self.places, recipe)
        self._spans = [index.span(prop.mesh) for prop in self.props]
        self._table = mesh_table([span.moving for span in self._spans])
        self._chunk = chunks_of([len(prop.mesh.faces) for prop in self.props])
        self._taken_out = set(recipe.exceptions.taken_out)
        self._elbow = np.array([rule.elbow_room_m if recipe.no_overlap == "elbow" else 0.0 for rule in recipe.props])
        self._standing = self._rooms_of_others() if recipe.no_overlap == "elbow" else None
        self._admission = Admission(
            index,
            self.tolerance,
            self.budget,
            overlapping=recipe.no_overlap == "none",
            may_tip=recipe.throw_m is not None,
            in_plan=recipe.facing != "surface",
        )

    def run(self) -> Laid:
        """Lay it. Raises BadRecipe, and GivenUp where the budget says so."""
        self._nudge()
        # What lies round others, or gives way to them, comes when they lie.
        early = frozenset(k for k, r in enumerate(self.recipe.props) if r.gather_m is None and r.clear_m is None)
        groups = [early, *(frozenset([k]) for k in range(len(self.props)) if k not in early)]
        if self.recipe.count is None:
            wanted = sum(self._lay_all(group, n) for n, group in enumerate(groups))
        elif len(groups) == 1:
            wanted = self.recipe.count
            self._lay(Laying(Pool(self._surfaces, self.budget)), groups[0], wanted, wanted - len(self._held))
        else:
            wanted = self.recipe.count
            self._lay_in_turns(groups, wanted)
        short = wanted - len(self._held)
        if short <= 0 and self.recipe.count is not None:
            self.left.clear()
        left: dict[Reason, int] = {reason: count for reason in IN_WORDS if (count := self.left[reason])}
        return Laid(self._laid, wanted, left)

    def _lay_in_turns(self, groups: list[frozenset[int]], count: int) -> None:
        """Lay ``count`` pieces in turns, each turn some of every group by its share, those first that others lie round.

        How much a turn lays depends on what lay before it alone, so that a larger count only goes on.
        """
        share = [sum(self.recipe.props[kind].share for kind in group) for group in groups]
        upto = np.cumsum(share) / sum(share)
        first = Laying(Pool(self._surfaces, self.budget))
        end, before = 0, [0] * len(groups)
        for _ in range(MOST_TURNS):
            if end >= count:
                break
            end += max(FIRST_TURN * len(self.props), math.ceil(TURN_GROWTH * end))
            parts = np.diff(np.round(upto * end).astype(np.int64), prepend=0).tolist()
            for number, group in enumerate(groups):
                open_ = count - len(self._held)
                lacking = parts[number] - self._many_of(group)
                if open_ <= 0 or lacking <= 0:
                    continue
                laying = first if number == 0 else Laying(self._pool_round_others(group))
                # What an earlier turn found no room for is caught up with, but not at the price of trying it all again.
                self._lay(laying, group, parts[number] - before[number], min(lacking, open_))
            before = parts

    def _lay_all(self, group: frozenset[int], number: int) -> int:
        """Lay the props of a group as densely as the recipe says; how many that would be."""
        pool = Pool(self._surfaces, self.budget) if number == 0 else self._pool_round_others(group)
        density = self.recipe.density_per_m2 or 0.0
        found = pool.denser(density, MOST_LAID + 1)
        if len(found.key) > MOST_LAID:
            self.left["too_many"] += max(1, pool.expected(density) - MOST_LAID)
        everything = self._of_kinds(found.some(slice(MOST_LAID)), group)
        wanted = len(everything.key)
        self._lay(Laying(pool, everything), group, wanted, wanted - self._many_of(group))
        return wanted

    def _many_of(self, group: frozenset[int]) -> int:
        """How many of a group lie, or have their place kept."""
        numbers = np.array(list(self._held), np.int64)
        return int(np.isin(kinds_of(numbers, self.recipe.props, self.recipe.seed), list(group)).sum())

    def _lay(self, laying: "Laying", kinds: frozenset[int], wanted: int, most: int) -> None:
        """Lay the props of ``kinds``: as many candidates are tried as ``wanted`` pieces are worth, until ``most`` of them lie."""
        some = len(kinds) < len(self.props)
        shares = [rule.share for rule in self.recipe.props]
        share = sum(shares[kind] for kind in kinds) / sum(shares) if some else 1.0
        full, tried = len(self._held) + most, laying.given
        for _ in range(MOST_ROUNDS):
            short = full - len(self._held)
            if short <= 0 or laying.given - tried > MOST_TRIED * wanted / share + FEWEST_TRIED:
                return
            wanted_now = math.ceil((MORE_THAN_WANTED * short + min(A_FEW, LEAST_MORE + short // 4)) / share)
            fresh = laying.next(wanted_now, self._held.keys() | self._refused)
            if not len(fresh.key):
                if self.recipe.count is not None:
                    self.left["no_ground"] += short
                return
            self._round(self._of_kinds(fresh, kinds) if some else fresh, short)

    def _of_kinds(self, candidates: Candidates, kinds: frozenset[int]) -> Candidates:
        """Those that one of the props of ``kinds`` lies on."""
        if len(kinds) == len(self.props):
            return candidates
        return candidates.some(np.isin(kinds_of(candidates.number, self.recipe.props, self.recipe.seed), list(kinds)))

    def _pool_round_others(self, group: frozenset[int]) -> Pool:
        """The pool of one of the later props: round those that lie already, or off them."""
        (kind,) = group
        rule = self.recipe.props[kind]
        numbers = np.array([n for n in self._held if n not in self._taken_out], np.int64)
        others = kinds_of(numbers, self.recipe.props, self.recipe.seed) != kind
        feet, half = self._feet([self._held[n] for n in numbers[others].tolist()])
        found: list[Weight] = []
        if rule.gather_m is not None:
            found.append(gather_weight(feet, half, rule.gather_m))
        if rule.clear_m is not None:
            found.append(clear_weight(feet, half, rule.clear_m, rule.clear_fade_m))
        return Pool(surfaces_of(self.places, self.recipe, tuple(found)), self.budget)

    def _feet(self, pieces: list[Piece]) -> tuple[Vec, Vec]:
        """(n, 3) the middles of what pieces stand on, and (n,) metres that they are wide to each side."""
        boxes = [self.places.index.box_of(piece) for piece in pieces]
        feet = np.array([[0.5 * (lo[0] + hi[0]), lo[1], 0.5 * (lo[2] + hi[2])] for lo, hi in boxes]).reshape(-1, 3)
        return feet, np.array([0.25 * (hi[0] - lo[0] + hi[2] - lo[2]) for lo, hi in boxes])

    def _rooms_of_others(self) -> tuple[Vec, Vec]:
        """(n, 3) feet and (n,) elbow rooms of what other recipes laid: room is kept both ways."""
        found: list[tuple[Piece, float]] = []
        for key, record in self.places.dressed.recipes.items():
            rules = record.parameters.get("props") if record.parameters.get("no_overlap") == "elbow" else None
            if key == self.recipe_key or not isinstance(rules, list | tuple):
                continue
            room = {rule.get("prop"): float(rule.get("elbow_room_m", 0.0)) for rule in rules if isinstance(rule, dict)}
            pieces = [p for p in self.places.index.pieces.values() if p.recipe == key]
            found += [(p, room.get(p.prop.key, max(room.values(), default=0.0))) for p in pieces]
        feet, _ = self._feet([piece for piece, _ in found])
        return feet, np.array([room for _, room in found])

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
                piece = self.piece_of(
                    number,
                    self.props[kind],
                    Pose.of(basis, np.array(nudged.position)),
                    sink=rule.sink_m,
                    stand_off=rule.stand_off_m,
                )
            self._held[number] = piece
            if number in self._taken_out:
                self._admission.keep_place(piece)
            else:
                self._laid[number] = piece
                self.places.index.put(piece)
            self._admission.keep_room(self._feet([piece])[0][0], float(self._elbow[kind]))

    def _round(self, candidates: Candidates, most: int) -> None:
        """Offer candidates, in their order, until ``most`` of them are admitted."""
        kinds = kinds_of(candidates.number, self.recipe.props, self.recipe.seed)
        roomy = self._clear_of_others(candidates, kinds)
        open_ = np.flatnonzero(roomy)
        with side_by_side(len(open_)) as each:
            seats, wanted = self._seats(candidates.some(open_), kinds[open_], each)
            pieces = self._seated(candidates.some(open_), kinds[open_], seats, wanted)
            self._check_budget()
            sitting = [piece for piece in pieces if piece is not None]
            allowed = dict(zip((p.key for p in sitting), self._volumes.allow(sitting, each), strict=True))
        sits = np.array([n for n, piece in enumerate(pieces) if piece is not None], np.int64)
        crowding = {
            p.key for p, near in zip(sitting, self._gives_way(sitting, kinds[open_[sits]]), strict=True) if near
        }
        placed = dict(zip(open_.tolist(), zip(pieces, seats.ended.tolist(), strict=True), strict=True))
        offered: list[Candidate] = []
        for n, number in enumerate(candidates.number.tolist()):
            piece, ended = placed.get(n, (None, None))
            refused: Reason | None = None
            if piece is None:
                refused = "no_room" if ended is None else "no_fit" if ended == Seated.NO_FIT else "tips"
            elif not allowed[piece.key]:
                refused = "kept_out"
            elif piece.key in crowding:
                refused = "no_room"
            keeps = number in self._taken_out
            offered.append(Candidate(piece, refused, keeps, candidates.at[n], float(self._elbow[kinds[n]])))
        self._check_budget()
        found = self._admission.offer(offered, most)
        for number, candidate, reason in zip(candidates.number.tolist(), offered, found.refused, strict=False):
            if reason is not None:
                self.left[reason] += 1
                self._refused.add(number)
            elif candidate.piece is not None:
                self._held[number] = candidate.piece
                if not candidate.keeps_place:
                    self._laid[number] = candidate.piece
        self._check_budget()

    def _clear_of_others(self, candidates: Candidates, kinds: NDArray[np.int64]) -> NDArray[np.bool_]:
        """(n,) which candidates have their room from what stands that this recipe has not laid."""
        index, n = self.places.index, len(candidates.key)
        clear = np.ones(n, np.bool_)
        own = {p.key for p in self._held.values()}
        surfaces = {s.piece.key for s in self._surfaces}
        radius = self._elbow[kinds]
        if self._standing is not None:
            others = [p for p in index.pieces.values() if p.role == "prop" and p.key not in own | surfaces]
            rows = [index.row[p.key] for p in others]
            clear &= clear_of_boxes(candidates.at, radius, index.placed.lo[rows], index.placed.hi[rows])
            clear &= clear_of_rooms(candidates.at, radius, *self._standing)
        return clear

    def _gives_way(self, pieces: list[Piece], kinds: NDArray[np.int64]) -> NDArray[np.bool_]:
        """(n,) whether pieces of these ``kinds`` (n,) come too near to one that lies and keeps off them by its rule."""
        near = np.zeros(len(pieces), np.bool_)
        numbers = np.array(list(self._laid), np.int64)
        for kind, rule in enumerate(self.recipe.props):
            others = np.flatnonzero(kinds != kind)
            if not rule.clear_m or not len(numbers) or not len(others):
                continue
            mine = numbers[kinds_of(numbers, self.recipe.props, self.recipe.seed) == kind]
            if len(mine):
                feet, half = self._feet([pieces[n] for n in others])
                away = cKDTree(self._feet([self._laid[n] for n in mine.tolist()])[0]).query(feet)[0]
                near[others] |= away - half < rule.clear_m
        return near

    def _seated(
        self, candidates: Candidates, kinds: NDArray[np.int64], seats: Seats, wanted: Wanted
    ) -> list[Piece | None]:
        """The piece of each candidate where it sits; None where it does not."""
        found: list[Piece | None] = [None] * len(candidates.key)
        for done, n in enumerate(np.flatnonzero(seats.ended == Seated.SITS).tolist()):
            if done % PIECES_AT_A_TIME == 0:
                self._check_budget()
            direction = wanted.direction[n]
            stand_off = self.recipe.props[kinds[n]].stand_off_m
            depth = seats.sink[n] - stand_off
            pose = Pose.of(wanted.linear[n], seats.origin[n] + depth * direction)
            x, y, z = direction.tolist()
            found[n] = self.piece_of(
                int(candidates.number[n]), self.props[kinds[n]], pose, (x, y, z), float(seats.sink[n]), stand_off
            )
        return found

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
            return seats_of(index, self._rows, self._table, wanted, band, begin, self._chunk)

        for part in each(seated, range(0, n, self._chunk)):
            parts.append(part)
            self._check_budget()
        if not parts:
            return Seats(np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.int64)), wanted
        return Seats._make(map(np.concatenate, zip(*parts, strict=True))), wanted

    def _check_budget(self) -> None:
        """Raises GivenUp where the budget says so."""
        self.budget.check(len(self._held), max(self.recipe.count or 0, len(self._held)))


class Laying:
    """Candidates of a pool in the order of their keys, each ``given`` once. ``everything``: all that there are, where it is known."""

    def __init__(self, pool: Pool, everything: Candidates | None = None) -> None:
        self._pool, self._everything = pool, everything
        self._done = self.given = 0

    def next(self, count: int, known: Collection[int]) -> Candidates:
        """The next ``count`` candidates that are not ``known`` by their numbers, or as many as there are."""
        lying = np.array(list(known), np.int64)
        upto = self._done + count + (len(lying) if self._done == 0 else 0)
        for _ in range(MOST_ROUNDS):
            found = self._pool.first(upto) if self._everything is None else self._everything.some(slice(upto))
            fresh = found.some(slice(self._done, None))
            new = ~np.isin(fresh.number, lying)
            lacking = count - int(new.sum())
            if lacking <= 0 or len(found.key) < upto:
                break
            upto += lacking + count
        some = np.flatnonzero(new)[:count]
        self._done += int(some[-1]) + 1 if len(some) == count else len(fresh.key)
        self.given += len(some)
        return fresh.some(some)


def volumes_of(places: Places, recipe: ScatterRecipe) -> Volumes:
    """What a recipe keeps its pieces out of, and in. Raises BadRecipe."""
    return Volumes(
        [places.volume(name, "keep_out") for name in recipe.keep_out],
        [places.volume(name, "only_inside") for name in recipe.only_inside],
    )


def seating_directions(normals: Vec) -> Vec:
    """(n, 3) in which direction pieces are seated on surfaces of unit ``normals`` (n, 3): down, up, or into the wall."""
    found = -normals + 0.0
    found[normals[:, 1] >= FLOOR_SLOPE] = (0.0, -1.0, 0.0)
    found[normals[:, 1] <= -FLOOR_SLOPE] = (0.0, 1.0, 0.0)
    return np.asarray(found)
