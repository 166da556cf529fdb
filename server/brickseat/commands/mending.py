"""Commands that move pieces and write the set back: seat, repair, apply."""

from collections.abc import Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from pathlib import Path

from brickseat.commands.checking import left_over
from brickseat.commands.files import name_moved_apart, open_set, save, store_moved
from brickseat.commands.given import Given
from brickseat.commands.output import complain, print_json, progress
from brickseat.exit_codes import DONE, FAULTS
from brickseat_core.constraints.bodies import whole_bodies
from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.modes import Mode
from brickseat_core.formats.errors import FileError

REST_TRIES = 4
"""Starts of a rest: as the piece is, then a little askew."""


def run_seat(given: Given, output: Path, mode: Mode, only: Sequence[str], land: bool = False) -> int:
    """Set pieces down where they are. ``land``: they let go of their stand-off. Raises FileError."""
    from brickseat_core.fit.all_down import set_all_down

    found = open_set(given)
    index = index_of(found.dressed)
    chosen = [
        p.key
        for p in found.dressed.pieces.values()
        if p.movable and (not only or any(fnmatchcase(p.name, g) for g in only))
    ]
    if only and not chosen:
        raise FileError(f"{given.set}: no piece that may move is named {' or '.join(only)}; see brickseat check")
    joined = whole_bodies(found.dressed, index)
    wanted = [k for k in dict.fromkeys(map(joined.key_of, chosen)) if joined.dressed.pieces[k].movable]
    if land:
        joined.index.put_all(replace(joined.index.pieces[key], stand_off=0.0) for key in wanted)
    with progress("seating", given.quiet) as on_progress:
        left = set_all_down(joined.index, wanted, mode, given.tolerance, REST_TRIES, on_progress)
    after = store_moved(found, index, joined, joined.index.pieces.values())
    save(found.document, output)
    names = [(joined.index.pieces[key].name, reason) for key, reason in left.items()]
    complain((f"{name}: {reason}" for name, reason in names), given.quiet or given.as_json)
    if names and not any(piece.role == "bearer" for piece in found.dressed.pieces.values()):
        complain(["the set has no floor: --floor 0 puts one under it at that height"], given.quiet)
    name_moved_apart(found, after, given.quiet)
    if given.as_json:
        print_json({"left": [{"name": name, "reason": reason} for name, reason in names]})
    return left_over(after, given)


def run_repair(given: Given, output: Path) -> int:
    """Mend faults with the least movement. Raises FileError."""
    from brickseat_core.fit.repair import repair

    found = open_set(given)
    index = index_of(found.dressed)
    joined = whole_bodies(found.dressed, index)
    with progress("mending", given.quiet) as on_progress:
        result = repair(joined.index, given.tolerance, on_progress=on_progress)
    after = store_moved(found, index, joined, joined.index.pieces.values())
    save(found.document, output)
    name_moved_apart(found, after, given.quiet)
    left = [(joined.index.pieces[entry.key].name, entry.reason) for entry in result.left]
    if given.as_json:
        mended = [{"name": joined.index.pieces[m.key].name, "words": m.words} for m in result.mended]
        print_json({"mended": mended, "left": [{"name": name, "reason": reason} for name, reason in left]})
    elif not given.quiet:
        for entry in result.mended:
            print(entry.words)
        for name, reason in left:
            print(f"{name} left: {reason}")
    return FAULTS if given.strict and left else DONE


def run_apply(given: Given, moves: Path, output: Path) -> int:
    """Make moves, one after the other, all or none. Raises FileError."""
    from brickseat_core.formats.gltf.lines import lines_of
    from brickseat_core.formats.gltf.storing import store_set
    from brickseat_core.formats.moves_file import apply_moves, read_moves
    from brickseat_core.formats.prop_facts import facts_of

    found = open_set(given)
    with progress("moving", given.quiet) as on_progress:
        lines, facts = lines_of(found.document), facts_of(found)
        applied = apply_moves(found.dressed, read_moves(moves), on_progress, lines, facts)
    store_set(found, applied.dressed)
    save(found.document, output)
    name_moved_apart(found, applied.dressed, given.quiet)
    if given.as_json:
        left = [{"name": name, "reason": reason} for name, reason in applied.left]
        print_json({"moves": list(applied.words), "left": left})
    elif not given.quiet:
        for words in applied.words:
            print(words)
        complain((f"{name} left: {reason}" for name, reason in applied.left), given.quiet)
    return left_over(applied.dressed, given, applied.index)
