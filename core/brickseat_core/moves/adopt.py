"""Adopt: what gravity made of pieces becomes the set."""

from dataclasses import dataclass, replace
from typing import Literal

from brickseat_core.moves.choosing import FreshNames, chosen, in_short, taken_names
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import DOWN, Change, Piece, Pose, piece_delta


@dataclass(frozen=True)
class AdoptMove:
    """Pieces to where they came to lie under gravity: one of ``poses`` for each of ``pieces``.

    ``born``: new pieces, poured or shards. ``broken``: keys of what broke into them.
    """

    kind: Literal["adopt"]
    pieces: tuple[str, ...]
    poses: tuple[Pose, ...]
    born: tuple[Piece, ...] = ()
    broken: tuple[str, ...] = ()


def compute(scene: Scene, move: AdoptMove) -> Outcome:
    """The pieces where they lie, new ones added, broken ones gone. Raises MoveRefused when done already."""
    pieces = chosen(scene, move.pieces) if move.pieces else []
    broken = chosen(scene, move.broken) if move.broken else []
    if any(p.key in scene.dressed.pieces for p in move.born):
        raise MoveRefused("that has been adopted already")
    # What has landed is seated downwards, and no longer kept off anything.
    lying = [replace(p.at(pose), direction=DOWN, stand_off=0.0) for p, pose in zip(pieces, move.poses, strict=True)]
    deltas = [piece_delta(p, q) for p, q in zip(pieces, lying, strict=True) if q != p]
    deltas += [piece_delta(p, None) for p in broken]
    taken = taken_names(scene)
    names = FreshNames(taken)
    for piece in move.born:
        name = piece.name if piece.name not in taken else names.of(piece.prop.name)
        taken.add(name)
        deltas.append(piece_delta(None, replace(piece, name=name)))
    said = []
    if deltas and pieces:
        said.append(f"settled {in_short(pieces)}")
    if broken:
        said.append(f"broke {in_short(broken)}")
    elif move.born:
        said.append(f"poured {in_short(list(move.born))}")
    return Outcome(Change(" and ".join(said) or "settled nothing", tuple(deltas)))


REGISTRY.register(AdoptMove, compute, asked=False)
