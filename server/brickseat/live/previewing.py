"""A move previewed and not made: what the puck shows while it is dragged is what the move will do, exactly."""

from typing import Any

from brickseat.live.pointing import BadQuestion
from brickseat.sets.session import LiveSet
from brickseat_core.moves import REGISTRY, MoveRefused, compute_move, parse
from brickseat_core.scene import Prop
from brickseat_core.scene.encoding import encode

PREVIEW_SECONDS = 1.5
"""A preview that takes longer is given up: the next one is waiting."""


def preview(live: LiveSet, question: dict[str, Any]) -> dict[str, Any]:
    """The records as the move would leave them. Nothing is changed, and nothing is waited for. Raises BadQuestion."""

    def no_prop(key: str) -> Prop:
        raise MoveRefused("a new prop cannot be previewed")

    now = live.snapshot
    try:
        move = parse(question.get("move"))
        if not REGISTRY.of(move).quick:
            quick = ", ".join(sorted(k.kind for k in REGISTRY if k.quick))
            raise BadQuestion(f"only {quick} can be previewed")
        outcome = compute_move(now.dressed, now.index, now.fits, move, no_prop, lambda: "preview", PREVIEW_SECONDS)
    except MoveRefused as error:
        raise BadQuestion(str(error)) from None
    return {
        "words": outcome.change.words,
        "deltas": [
            {"kind": d.kind, "key": d.key, "after": encode(d.after) if d.after else None} for d in outcome.change.deltas
        ],
    }
