"""What several moves share: the pieces they name, the names of new ones, and words for both."""

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.formation import moved_together
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.repair import Left, bottom_up
from brickseat_core.moves.registry import MoveRefused, Outcome, Scene
from brickseat_core.scene import DOWN, UP, Change, Piece, Triple, Vec, piece_delta

FARTHEST = 100.0
"""Metres a piece is slid, pushed or carried at once."""


def chosen(scene: Scene, keys: Iterable[str], must_move: bool = True) -> list[Piece]:
    """The standing pieces of ``keys``, those that are joined as the body that stands for them. Raises MoveRefused where one is gone, or may not move although it must."""
    pieces = []
    for key in dict.fromkeys(scene.joined.key_of(k) for k in keys):
        piece = scene.dressed.pieces.get(key)
        if piece is None:
            raise MoveRefused("that piece is no longer on the set; somebody took it away")
        if must_move and piece.role == "bearer":
            raise MoveRefused(f"{piece.name} is a bearer and stays where it is")
        if must_move and piece.spiked:
            raise MoveRefused(f"{piece.name} is spiked; free it first")
        pieces.append(piece)
    if not pieces:
        raise MoveRefused("no piece is selected; press on one first")
    return pieces


def is_uneven(factor: float | tuple[float, float, float]) -> bool:
    """Whether a factor sizes the axes differently."""
    return not isinstance(factor, float | int) and len(set(factor)) > 1


def in_short(pieces: list[Piece]) -> str:
    """One piece by name, several by their number."""
    return pieces[0].name if len(pieces) == 1 else f"{len(pieces)} pieces"


def taken_names(scene: Scene) -> set[str]:
    """The names of all pieces on the set."""
    return {p.name for p in scene.apart.pieces.values()}


class FreshNames:
    """Names like “milk jug 3” for copies, each with the lowest number that is free."""

    def __init__(self, taken: set[str]) -> None:
        self.taken = taken
        self._next: dict[str, int] = {}

    def of(self, prop: str) -> str:
        """The next free name for a copy of a prop of that name."""
        number = self._next.get(prop, 1)
        while f"{prop} {number}" in self.taken:
            number += 1
        self._next[prop] = number + 1
        self.taken.add(f"{prop} {number}")
        return f"{prop} {number}"


def offset_of(by: Triple) -> Vec:
    """(3,) of a vector in metres. Raises MoveRefused where it leads too far."""
    offset = np.asarray(by, dtype=np.float64)
    if float(np.linalg.norm(offset)) > FARTHEST:
        raise MoveRefused(f"that is farther than {FARTHEST:.0f} m at once; put it there instead")
    return offset


def foot_of(index: SceneIndex, piece: Piece) -> Vec:
    """(3,) middle of the face of its box that leads along its direction: where it touches."""
    lo, hi = index.box_of(piece)
    direction = np.asarray(piece.direction)
    return np.asarray(0.5 * (lo + hi) + direction * float(np.abs(direction) @ (0.5 * (hi - lo))))


def hung(index: SceneIndex, piece: Piece, tolerance: float) -> Piece:
    """``piece`` seated upwards from now on where it hangs there: it has room below it, and touches something above it.

    Else as it is: nothing that was brought against an underside is dropped later without a word.
    """
    if piece.direction != DOWN:
        return piece
    fit = measure_fit(index, piece, tolerance)
    if not {"floating", "unborne"} & set(fit.faults) or fit.clashes:
        return piece
    above = replace(piece, direction=UP, sink=0.0, stand_off=0.0)
    return above if not measure_fit(index, above, tolerance).faults else piece


def each_in_turn(
    scene: Scene,
    pieces: list[Piece],
    wanted: list[Piece],
    place: Callable[[SceneIndex, Piece], Piece | Left],
    words: str,
) -> Outcome:
    """``pieces`` as they are ``wanted``, each given its ``place`` in its turn from the bottom up, among those set down before."""
    index = scene.index
    index.put_all(wanted)
    after: dict[str, Piece] = {}
    left: list[Left] = []
    for piece in bearing_first(scene, bottom_up(index, wanted)):
        scene.budget.check(len(after), len(pieces))
        found = place(index, piece)
        if isinstance(found, Left):
            left.append(found)
            found = piece
        after[piece.key] = found
        index.put(found)
    deltas = tuple(piece_delta(p, after[p.key]) for p in pieces if after[p.key] != p)
    return Outcome(Change(words, deltas), tuple(left))


def bearing_first(scene: Scene, pieces: list[Piece]) -> list[Piece]:
    """``pieces`` in their order, but none before those of them that it rests on: what is bedded or hangs over may begin lower than its bearer."""
    among = {p.key: p for p in pieces}
    order: dict[str, Piece] = {}
    for piece in pieces:
        waiting = [piece.key]
        seen: set[str] = set()
        while waiting:
            key = waiting[-1]
            fit = scene.fits.get(key)
            below = [k for k in fit.rests_on if k in among and k not in order and k not in seen] if fit else []
            seen.add(key)
            if below:
                waiting += below
            else:
                order[key] = among[waiting.pop()]
    return list(order.values())


def as_one(
    scene: Scene,
    pieces: list[Piece],
    move: Callable[[SceneIndex, Piece], Piece | None],
    words: Callable[[], str],
    reason: Callable[[], str] = lambda: "",
) -> Outcome:
    """``pieces`` moved as one body. ``words`` and ``reason`` are asked for afterwards."""
    after = moved_together(scene.index, pieces, move)
    if after is None:
        return Outcome(Change(words(), ()), tuple(Left(p.key, reason()) for p in pieces))
    return Outcome(Change(words(), tuple(piece_delta(p, q) for p, q in zip(pieces, after, strict=True) if q != p)))
