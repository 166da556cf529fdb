"""Group: pieces that are picked up as one."""

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, piece_delta


@dataclass(frozen=True)
class GroupMove:
    """Pieces that are picked up as one from now on; an empty ``name`` parts them."""

    kind: Literal["group"]
    pieces: Pieces
    name: Annotated[str, Field(max_length=80)] = ""


def compute(scene: Scene, move: GroupMove) -> Outcome:
    """The pieces in their new group. Raises MoveRefused when fewer than two are to be grouped."""
    pieces, name = chosen(scene, move.pieces, must_move=False), move.name.strip()
    if name and len(pieces) < 2:
        raise MoveRefused("a group has two pieces or more; select more of them")
    deltas = tuple(piece_delta(p, replace(p, group=name)) for p in pieces if p.group != name)
    return Outcome(Change(f"{f'grouped as “{name}”:' if name else 'parted'} {in_short(pieces)}", deltas))


REGISTRY.register(GroupMove, compute)
