"""Throw: what a recipe laid begins at a height instead, and falls with its weight and its grip until it lies.

Every contact is finished exactly, as after any settling. What does not come to lie in order, or rolls into a keep-out, is
not laid.
"""

from collections import Counter
from collections.abc import Collection
from dataclasses import replace

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.deadline import UNLIMITED, Deadline
from brickseat_core.fit.check import check, side_by_side
from brickseat_core.gravity.falling import Falls
from brickseat_core.gravity.settling import SettleSlip, settle
from brickseat_core.gravity.world import MOST_BODIES, NotForGravity
from brickseat_core.many.laying import IN_WORDS, Laid, Reason, volumes_of
from brickseat_core.many.places import Places
from brickseat_core.many.recipe import BadRecipe, ScatterRecipe
from brickseat_core.scene import DOWN

SECONDS = 8.0
"""Simulated at most: then what still rolls is held."""


def thrown(
    laid: Laid,
    places: Places,
    recipe: ScatterRecipe,
    falls: Falls,
    tolerance: float,
    stays: Collection[int],
    deadline: Deadline = UNLIMITED,
) -> Laid:
    """The pieces of ``laid`` where they lie once they have fallen ``recipe.throw_m`` metres, but for the numbers in ``stays``.

    ``places``: with ``laid`` standing in its index, which is a fork of its own. The outcome depends on numbers, not on keys.
    Raises BadRecipe, and GivenUp where the deadline says so.
    """
    height = np.array([0.0, recipe.throw_m or 0.0, 0.0])
    falling = {n: p for n, p in laid.pieces.items() if n not in stays}
    if len(falling) > MOST_BODIES:
        raise BadRecipe(f"throw_m: {MOST_BODIES} pieces can fall at once; lay fewer, or seat them")
    if not falling:
        return laid
    index = places.index
    for piece in falling.values():
        index.remove(piece.key)
    # What falls is sorted by its keys: those that are made up anew each time would give another outcome each time.
    named = {f"thrown {number:09d}": number for number in falling}
    raised = [
        replace(falling[n], key=key, pose=falling[n].pose.moved(height), direction=DOWN, sink=0.0, stand_off=0.0)
        for key, n in named.items()
    ]
    index.put_all(raised)
    props = {p.prop.key: p.prop for p in raised}

    def hears(words: str, share: float) -> bool:
        deadline.check(round(share * len(raised)), len(raised))
        return True

    try:
        how = {key: falls(prop) for key, prop in props.items()}
        settled = settle(
            index,
            list(named),
            SettleSlip(seed=recipe.seed % 2**31, seconds=SECONDS),
            {key: one.shape for key, one in how.items()},
            {key: one.properties for key, one in how.items()},
            tolerance,
            hears,
        )
    except NotForGravity as problem:
        raise BadRecipe(f"throw_m: {problem}") from None
    index.put_all(settled.pieces)
    left: Counter[Reason] = Counter(laid.left)
    volumes = volumes_of(places, recipe)
    with side_by_side(len(settled.pieces)) as each:
        allowed = dict(zip((p.key for p in settled.pieces), volumes.allow(list(settled.pieces), each), strict=True))
    wrong = {key for key in settled.named if allowed[key]}
    left["unsettled"] += len(wrong)
    out = {key for key, fine in allowed.items() if not fine}
    left["kept_out"] += len(out)
    lying = {p.key for p in settled.pieces} - wrong - out
    for key in wrong | out:
        index.remove(key)
    fallen = without_support(index, lying, tolerance)
    left["unsettled"] += len(fallen)
    stand = {n: replace(index.pieces[k], key=falling[n].key) for k, n in named.items() if k in lying - fallen}
    pieces = {n: stand.get(n, p) for n, p in laid.pieces.items() if n in stand or n not in falling}
    return Laid(pieces, laid.wanted, {reason: left[reason] for reason in IN_WORDS if left[reason]})


def without_support(index: SceneIndex, lying: Collection[str], tolerance: float) -> set[str]:
    """Take away what lay on what is gone, until all that is left is in order; the keys of it."""
    gone: set[str] = set()
    for _ in range(len(lying)):
        faulty = [k for k, fit in check(index, tolerance, sorted(set(lying) - gone)).items() if fit.faults]
        if not faulty:
            break
        for key in faulty:
            index.remove(key)
        gone.update(faulty)
    return gone
