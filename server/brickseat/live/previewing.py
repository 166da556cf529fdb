"""A move previewed and not made: what the puck shows while it is dragged is what the move will do, exactly."""

from functools import partial
from itertools import count
from typing import Any

from brickseat.live.known_props import KnownProps
from brickseat.live.messages import NotUnderstood, PreviewQuestion
from brickseat.sets.session import LiveSet
from brickseat.sets.shapes import note_previewed
from brickseat_core.budget import Budget
from brickseat_core.constraints.cutting import derived_meshes
from brickseat_core.moves import REGISTRY, MoveRefused, compute_move
from brickseat_core.scene.encoding import encode

PREVIEW_SECONDS = 1.5
"""A preview that takes longer is given up: the next one is waiting."""


def preview(live: LiveSet, question: PreviewQuestion, props: KnownProps) -> dict[str, Any]:
    """The records as the move would leave them. Nothing is changed, and nothing is waited for. Raises NotUnderstood and Unfamiliar."""
    now, move, numbers = live.snapshot, question.move, count(1)
    if not REGISTRY.of(move).quick:
        quick = ", ".join(sorted(k.kind for k in REGISTRY if k.quick))
        raise NotUnderstood(f"only {quick} can be previewed", question.n)
    try:
        outcome = compute_move(
            now.dressed,
            now.index,
            now.fits,
            move,
            partial(props.of, live),
            lambda: f"preview-{next(numbers)}",
            Budget(PREVIEW_SECONDS),
        )
    except MoveRefused as error:
        raise NotUnderstood(str(error), question.n, error.ties) from None
    shapes = {}
    if now.dressed.cut_outs:
        derived = derived_meshes(outcome.change.on(now.dressed))
        for piece, mesh in derived.items():
            if now.index.derived.get(piece) is not mesh:
                note_previewed(piece, mesh)
                shapes[piece] = f"/api/sets/{live.key}/shapes/{piece}/{mesh.digest}.glb"
    return {
        "revision": now.revision,
        "words": outcome.change.words,
        "shapes": shapes,
        "deltas": [
            {"kind": d.kind, "key": d.key, "after": encode(d.after) if d.after else None} for d in outcome.change.deltas
        ],
    }
