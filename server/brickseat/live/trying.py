"""A move tried and not made: what the puck shows while it is dragged is what the move will do, exactly."""

from typing import Any

from pydantic import ValidationError

from brickseat.live.pointing import BadQuestion
from brickseat.live.session import LiveSet
from brickseat.sets.records import piece_record
from brickseat.sets.requests import MoveRequest, core_move
from brickseat_core.placing.making import compute
from brickseat_core.placing.moves import MoveRefused
from brickseat_core.scene import Prop

QUICK = ("slide", "carry", "push", "turn", "size", "bed", "seat", "place")
"""Moves that are computed within a frame or two."""


def tried(live: LiveSet, question: dict[str, Any]) -> dict[str, Any]:
    """The pieces as the move would leave them. Raises BadQuestion."""
    try:
        asked = MoveRequest.model_validate({"move": question.get("move")}).move
    except ValidationError as error:
        raise BadQuestion(f"the move is not understood: {error.errors()[0].get('msg')}") from None
    if asked.kind not in QUICK:
        raise BadQuestion(f"only {', '.join(QUICK)} can be tried before they are made")

    def no_prop(key: str) -> Prop:
        raise MoveRefused("a new prop cannot be tried")

    with live.lock:
        try:
            outcome = compute(live.index, core_move(asked, no_prop), live.tolerance, live.fits)
        except MoveRefused as error:
            raise BadQuestion(str(error)) from None
    return {
        "words": outcome.change.words,
        "deltas": [{"key": d.key, "piece": piece_record(d.after) if d.after else None} for d in outcome.change.deltas],
    }
