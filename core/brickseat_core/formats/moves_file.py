"""Moves from a file: pieces are named by node name, and all are made, one after the other, or none."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from itertools import count
from pathlib import Path
from typing import Any

from brickseat_core.admission.proof import proved
from brickseat_core.constraints.indexing import follow, index_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.lines import Line
from brickseat_core.formats.recipe_names import UnknownName
from brickseat_core.formats.recipe_names import by_key as recipe_by_key
from brickseat_core.moves import MoveRefused, PropFacts, compute_move, parse
from brickseat_core.moves.registry import MESHES_ALONE
from brickseat_core.scene import KINDS, Piece, Prop, Set

MOST_MOVES = 100_000
MOST_DIGITS = 300
NAMES_A_PIECE = ("piece", "to", "bearer", "on")
"""Fields of moves that hold the key of one piece: its name in a file."""
LARGEST_FILE = 256 * 1024 * 1024


@dataclass(frozen=True)
class Applied:
    """The set after all moves, its index, what each move did in words, and what was left with its reason, by name."""

    dressed: Set
    index: SceneIndex
    words: tuple[str, ...]
    left: tuple[tuple[str, str], ...]


def read_json(path: Path, what: str) -> Any:
    """The JSON of a file. ``what``: the schema by which it is written. Raises FileError where it is none."""
    try:
        return json.loads(read_text(path), parse_int=whole_number)
    except (ValueError, RecursionError) as error:
        raise FileError(f"{path}: is not JSON ({error}); see brickseat schema {what}") from None


def whole_number(digits: str) -> int:
    """A whole number of a file. Raises ValueError where it is beyond what any reader computes with."""
    if len(digits) > MOST_DIGITS:
        raise ValueError(f"a number of {len(digits)} digits")
    return int(digits)


def read_text(path: Path) -> str:
    """The text of a file. Raises FileError where it cannot be read."""
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise FileError(f"{path}: larger than {LARGEST_FILE // 1024 // 1024} MB; split it")
        return path.read_text(encoding="utf-8")
    except OSError as error:
        raise FileError(f"{path}: cannot be read ({error.strerror}); check the path") from None
    except UnicodeDecodeError:
        raise FileError(f"{path}: is not UTF-8 text; save it as that") from None


def read_moves(path: Path) -> list[Any]:
    """The list of moves of a file. Raises FileError where it is none."""
    found = read_json(path, "moves")
    if not isinstance(found, list) or len(found) > MOST_MOVES:
        raise FileError(f"{path}: is not a list of at most {MOST_MOVES} moves; see brickseat schema moves")
    return found


def apply_moves(
    dressed: Set,
    moves: list[Any],
    on_progress: Callable[[int, int], object] = lambda done, total: None,
    lines: Mapping[str, Line] | None = None,
    facts: PropFacts = MESHES_ALONE,
) -> Applied:
    """Make ``moves``, plain JSON values that name pieces by name. ``lines``: those of the file, which rows name. ``facts``: of props.

    Raises FileError with the number of the bad one.
    """
    index = index_of(dressed)
    known = any(needs_fits(m) for m in moves)
    fits: Mapping[str, Fit] = check(index, dressed.tolerance) if known else {}
    fresh_key = fresh_keys(dressed)
    words: list[str] = []
    left: list[tuple[str, str]] = []
    for number, data in enumerate(moves, 1):
        on_progress(number - 1, len(moves))
        try:
            move = parse(by_key(dressed, data, lines or {}))
            outcome = compute_move(
                dressed,
                index,
                fits,
                move,
                partial(prop_named, dressed),
                fresh_key,
                facts=facts,
            )
        except MoveRefused as problem:
            raise FileError(f"move {number}: {problem}") from None
        if known:
            after = proved(dressed, index, fits, outcome.change)
            dressed, index, fits = after.dressed, after.index, after.fits
        else:
            dressed = outcome.change.on(dressed)
            follow(index, outcome.change, dressed)
        words.append(outcome.change.words)
        left += [(dressed.pieces[entry.key].name, entry.reason) for entry in outcome.left]
    return Applied(dressed, index, tuple(words), tuple(left))


def fresh_keys(dressed: Set) -> Callable[[], str]:
    """Keys that no record of a set has: what a file says of recipes and ties keeps the keys of earlier moves."""
    taken = {key for kind in KINDS for key in dressed.of_kind(kind)}
    numbers = count(1)
    return lambda: next(key for number in numbers if (key := f"new-{number}") not in taken)


def needs_fits(data: Any) -> bool:
    """Whether a move goes by the fit check of the set."""
    return isinstance(data, dict) and data.get("kind") == "repair"


def by_key(dressed: Set, data: Any, lines: Mapping[str, Line]) -> Any:
    """The move with the keys of pieces in the place of their names, and points for the name of a line. Raises MoveRefused."""
    if not isinstance(data, dict):
        return data
    keys = {piece.name: piece.key for piece in dressed.pieces.values()}

    def key_of(name: Any) -> str:
        if not isinstance(name, str) or name not in keys:
            raise MoveRefused(f"there is no piece named {name!r:.200}; see brickseat check")
        return keys[name]

    named = dict(data)
    if isinstance(named.get("pieces"), list):
        named["pieces"] = [key_of(name) for name in named["pieces"]]
    if isinstance(named.get("regions"), list):
        named["regions"] = [region_named(dressed, name) for name in named["regions"]]
    if isinstance(named.get("region"), str):
        named["region"] = region_named(dressed, named["region"])
    line = named.get("line")
    if isinstance(line, str):
        if line not in lines:
            raise MoveRefused(f"no node named {line!r} draws a line; those that do: {', '.join(lines) or 'none'}")
        named["line"], named["closed"] = lines[line].points.tolist(), lines[line].closed
    if named.get("kind") in ("scatter", "fill") and isinstance(named.get("recipe"), dict):
        try:
            named["recipe"] = recipe_by_key(named["recipe"], dressed, strict=True)
        except UnknownName as problem:
            raise MoveRefused(str(problem)) from None
    for field in NAMES_A_PIECE:
        if isinstance(named.get(field), str):
            named[field] = key_of(named[field])
    return named


def region_named(dressed: Set, name: str) -> str:
    """The key of the region of that name. Raises MoveRefused."""
    for region in dressed.regions.values():
        if region.name == name:
            return region.key
    raise MoveRefused(f"there is no region named {name!r}; see the nodes of role region")


def prop_named(dressed: Set, name: str) -> Prop:
    """The prop of that key, or the one that the piece of that name is a copy of. Raises MoveRefused."""
    pieces: list[Piece] = list(dressed.pieces.values())
    for piece in pieces:
        if piece.name == name or piece.prop.key == name:
            return piece.prop
    raise MoveRefused(f"no piece of the file is a copy of {name!r}; name a piece whose prop is wanted")
