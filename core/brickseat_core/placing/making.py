"""What a move does to a set: computed, it is a Change in words, and the set is as it was."""

from dataclasses import dataclass, replace

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import Fit
from brickseat_core.fit.repair import Left, bottom_up, repair
from brickseat_core.fit.rest import rest
from brickseat_core.fit.seat import seat
from brickseat_core.meshes.lengths import in_words
from brickseat_core.placing.moves import (
    Adopt,
    Bed,
    Carry,
    Copy,
    Fix,
    Group,
    Marking,
    Mend,
    Move,
    MoveRefused,
    Place,
    Push,
    Remove,
    Rename,
    Rest,
    Seat,
    SetDown,
    Size,
    Slide,
    Spike,
    Stand,
    Swap,
    Turn,
)
from brickseat_core.placing.slide import PUSH_CLIMB, climb_of, slide
from brickseat_core.placing.together import moved_together
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Vec, rotation_about

FARTHEST = 100.0
"""Metres a piece is slid or pushed at once: the way is walked in short steps."""
REST_TRIES = 4
"""Starts of a rest: as the piece is, then a little askew. A fixed seed, so that the same asked twice gives the same."""


@dataclass(frozen=True)
class Outcome:
    change: Change
    left: tuple[Left, ...] = ()


def copy_name(prop: str, taken: set[str]) -> str:
    number = 1
    while f"{prop} {number}" in taken:
        number += 1
    return f"{prop} {number}"


def compute(index: SceneIndex, move: Move, tolerance: float, fits: dict[str, Fit]) -> Outcome:
    """What ``move`` does to the set in ``index``, which is left as it was. Raises MoveRefused."""
    if isinstance(move, SetDown):
        name = copy_name(move.prop.name, {p.name for p in index.pieces.values()})
        piece = Piece(move.key, name, move.prop, move.pose, "prop", move.direction, move.sink, move.stand_off)
        return Outcome(Change(f"set down {name}", (Delta(move.key, None, piece),)))
    if isinstance(move, Mend):
        return mended(index, move, tolerance, fits)
    if isinstance(move, Stand):
        name = move.name if move.name not in {p.name for p in index.pieces.values()} else ""
        name = name or copy_name(move.name, {p.name for p in index.pieces.values()})
        piece = Piece(move.key, name, move.prop, move.pose, "bearer")
        return Outcome(Change(f"brought {name}", (Delta(move.key, None, piece),)))
    if isinstance(move, Adopt):
        return adopted(index, move)
    keys = (move.key,) if isinstance(move, Place | Rename) else move.keys
    pieces = chosen(index, keys, must_move=not isinstance(move, Marking | Copy | Remove))
    what = pieces[0].name if len(pieces) == 1 else f"{len(pieces)} pieces"
    if isinstance(move, Remove):
        # A bearer is taken away like anything else; it is only never pushed about.
        if spiked := next((p for p in pieces if p.spiked), None):
            raise MoveRefused(f"{spiked.name} is spiked; free it first")
        return Outcome(Change(f"took away {what}", tuple(Delta(p.key, p, None) for p in pieces)))
    if isinstance(move, Marking):
        return marked(index, pieces, move, what)
    if isinstance(move, Copy):
        return copied(index, pieces, move)
    if isinstance(move, Carry):
        by = way(move)
        return Outcome(
            Change(f"carried {what}", tuple(Delta(p.key, p, p.at(p.pose.moved(by))) for p in pieces if by.any()))
        )
    words = {
        Place: "moved",
        Slide: "slid",
        Push: "pushed",
        Turn: "turned",
        Size: "sized",
        Bed: "bedded",
        Seat: "seated",
        Rest: "rested",
        Swap: "swapped",
    }[type(move)]
    if isinstance(move, Slide | Push | Turn | Size | Seat | Rest) and move.together and len(pieces) > 1:
        return as_one(index, pieces, move, f"{words} {what} together")
    if isinstance(move, Push) or (isinstance(move, Slide) and len(pieces) == 1):
        return slid(index, pieces, move, words, what)
    wanted = {p.key: altered(p, move) for p in pieces}
    reseat = not isinstance(move, Place) or move.reseat
    deltas = []
    left = []
    try:
        for piece in wanted.values():
            index.put(piece)
        for piece in bottom_up(wanted.values()):
            if isinstance(move, Rest):
                found = rest(index, piece, REST_TRIES)
                if not found.stable:
                    left.append(Left(piece.key, found.reason))
                after = piece.at(found.pose)
            else:
                after = piece.at(seat(index, piece).pose) if reseat else piece
            index.put(after)
            before = next(p for p in pieces if p.key == piece.key)
            if after != before:
                deltas.append(Delta(piece.key, before, after))
    finally:
        for piece in pieces:
            index.put(piece)
    if isinstance(move, Swap):
        what += f" for {move.prop.name}"
    if isinstance(move, Bed):
        words = f"sank by {in_words(move.sink)}" if move.sink >= 0 else f"kept {in_words(-move.sink)} off"
    return Outcome(Change(f"{words} {what}", tuple(deltas)), tuple(left))


def adopted(index: SceneIndex, move: Adopt) -> Outcome:
    """What gravity made of pieces: where they lie, what is new, and what is no more."""
    pieces = chosen(index, move.keys, must_move=True) if move.keys else []
    broken = chosen(index, move.gone, must_move=True) if move.gone else []
    if any(p.key in index.pieces for p in move.born):
        raise MoveRefused("that has been adopted already")
    lying = [p.at(pose) for p, pose in zip(pieces, move.poses, strict=True)]
    moved = [Delta(p.key, p, q) for p, q in zip(pieces, lying, strict=True) if q != p]
    moved += [Delta(p.key, p, None) for p in broken]
    names = {p.name for p in index.pieces.values()}
    for piece in move.born:
        name = piece.name if piece.name not in names else copy_name(piece.prop.name, names)
        names.add(name)
        moved.append(Delta(piece.key, None, replace(piece, name=name)))
    said = []
    if moved and pieces:
        said.append(f"settled {pieces[0].name if len(pieces) == 1 else f'{len(pieces)} pieces'}")
    if broken:
        said.append(f"broke {broken[0].name if len(broken) == 1 else f'{len(broken)} pieces'}")
    elif move.born:
        said.append(f"poured {move.born[0].name if len(move.born) == 1 else f'{len(move.born)} pieces'}")
    return Outcome(Change(" and ".join(said) or "settled nothing", tuple(moved)))


def marked(index: SceneIndex, pieces: list[Piece], move: Marking, what: str) -> Outcome:
    """What ``move`` writes on the pieces."""

    def written(words: str, **some: object) -> Outcome:
        changed = ((p, replace(p, **some)) for p in pieces)  # type: ignore[arg-type]
        return Outcome(Change(f"{words} {what}", tuple(Delta(p.key, p, q) for p, q in changed if q != p)))

    if isinstance(move, Spike):
        return written("spiked" if move.spiked else "freed", spiked=move.spiked)
    if isinstance(move, Fix):
        return written("fixed" if move.fixed else "made loose", role="bearer" if move.fixed else "prop", group="")
    if isinstance(move, Group):
        if move.name and len(pieces) < 2:
            raise MoveRefused("a group has two pieces or more; select more of them")
        return written(f"grouped as “{move.name}”:" if move.name else "parted", group=move.name)
    if not move.name.strip() or any(p.name == move.name for k, p in index.pieces.items() if k != move.key):
        raise MoveRefused(f"“{move.name}” is empty or taken by another piece; choose another name")
    return Outcome(
        Change(f"named {what} “{move.name}”", (Delta(move.key, pieces[0], replace(pieces[0], name=move.name)),))
    )


def as_one(
    index: SceneIndex, pieces: list[Piece], move: Slide | Push | Turn | Size | Seat | Rest, words: str
) -> Outcome:
    """The move made by all pieces as one body."""
    if isinstance(move, Size) and not isinstance(move.factor, float | int):
        raise MoveRefused("pieces that keep together are sized evenly; size them one by one for other proportions")
    stops: list[str] = []
    reasons: list[str] = []

    def run(body: Piece) -> Piece | None:
        if isinstance(move, Slide | Push):
            found = slide(index, body, way(move), PUSH_CLIMB if isinstance(move, Push) else climb_of(body))
            stops.extend(index.pieces[k].name for k in found.against)
            return body.at(found.pose)
        if isinstance(move, Rest):
            rested = rest(index, body, REST_TRIES)
            reasons.append(rested.reason)
            return body.at(rested.pose) if rested.stable else None
        wanted = altered(body, move)
        return wanted.at(seat(index, wanted).pose)

    after = moved_together(index, pieces, run)
    if after is None:
        return Outcome(Change(words, ()), tuple(Left(p.key, reasons[0]) for p in pieces))
    deltas = tuple(Delta(p.key, p, q) for p, q in zip(pieces, after, strict=True) if q != p)
    return Outcome(Change(words + (f" against {stops[0]}" if stops else ""), deltas))


def way(move: Slide | Push | Carry) -> Vec:
    by = np.asarray(move.by)
    if float(np.linalg.norm(by)) > FARTHEST:
        raise MoveRefused(f"that is farther than {FARTHEST:.0f} m at once; put it there instead")
    return by


def slid(index: SceneIndex, pieces: list[Piece], move: Slide | Push, words: str, what: str) -> Outcome:
    by = way(move)
    after: dict[str, Piece] = {}
    stops: list[str] = []
    try:
        for piece in sorted(pieces, key=lambda p: (-float(p.pose.origin @ by), p.key)):
            found = slide(index, piece, by, PUSH_CLIMB if isinstance(move, Push) else climb_of(piece))
            after[piece.key] = piece.at(found.pose)
            index.put(after[piece.key])
            stops += [index.pieces[k].name for k in found.against if index.pieces[k].name not in stops]
    finally:
        for piece in pieces:
            index.put(piece)
    deltas = tuple(Delta(p.key, p, after[p.key]) for p in pieces if after[p.key] != p)
    text = f"{words} {what}" + (f" against {stops[0]}" if stops else "")
    return Outcome(Change(text, deltas))


def copied(index: SceneIndex, pieces: list[Piece], move: Copy) -> Outcome:
    taken = {p.name for p in index.pieces.values()}
    made: list[Piece] = []
    try:
        for piece, key in zip(pieces, move.names, strict=True):
            name = copy_name(piece.prop.name, taken)
            taken.add(name)
            fresh = replace(piece, key=key, name=name, spiked=False, pose=piece.pose.moved(np.asarray(move.by)))
            fresh = fresh.at(seat(index, fresh).pose)
            index.put(fresh)
            made.append(fresh)
    finally:
        for piece in made:
            index.remove(piece.key)
    what = pieces[0].name if len(pieces) == 1 else f"{len(pieces)} pieces"
    return Outcome(Change(f"copied {what}", tuple(Delta(p.key, None, p) for p in made)))


def chosen(index: SceneIndex, keys: tuple[str, ...], must_move: bool) -> list[Piece]:
    pieces = []
    for key in keys:
        piece = index.pieces.get(key)
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


def altered(piece: Piece, move: Move) -> Piece:
    """The piece as the move wants it, before it is set down again."""
    if isinstance(move, Place):
        return replace(piece, pose=move.pose, direction=move.direction or piece.direction)
    if isinstance(move, Slide):
        return piece.at(piece.pose.moved(np.asarray(move.by)))
    if isinstance(move, Bed):
        return replace(piece, sink=max(0.0, move.sink), stand_off=max(0.0, -move.sink))
    lo, hi = piece.world_box()
    direction = np.asarray(piece.direction)
    middle = 0.5 * (lo + hi)
    foot = middle + direction * float(np.abs(direction) @ (0.5 * (hi - lo)))
    if isinstance(move, Swap):
        return swapped(piece, move.prop, foot)
    if isinstance(move, Turn):
        rotation = rotation_about(np.array([0.0, 1.0, 0.0]), move.angle)
    elif isinstance(move, Size):
        # Along the prop's own axes, so that it is never sheared.
        linear = piece.pose.linear * np.asarray(move.factor)
        inner = np.linalg.inv(piece.pose.linear) @ (foot - piece.pose.origin)
        return piece.at(Pose.of(linear, foot - linear @ inner))
    else:
        return piece
    linear = rotation @ piece.pose.linear
    return piece.at(Pose.of(linear, foot + rotation @ (piece.pose.origin - foot)))


def swapped(piece: Piece, prop: Prop, foot: Vec) -> Piece:
    """A copy of ``prop`` with its own foot where ``piece`` has its: ``foot`` (3,), the middle of what it stands on."""
    other = replace(piece, prop=prop)
    lo, hi = other.world_box()
    direction = np.asarray(piece.direction)
    own = 0.5 * (lo + hi) + direction * float(np.abs(direction) @ (0.5 * (hi - lo)))
    return other.at(other.pose.moved(foot - own))


def mended(index: SceneIndex, move: Mend, tolerance: float, fits: dict[str, Fit]) -> Outcome:
    before = dict(index.pieces)
    if move.keys is not None:
        chosen(index, move.keys, must_move=False)
    try:
        result = repair(index, tolerance, move.keys, fits)
    finally:
        for piece in before.values():
            if index.pieces[piece.key] is not piece:
                index.put(piece)
    return Outcome(result.change, result.left)
