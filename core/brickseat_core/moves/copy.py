"""Copy: the same pieces once more, as they stand."""

from collections.abc import Sequence
from dataclasses import replace
from itertools import product
from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.formation import formation
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.repair import bottom_up
from brickseat_core.fit.set_down import set_down
from brickseat_core.moves.choosing import FreshNames, chosen, in_short, taken_names
from brickseat_core.moves.fields import Pieces, Vector
from brickseat_core.moves.following import seated_in_walls
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.scene import Change, CutOut, Delta, Piece, Vec, connected, piece_delta

STEPS_ROUND = 3
"""How many steps off a copy is brought at most, each way, to where it is free."""
MOST_MEASURED = 600
"""Copies that are measured at most in looking for a free place."""


@dataclass(frozen=True)
class CopyMove:
    """The same pieces once more, moved by a vector in metres. Those that stand on one another, are joined or are tied stay to each other as they are,
    and are set down together. Copies of joined pieces are joined, what is tied is tied, and copies of what cuts an opening cut one, too.

    ``to_free_place``: where a copy would stand on or in others, it is brought to the nearest free place, whole steps of that vector away.
    """

    kind: Literal["copy"]
    pieces: Pieces
    by: Vector
    to_free_place: bool = False


def compute(scene: Scene, move: CopyMove) -> Outcome:
    """New pieces, set down as they stand. Raises MoveRefused, or TooLong when the budget passes."""
    pieces = chosen(scene, move.pieces, must_move=False)
    names, groups = FreshNames(taken_names(scene)), fresh_groups(scene, pieces)
    copies = {
        piece.key: replace(
            piece,
            key=scene.fresh_key(),
            name=names.of(piece.prop.name),
            spiked=False,
            recipe="",
            number=None,
            group=groups.get(piece.group, ""),
        )
        for piece in pieces
    }
    cuts = [
        CutOut(
            scene.fresh_key(),
            copies[cut.piece].key,
            copies[cut.bearer].key if cut.bearer in copies else cut.bearer,
            cut.clearance,
        )
        for cut in scene.dressed.cut_outs.values()
        if cut.piece in copies
    ]
    ties = [
        replace(tie, key=scene.fresh_key(), piece=copies[tie.piece].key, to=copies[tie.to].key)
        for tie in scene.dressed.ties.values()
        if tie.piece in copies and tie.to in copies
    ]
    arrangement = Arrangement(scene, copies, {cut.piece for cut in cuts})
    by = np.asarray(move.by)
    made, away = arrangement.at_free_place(by) if move.to_free_place else (arrangement.at(by), 0.0)
    words = f"copied {in_short(pieces)}" + (f" to the nearest free place, {away:.2f} m on" if away else "")
    deltas = [piece_delta(None, p) for p in made] + [Delta("tie", tie.key, None, tie) for tie in ties]
    change = Change(words, tuple(deltas))
    if not cuts:
        return Outcome(change)
    cut = Change(words, (*change.deltas, *(Delta("cut_out", c.key, None, c) for c in cuts)))
    originals = {copy.key: key for key, copy in copies.items() if copy.key in arrangement.cutting}
    return Outcome(seated_in_walls(scene.dressed, scene.index, cut, originals))


def fresh_groups(scene: Scene, pieces: Sequence[Piece]) -> dict[str, str]:
    """By the name of each group of which several are copied, the name of the group of the copies."""
    taken = {p.group for p in scene.dressed.pieces.values()}
    found: dict[str, str] = {}
    for group in dict.fromkeys(p.group for p in pieces if p.group):
        if sum(p.group == group for p in pieces) < 2:
            continue
        number = 2
        while f"{group} {number}" in taken:
            number += 1
        found[group] = f"{group} {number}"
        taken.add(found[group])
    return found


class Arrangement:
    """Copies still where their originals stand (``copies`` by the key of those), and which of them move as one. ``cutting``: keys of those that cut openings."""

    def __init__(self, scene: Scene, copies: dict[str, Piece], cutting: set[str]) -> None:
        self.scene, self.copies, self.cutting = scene, copies, cutting
        self.stacks = stacks_of(scene, list(copies))

    def at(self, by: Vec) -> list[Piece]:
        """The copies moved by (3,) metres and set down, a stack at a time from the bottom up."""
        index = self.scene.index.fork()
        moved = {key: copy.at(copy.pose.moved(by)) for key, copy in self.copies.items()}
        original = {copy.key: key for key, copy in self.copies.items()}
        landed: dict[str, Piece] = {}
        for piece in bottom_up(index, moved.values()):
            if piece.key in landed:
                continue
            self.scene.budget.check(len(landed), len(moved))
            stack = self.stacks[original[piece.key]]
            own = [moved[key] for key in stack]
            # What cuts an opening stands in a wall that is whole there still: it is seated when that is cut.
            exact = any(p.role == "bearer" or p.key in self.cutting for p in own)
            after = own if exact else self.set_down(index, stack, own)
            index.put_all(after)
            landed.update((p.key, p) for p in after)
        return [landed[copy.key] for copy in self.copies.values()]

    def set_down(self, index: SceneIndex, stack: Sequence[str], own: list[Piece]) -> list[Piece]:
        """A stack set down where it is, as one body. It goes the way of what stands on others than itself."""
        if len(own) == 1:
            return [own[0].at(set_down(index, own[0]).pose)]
        base = (p for key, p in zip(stack, own, strict=True) if set(stack).isdisjoint(rests_on(self.scene, key)))
        formed = formation(index, own, next(base, own[0]).direction)
        return formed.after(formed.body.at(set_down(index, formed.body).pose))

    def at_free_place(self, by: Vec) -> tuple[list[Piece], float]:
        """The copies at the nearest place to ``by`` where they stand as free as their originals, and how many metres that is from there.

        Where there is none within reach they are just there.
        """
        across = np.array([-by[2], 0.0, by[0]])
        steps = range(-STEPS_ROUND, STEPS_ROUND + 1)
        # Not where the originals stand.
        on = [i * by + j * across for i, j in product(steps, steps) if (i, j) != (-1, 0)]
        on.sort(key=lambda further: float(np.linalg.norm(further)))
        first = self.at(by)
        if self.is_free(first):
            return first, 0.0
        for further in on[1 : MOST_MEASURED // len(self.copies)]:
            made = self.at(by + further)
            if self.is_free(made):
                return made, float(np.linalg.norm(further))
        return first, 0.0

    def is_free(self, made: list[Piece]) -> bool:
        """Whether the copies stand on what their originals stand on, on bearers or on each other, and are in nothing else."""
        index = self.scene.index.fork()
        index.put_all(made)
        mine = {p.key for p in made}
        for (was, _), piece in zip(self.copies.items(), made, strict=True):
            if piece.role == "bearer" or piece.key in self.cutting:
                continue
            fit, before = measure_fit(index, piece, self.scene.dressed.tolerance), self.scene.fits.get(was)
            below = mine.union(rests_on(self.scene, was))
            on = [index.pieces[key] for key in fit.rests_on if key not in below]
            faults = set(fit.faults) - set(before.faults if before else ()) - {"clashing"}
            if faults or any(p.role != "bearer" for p in on) or any(c.other not in mine for c in fit.clashes):
                return False
        return True


def stacks_of(scene: Scene, keys: Sequence[str]) -> dict[str, tuple[str, ...]]:
    """By each of ``keys``, those that keep their arrangement with it: what rests on another of them, is joined to it or tied to it."""
    among = set(keys)
    pairs = [(key, other) for key in keys for other in (*rests_on(scene, key), *scene.index.bodies.get(key, ()))]
    pairs += [(tie.piece, tie.to) for tie in scene.dressed.ties.values()]
    stacks = connected(pair for pair in pairs if among.issuperset(pair))
    return {key: stacks.get(key, (key,)) for key in keys}


def rests_on(scene: Scene, key: str) -> tuple[str, ...]:
    """The keys of what a piece rests on now."""
    fit = scene.fits.get(key)
    return fit.rests_on if fit else ()


REGISTRY.register(CopyMove, compute, quick=True)
