"""Loosen: ties taken away."""

from typing import Annotated, Literal

from pydantic import Field
from pydantic.dataclasses import dataclass

from brickseat_core.constraints.tie_measures import tie_words
from brickseat_core.fit.repair import Left
from brickseat_core.moves.choosing import chosen, in_short
from brickseat_core.moves.fields import MOST_PIECES, Key, Pieces
from brickseat_core.moves.registry import REGISTRY, MoveRefused, Outcome, Scene
from brickseat_core.scene import Change, Delta, Tie


@dataclass(frozen=True)
class LoosenMove:
    """The ties of these keys, locked ones too; or those of ``pieces`` that are not locked, of one kind or of all but joins."""

    kind: Literal["loosen"]
    ties: Annotated[tuple[Key, ...], Field(max_length=MOST_PIECES)] = ()
    pieces: Pieces | None = None
    tie: Literal["cling", "gap", "square", "join"] | None = None


def compute(scene: Scene, move: LoosenMove) -> Outcome:
    """The ties gone. Raises MoveRefused where there are none to loosen."""
    ties: list[Tie] = []
    for key in dict.fromkeys(move.ties):
        tie = scene.dressed.ties.get(key)
        if tie is None:
            raise MoveRefused("that tie is no longer there; somebody loosened it")
        ties.append(tie)
    left: list[Left] = []
    if move.pieces is not None:
        keys = {p.key for p in chosen(scene, move.pieces, must_move=False)}
        for tie in scene.dressed.ties.values():
            wanted = tie.tie == move.tie if move.tie is not None else tie.tie != "join"
            if tie.piece in keys and wanted and tie not in ties:
                if tie.locked:
                    left.append(Left(tie.piece, f"{tie_words(tie, scene.dressed)} is locked; loosen it by its name"))
                else:
                    ties.append(tie)
    if not ties and not left:
        raise MoveRefused("there is no such tie to loosen")
    if len(ties) == 1:
        words = f"loosened {tie_words(ties[0], scene.dressed)}"
    elif move.pieces is not None:
        words = f"loosened {len(ties)} ties of {in_short(chosen(scene, move.pieces, must_move=False))}"
    else:
        words = f"loosened {len(ties)} ties"
    return Outcome(Change(words, tuple(Delta("tie", t.key, t, None) for t in ties)), tuple(left))


REGISTRY.register(LoosenMove, compute)
