"""Set many pieces down where they are, again and again until nothing moves any more."""

from collections.abc import Callable, Iterable

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.modes import Mode
from brickseat_core.fit.repair import bottom_up
from brickseat_core.fit.rest import rest
from brickseat_core.fit.set_down import raised_onto
from brickseat_core.scene import Piece, Pose
from brickseat_core.tolerances import CONTACT_EPSILON, SEATED_TOLERANCE

MOST_ROUNDS = 24
"""Rounds over what was touched at most. What keeps pieces moving longer than that does not end."""


def set_all_down(
    index: SceneIndex,
    keys: Iterable[str],
    mode: Mode = "drop",
    tolerance: float = SEATED_TOLERANCE,
    tries: int = 1,
    on_progress: Callable[[int, int], object] = lambda done, total: None,
) -> dict[str, str]:
    """Set the pieces of ``keys`` down, from the bottom up; ``index`` is left holding them where they came to.

    ``mode``: "drop" moves them along their direction only, "rest" may tilt them to a stand; what finds no stand is
    dropped. What another one bore and left is set down again. ``tries``: starts of a rest. ``on_progress(done, total)``
    is called in the first round.

    Returns why pieces are not right, by key: nothing to rest on, or no stand near.
    """
    chosen = {k for k in keys if index.pieces[k].movable}
    left: dict[str, str] = {}
    waiting = chosen
    for round_ in range(MOST_ROUNDS):
        boxes = []
        order = bottom_up(index, (index.pieces[k] for k in waiting))
        for done, piece in enumerate(order):
            if round_ == 0:
                on_progress(done, len(order))
            elif mode == "rest" and not measure_fit(index, piece, tolerance).faults:
                continue
            pose, reason = placed(index, piece, mode, tolerance, tries)
            left.pop(piece.key, None)
            if reason:
                left[piece.key] = reason
            if moved_at_all(piece.pose, pose):
                boxes += [index.box_of(piece), index.box_of(piece.at(pose))]
                index.put(piece.at(pose))
        if not boxes:
            break
        waiting = chosen.intersection(index.affected_by(boxes, tolerance))
    return left


def placed(index: SceneIndex, piece: Piece, mode: Mode, tolerance: float, tries: int) -> tuple[Pose, str]:
    """Where a piece comes to, and why it is not right there; empty when it is."""
    reason = ""
    if mode == "rest":
        found = rest(index, piece, tries, tolerance=tolerance)
        if found.stable:
            return found.pose, ""
        reason = f"dropped, no stand near: {found.reason}"
    down = raised_onto(index, piece)
    if down.travel is None:
        return piece.pose, f"left where it is, {down.reason}"
    return down.pose, reason


def moved_at_all(before: Pose, after: Pose) -> bool:
    """Whether a piece moved by more than what counts as touching."""
    return before.basis != after.basis or float(np.abs(after.origin - before.origin).max()) > CONTACT_EPSILON
