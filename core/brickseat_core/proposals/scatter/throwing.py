"""Throw: what a recipe laid begins at a height instead, and falls with its weight and its grip until it lies.

Every contact is finished exactly, as after any settling. What does not come to lie in order, or rolls into a keep-out, is
not laid.
"""

from collections import Counter
from collections.abc import Collection
from dataclasses import replace

import numpy as np

from brickseat_core.admission.reasons import IN_WORDS, Reason
from brickseat_core.admission.withdrawing import withdrawn
from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import side_by_side
from brickseat_core.gravity.falling import Falls
from brickseat_core.gravity.settling import Settled, SettleSlip, settle
from brickseat_core.gravity.world import MOST_BODIES, NotForGravity
from brickseat_core.proposals.scatter.laying import Laid, volumes_of
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import BadRecipe, ScatterRecipe
from brickseat_core.recipes.volumes import Volumes
from brickseat_core.scene import DOWN, Piece

SECONDS = 8.0
"""Simulated at most: then what still rolls is held."""


def thrown(
    laid: Laid,
    places: Places,
    recipe: ScatterRecipe,
    falls: Falls,
    tolerance: float,
    stays: Collection[int],
    budget: Budget = UNLIMITED,
) -> Laid:
    """The pieces of ``laid`` where they lie once they have fallen ``recipe.throw_m`` metres, but for the numbers in ``stays``.

    ``places``: with ``laid`` standing in its index, which is a fork of its own. The outcome depends on numbers, not on keys.
    Raises BadRecipe, and GivenUp where the budget says so.
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
    named = {f"thrown {number:012d}": number for number in falling}
    raised = [
        replace(falling[n], key=key, pose=falling[n].pose.moved(height), direction=DOWN, sink=0.0, stand_off=0.0)
        for key, n in named.items()
    ]
    index.put_all(raised)
    settled = let_fall(index, raised, falls, recipe.seed, tolerance, budget)
    index.put_all(settled.pieces)
    why = taken_away(index, settled, volumes_of(places, recipe), tolerance, budget)
    stand = {n: replace(index.pieces[k], key=falling[n].key) for k, n in named.items() if k not in why}
    pieces = {n: stand.get(n, p) for n, p in laid.pieces.items() if n in stand or n not in falling}
    left = Counter(laid.left) + Counter(why.values())
    return Laid(pieces, laid.wanted, {reason: left[reason] for reason in IN_WORDS if left[reason]})


def let_fall(
    index: SceneIndex, pieces: list[Piece], falls: Falls, seed: int, tolerance: float, budget: Budget
) -> Settled:
    """What comes of ``pieces``, which stand raised in ``index``. Raises BadRecipe where one cannot fall, and GivenUp."""
    try:
        how = {prop.key: falls(prop, budget) for prop in {p.prop.key: p.prop for p in pieces}.values()}
        return settle(
            index,
            [p.key for p in pieces],
            SettleSlip(seed=seed % 2**31, seconds=SECONDS),
            {key: one.shape for key, one in how.items()},
            {key: one.properties for key, one in how.items()},
            tolerance,
            budget,
        )
    except NotForGravity as problem:
        raise BadRecipe(f"throw_m: {problem}") from None


def taken_away(
    index: SceneIndex, settled: Settled, volumes: Volumes, tolerance: float, budget: Budget
) -> dict[str, Reason]:
    """Take away what is not in order, or reaches where it may not, and what lay on that; the keys of it, each with the reason."""
    pieces = list(settled.pieces)
    with side_by_side(len(pieces)) as each:
        allowed = volumes.allow(pieces, each)
    why: dict[str, Reason] = {p.key: "kept_out" for p, fine in zip(pieces, allowed, strict=True) if not fine}
    why.update((key, "unsettled") for key in settled.named if key not in why)
    for key in why:
        index.remove(key)
    gone = withdrawn(index, [p.key for p in pieces if p.key not in why], tolerance, budget.check)
    return {**why, **dict.fromkeys(gone, "unsettled")}
