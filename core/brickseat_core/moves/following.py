"""What follows from any move: relations go with the pieces that they name, and openings go with what cut them."""

from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np

from brickseat_core.constraints.bodies import Joined
from brickseat_core.constraints.cutting import derived_meshes, part_before_wall
from brickseat_core.constraints.indexing import follow
from brickseat_core.constraints.solids import CannotCut
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.repair import Left
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Change, CutOut, Delta, Piece, Pose, Set, Tie, merged, piece_delta


def with_relations(dressed: Set, change: Change) -> Change:
    """``change`` with the ties and cut-outs that go with the pieces that it takes away."""
    gone = {key for key, piece in change.pieces().items() if piece is None}
    if not gone:
        return change
    named = {(d.kind, d.key) for d in change.deltas}
    related: list[tuple[Tie | CutOut, tuple[str, str]]] = [(t, (t.piece, t.to)) for t in dressed.ties.values()]
    related += [(c, (c.piece, c.bearer)) for c in dressed.cut_outs.values()]
    going = [
        Delta("tie" if isinstance(record, Tie) else "cut_out", record.key, record, None)
        for record, keys in related
        if gone & set(keys)
    ]
    return Change(change.words, (*(d for d in going if (d.kind, d.key) not in named), *change.deltas))


def with_exceptions(dressed: Set, change: Change) -> Change:
    """``change`` with the exceptions that it makes of recipes: numbers whose piece it takes away or makes independent, and
    those that it changes in any way, and that stay so. A change that lays the recipe itself makes none."""
    laid_anew = {d.key for d in change.deltas if d.kind == "recipe"}
    taken: dict[str, set[int]] = {}
    nudged: dict[str, dict[int, Pose]] = {}
    for delta in change.deltas:
        before, after = delta.before, delta.after
        if delta.kind != "piece" or not isinstance(before, Piece) or before.number is None:
            continue
        record = dressed.recipes.get(before.recipe)
        if record is None or record.recipe == "row" or record.key in laid_anew:
            continue
        if not isinstance(after, Piece) or after.recipe != before.recipe:
            taken.setdefault(record.key, set()).add(before.number)
        elif after != before:
            nudged.setdefault(record.key, {})[before.number] = after.pose
    deltas = []
    for key in taken.keys() | nudged.keys():
        record = dressed.recipes[key]
        out = set(record.taken_out) | taken.get(key, set())
        moved = {n: pose for n, pose in {**dict(record.nudged), **nudged.get(key, {})}.items() if n not in out}
        after = replace(record, taken_out=tuple(sorted(out)), nudged=tuple(sorted(moved.items(), key=lambda m: m[0])))
        deltas.append(Delta("recipe", key, record, after))
    return Change(change.words, (*change.deltas, *sorted(deltas, key=lambda d: d.key))) if deltas else change


def left_apart(joined: Joined, left: tuple[Left, ...]) -> tuple[Left, ...]:
    """What was left, a body by the first of its pieces."""
    return tuple(
        Left(joined.formations[entry.key].members[0].key, entry.reason) if entry.key in joined.formations else entry
        for entry in left
    )


def without_riders(dressed: Set, joined: Joined, held: Iterable[str]) -> set[str]:
    """Take what clings to the pieces of ``held`` out of the index of ``joined``: it comes along, and is in nobody's way.

    Returns the keys of all that come along.
    """
    moving = set(held)
    clings = [t for t in dressed.ties.values() if t.tie == "cling"]
    riders: set[str] = set()
    for _ in clings:
        more = {t.piece for t in clings if t.to in moving | riders} - moving - riders
        if not more:
            break
        riders |= more
    for key in {joined.key_of(k) for k in riders}:
        if key in joined.index.pieces and key not in joined.formations:
            joined.index.remove(key)
    return riders


def without_own_walls(dressed: Set, joined: Joined, held: Iterable[str]) -> tuple[str, ...]:
    """Make the walls that the pieces of ``held`` cut whole in the index of ``joined``, and those pieces end before them:
    an opening goes with its piece, and does not hold it. Returns the keys of those pieces."""
    keys = set(held)
    own = [c for c in dressed.cut_outs.values() if c.piece in keys]
    if not own:
        return ()
    others = derived_meshes(replace(dressed, cut_outs={k: c for k, c in dressed.cut_outs.items() if c not in own}))
    before: dict[str, Mesh] = {}
    for cut in own:
        bearer = dressed.pieces[cut.bearer]
        try:
            part = part_before_wall(bearer, dressed.pieces[cut.piece], cut.clearance)
        except CannotCut:
            continue
        if part is not None:
            before[cut.piece] = part
        elif joined.key_of(bearer.key) in joined.index.pieces and bearer.key not in keys:
            joined.index.remove(joined.key_of(bearer.key))
    joined.index.follow({}, derived={**others, **before})
    return tuple({c.piece for c in own})


def seated_in_walls(dressed: Set, index: SceneIndex, change: Change, cutters: Mapping[str, str]) -> Change:
    """``change`` with the pieces that cut walls as deep in them as they were, then set down on the walls as cut anew.

    ``cutters``: keys of those pieces, each with the key of the piece before the change that it is as deep as: itself, or what it is a copy of.
    """
    deltas: list[Delta] = []
    for key, was in cutters.items():
        before, moved = dressed.pieces[was], change.pieces().get(key)
        if moved is None:
            continue
        direction = np.asarray(moved.direction)
        back = direction * float((before.pose.origin - moved.pose.origin) @ direction)
        level = moved.at(moved.pose.moved(back))
        first = merged(change.words, [change, Change(change.words, (piece_delta(moved, level),))])
        here = index.fork()
        follow(here, first, first.on(dressed))
        found = set_down(here, level)
        lo, hi = here.box_of(level)
        near = found.travel is not None and abs(found.travel) <= float(np.abs(direction) @ (hi - lo))
        deltas.append(piece_delta(moved, level.at(found.pose) if near else level))
    return merged(change.words, [change, Change(change.words, tuple(deltas))])
