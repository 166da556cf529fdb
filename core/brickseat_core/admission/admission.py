"""Admission: candidates are offered in order, and each is admitted or refused with one reason.

One is admitted when it touches, is in balance, is in nobody, has its room, and everybody whose reach it meets is still right. It is
decided by what stands already and by nothing that comes later, so that a longer list of candidates never changes what becomes of a shorter
one. Nothing is given out unproved: all that is admitted, and all that it affects, is checked as it stands in the end.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from brickseat_core.admission.choosing import Chosen, chosen
from brickseat_core.admission.conflicts import Conflicts, Each, FirstLook, both_ways, conflicts_of, is_crowd, look_once
from brickseat_core.admission.reasons import Reason
from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import Looks, check, side_by_side, some_at_a_time
from brickseat_core.fit.measuring import Fit, stands_alone
from brickseat_core.scene import Piece, Vec

MOST_PROOFS = 24
"""Times that it is chosen anew, after a proof has found what no conflict told."""
NOWHERE = np.zeros(3)
UNKNOWN = frozenset([""])
"""What bears a piece of which it is not known: no key is empty."""


@dataclass(frozen=True)
class Candidate:
    """A piece where it is proposed. ``refused``: why it is not even offered. ``keeps_place``: it is not laid, but its place stays free as if
    it were. ``at`` (3,), ``room``: metres that it keeps free about a point."""

    piece: Piece | None
    refused: Reason | None = None
    keeps_place: bool = False
    at: Vec | None = None
    room: float = 0.0


@dataclass(frozen=True)
class Admitted:
    """``pieces``: what was admitted, in order. ``kept``: those of which only the place is kept. ``refused``: the reason of each of the
    candidates, in their order, None where it is admitted; those that came when it was full are left out."""

    pieces: tuple[Piece, ...]
    kept: tuple[Piece, ...]
    refused: tuple[Reason | None, ...]


class Admission:
    """Who decides, over an ``index`` that is a fork of its own: what is admitted stands in it from then on.

    ``overlapping``: pieces may be in each other, and nothing is proved of them. ``may_tip``: they need not be in balance. ``in_plan``: rooms are circles
    that lie level.
    """

    def __init__(
        self,
        index: SceneIndex,
        tolerance: float,
        budget: Budget = UNLIMITED,
        *,
        overlapping: bool = False,
        may_tip: bool = False,
        in_plan: bool = True,
    ) -> None:
        self.index = index
        self._tolerance, self._budget = tolerance, budget
        self._overlapping, self._may_tip, self._in_plan = overlapping, may_tip, in_plan
        self._places: dict[str, Piece] = {}
        self._at: list[Vec] = []
        self._room: list[float] = []

    def keep_room(self, at: Vec, room: float) -> None:
        """Room about a point (3,) that is taken already."""
        self._at.append(at)
        self._room.append(room)

    def keep_place(self, piece: Piece) -> None:
        """A piece that is not there, but whose place stays free as if it were."""
        self._places[piece.key] = piece

    def offer(self, candidates: Sequence[Candidate], most: int) -> Admitted:
        """Admit candidates in their order, ``most`` at most. Raises GivenUp."""
        offered = {c.piece.key: c.piece for c in candidates if c.piece is not None and c.refused is None}
        barred: dict[str, Reason] = {c.piece.key: c.refused for c in candidates if c.piece is not None and c.refused}
        look = FirstLook({}, {})
        with side_by_side(len(offered)) as each:
            if not self._overlapping:
                look = self._conflicts(list(offered.values()), each)
        conflicts = dict(look.conflicts)
        keeping = {c.piece.key for c in candidates if c.piece is not None and c.keeps_place}
        for key, others in conflicts.items():
            if key in offered and key not in keeping and not others <= offered.keys():
                barred[key] = "no_room"
        return self._settled(candidates, conflicts, look.borne_by, barred, most)

    def _conflicts(self, pieces: list[Piece], each: Each) -> FirstLook:
        """Who cannot stand with whom, of ``pieces`` among themselves and with all that stands."""
        around = self.index
        if self._places:
            around = self.index.fork()
            around.put_all(self._places.values())
        # What is in something that stands already is not looked at any further.
        first = conflicts_of(around, pieces, each, self._budget) if len(around.pieces) > around.bearers else {}
        free = [piece for piece in pieces if not first.get(piece.key)]
        self._budget.check()
        around.put_all(free)
        self._budget.check()
        others = conflicts_of(around, self._affected(around, free), each, self._budget)
        if is_crowd(around.boxes_of(piece.key for piece in free)):
            return FirstLook(both_ways({**first, **others, **conflicts_of(around, free, each, self._budget)}), {})
        look = look_once(around, free, self._tolerance, each, self._budget)
        return FirstLook(both_ways({**first, **others, **look.conflicts}), look.borne_by)

    def _affected(self, around: SceneIndex, fresh: list[Piece]) -> list[Piece]:
        """Those that stand in ``around`` and may be in one of ``fresh``, although that is not in them: where one of the two is bedded, the
        two see each other in different places."""
        own = {piece.key for piece in fresh}
        others = [piece for key, piece in around.pieces.items() if piece.role == "prop" and key not in own]
        by_all = self._near(around, fresh) if any(piece.sink for piece in others) else set()
        by_bedded = self._near(around, [piece for piece in fresh if piece.sink]) if others else set()
        return [p for p in others if p.key in by_bedded or (p.sink and p.key in by_all)]

    def _near(self, around: SceneIndex, pieces: list[Piece]) -> set[str]:
        """Keys of those that ``pieces``, which stand in ``around``, affect."""
        return set(around.affected_by(around.boxes_of([piece.key for piece in pieces]), self._tolerance))

    def _settled(
        self,
        candidates: Sequence[Candidate],
        conflicts: Conflicts,
        borne_by: Mapping[str, frozenset[str]],
        barred: dict[str, Reason],
        most: int,
    ) -> Admitted:
        """Choose, prove, and choose anew with what the proof has found, until nothing is wrong any more."""
        offered = {c.piece.key for c in candidates if c.piece is not None}
        before = {key for key, piece in self.index.pieces.items() if piece.role == "prop" and key not in offered}
        for proof in range(MOST_PROOFS):
            became = self._chosen(candidates, conflicts, barred, most)
            taken = [c for c, what in zip(candidates, became, strict=True) if what == Chosen.ADMITTED]
            pieces = [c.piece for c in taken if c.piece is not None and not c.keeps_place]
            kept = [c.piece for c in taken if c.piece is not None and c.keeps_place]
            self._stand(pieces, offered)
            found = {} if self._overlapping else self._wrong(pieces, before, borne_by)
            if not found:
                break
            order = {piece.key: n for n, piece in enumerate(pieces)}
            for key, fit in found.items():
                later = {clash.other for clash in fit.clashes if order.get(clash.other, -1) > order.get(key, -1)}
                if later and proof < MOST_PROOFS // 2:
                    conflicts.setdefault(key, set()).update(later)
                    for other in later:
                        conflicts.setdefault(other, set()).add(key)
                        if key in before:
                            barred[other] = "no_room"
                elif key in order:
                    barred[key] = reason_of(fit)
                else:
                    barred.update(dict.fromkeys(later, "no_room"))
        else:
            pieces, kept, became = [], [], [Chosen.UNABLE] * len(candidates)
            self._stand(pieces, offered)
        for c, what in zip(candidates, became, strict=True):
            if what == Chosen.ADMITTED and c.at is not None:
                self.keep_room(c.at, c.room)
        for piece in kept:
            self.keep_place(piece)
        whole = next((n for n, what in enumerate(became) if what == Chosen.FULL), len(candidates))
        reasons = [self._reason(c, what, barred) for c, what in zip(candidates, became, strict=True)]
        return Admitted(tuple(pieces), tuple(kept), tuple(reasons[:whole]))

    def _stand(self, pieces: list[Piece], offered: set[str]) -> None:
        """Make just ``pieces`` stand of all that were ``offered``."""
        wanted = {piece.key for piece in pieces}
        for key in [key for key in offered if key in self.index.row and key not in wanted]:
            self.index.remove(key)
        self.index.put_all(piece for piece in pieces if piece.key not in self.index.row)

    @staticmethod
    def _reason(candidate: Candidate, became: Chosen, barred: Mapping[str, Reason]) -> Reason | None:
        if became == Chosen.ADMITTED:
            return None
        if became == Chosen.UNABLE:
            key = candidate.piece.key if candidate.piece is not None else ""
            return candidate.refused or barred.get(key, "no_room")
        return "no_room"

    def _chosen(
        self, candidates: Sequence[Candidate], conflicts: Conflicts, barred: Mapping[str, Reason], most: int
    ) -> list[Chosen]:
        number = {c.piece.key: n for n, c in enumerate(candidates) if c.piece is not None}
        start, earlier = [0], []
        for n, c in enumerate(candidates):
            others = conflicts.get(c.piece.key, ()) if c.piece is not None else ()
            earlier += [k for k in (number.get(other, n) for other in others) if k < n]
            start.append(len(earlier))
        able = np.array([c.piece is not None and c.refused is None and c.piece.key not in barred for c in candidates])
        at = [*self._at, *(c.at if c.at is not None else NOWHERE for c in candidates)]
        room = [*self._room, *(c.room for c in candidates)]
        became = chosen(
            able.astype(np.bool_),
            np.array([c.keeps_place for c in candidates], np.bool_),
            np.array(start, np.int64),
            np.array(earlier, np.int64),
            np.array(at, np.float64).reshape(-1, 3),
            np.array(room, np.float64),
            len(self._at),
            self._in_plan,
            most,
        )
        return [Chosen(what) for what in became.tolist()]

    def _wrong(self, pieces: list[Piece], before: set[str], borne_by: Mapping[str, frozenset[str]]) -> dict[str, Fit]:
        """The fits of those of ``pieces``, which stand in the index now, that are not right, and of those that stood ``before`` and are not
        right any more."""
        index, tolerance = self.index, self._tolerance
        if not pieces:
            return {}
        affected = sorted(self._near(index, pieces) & before) if before else []

        def goes_on(done: int, total: int) -> bool:
            self._budget.check()
            return True

        doubtful = self._doubtful([p for p in pieces if not borne_by.get(p.key, UNKNOWN) <= index.pieces.keys()])
        fits = check(index, tolerance, [*(piece.key for piece in doubtful), *affected], goes_on)
        own = {piece.key for piece in pieces}
        found = {key: fit for key, fit in fits.items() if key in own and not self._is_right(fit)}
        suspect = [key for key in affected if fits[key].faults and any(c.other in own for c in fits[key].clashes)]
        if suspect:
            without = index.fork()
            for piece in pieces:
                without.remove(piece.key)
            was = check(without, tolerance, suspect)
            found.update({key: fits[key] for key in suspect if set(fits[key].faults) - set(was[key].faults)})
            found.update({key: fits[key] for key in suspect if len(fits[key].clashes) > len(was[key].clashes)})
        return found

    def _doubtful(self, pieces: list[Piece]) -> list[Piece]:
        """Those of ``pieces``, which stand in the index, that one look does not show to be right: they are judged in full."""
        found: list[Piece] = []
        if not pieces:
            return found
        looks = Looks(self.index, pieces, self._tolerance)
        with side_by_side(len(pieces)) as each:
            for some in each(looks.of, some_at_a_time(self.index, pieces)):
                found += [n.piece for n in some if not stands_alone(n.piece, n.found, self._tolerance)]
                self._budget.check()
        return found

    def _is_right(self, fit: Fit) -> bool:
        """Whether a piece stands by itself: it does not lean on what may be taken away again."""
        if self._may_tip:
            return not set(fit.faults) - {"tippy"}
        return not fit.faults and fit.grip is None


def reason_of(fit: Fit) -> Reason:
    """Why a piece with this verdict is refused."""
    if fit.clashes:
        return "no_room"
    if "floating" in fit.faults or "unborne" in fit.faults:
        return "afloat"
    return "tips"
