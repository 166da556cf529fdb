"""What is laid on each point: which prop, how large, and how turned. Each is a chance of its own, so that to change one leaves the others."""

from collections import Counter

import numpy as np
from numpy.typing import NDArray

from brickseat_core.placing.frames import SIDE_ROTATIONS
from brickseat_core.recipes.chance import chances, channel
from brickseat_core.recipes.scatter_schema import PropRule, SizeRange
from brickseat_core.scene import Vec

STRAIGHT_ON = 1e-12


def identities_of(props: tuple[PropRule, ...]) -> list[str]:
    """(n,) what chances tell the rules of a recipe by: a prop that several rules name has a chance of its own in each of them."""
    times: Counter[str] = Counter()
    found = []
    for rule in props:
        times[rule.identity] += 1
        again = times[rule.identity]
        found.append(rule.identity if again == 1 else f"{rule.identity} ({again})")
    return found


def kinds_of(numbers: NDArray[np.int64], props: tuple[PropRule, ...], seed: int) -> NDArray[np.int64]:
    """(n,) which of ``props`` each number gets, by their shares.

    Weighted rendezvous hashing (Schindelhauer and Schomaker, "Weighted distributed hash tables", 2005): where a share
    changes, only so many change as must.
    """
    score = np.stack(
        [
            -np.log1p(-chances(numbers, seed, "kind", name)) / rule.share
            for name, rule in zip(identities_of(props), props, strict=True)
        ]
    )
    return np.asarray(np.argmin(score, axis=0))


def drawn_from(low: float, high: float, step: float, chance: Vec, around: bool = False) -> Vec:
    """(n,) values of a range by chance, in steps from its low end where there are any. ``around``: 360 is 0 again."""
    if step <= 0.0:
        return low + (high - low) * chance
    many = int(np.floor((high - low) / step + 1e-9)) + 1
    if around and many > 1 and (many - 1) * step >= 360.0 - 1e-9:
        many -= 1
    return low + step * np.minimum(np.floor(chance * many), many - 1)


def factors_of(numbers: NDArray[np.int64], rule: PropRule, seed: int) -> Vec:
    """(n, 3) factors along the own axes of a prop."""
    identity = channel(rule.identity)
    ranges: tuple[tuple[str, SizeRange], ...] = (
        ("across", rule.size_across),
        ("up", rule.size_up),
        ("along", rule.size_along),
    )
    whole = drawn_from(*rule.size, rule.size_step, chances(numbers, seed, "size", identity))
    axes = [drawn_from(*span, rule.size_step, chances(numbers, seed, "size", axis, identity)) for axis, span in ranges]
    return np.asarray(whole[:, None] * np.stack(axes, axis=1))


def rotations_about(axis: int, degrees: Vec) -> Vec:
    """(n, 3, 3) rotations about one of the world's axes."""
    a = np.radians(degrees)
    cosine, sine, found = np.cos(a), np.sin(a), np.zeros((len(a), 3, 3))
    i, j = (axis + 1) % 3, (axis + 2) % 3
    found[:, axis, axis] = 1.0
    found[:, i, i] = found[:, j, j] = cosine
    found[:, i, j], found[:, j, i] = -sine, sine
    return found


def tilts_to(ups: Vec) -> Vec:
    """(n, 3, 3) least rotations that bring straight up to unit ``ups`` (n, 3) (Rodrigues)."""
    x, cosine, z = ups[:, 0], ups[:, 1], ups[:, 2]
    found = np.zeros((len(ups), 3, 3))
    down = cosine < -1.0 + STRAIGHT_ON
    k = 1.0 / np.where(down, 1.0, 1.0 + cosine)
    found[:, 0, 0], found[:, 0, 1], found[:, 0, 2] = 1.0 - k * x * x, x, -k * x * z
    found[:, 1, 0], found[:, 1, 1], found[:, 1, 2] = -x, cosine, -z
    found[:, 2, 0], found[:, 2, 1], found[:, 2, 2] = -k * x * z, z, 1.0 - k * z * z
    found[down] = np.diag([1.0, -1.0, -1.0])
    return found


def leaned_ups(normals: Vec, lean: float) -> Vec:
    """(n, 3) unit ways up between plumb (``lean`` 0) and unit ``normals`` (1), along the great circle."""
    plumb = np.array([0.0, 1.0, 0.0])
    angle = np.arccos(np.clip(normals[:, 1], -1.0, 1.0))
    sine = np.sin(angle)
    level = sine < 1e-9
    safe = np.where(level, 1.0, sine)
    found = (np.sin((1.0 - lean) * angle) / safe)[:, None] * plumb + (np.sin(lean * angle) / safe)[:, None] * normals
    found[level] = np.where(normals[level, 1:2] < 0.0, -1.0 if lean == 1.0 else 1.0, 1.0) * plumb
    return np.asarray(found / np.linalg.norm(found, axis=1)[:, None])


def bases_of(numbers: NDArray[np.int64], ups: Vec, rule: PropRule, seed: int) -> Vec:
    """(n, 3, 3) bases of copies of one prop whose way up is ``ups`` (n, 3): turned and sized by chance, on its touch side."""
    identity = channel(rule.identity)
    turn = drawn_from(*rule.turn_deg, rule.turn_step_deg, chances(numbers, seed, "turn", identity), around=True)
    across = drawn_from(*rule.tip_across_deg, rule.tip_step_deg, chances(numbers, seed, "tip across", identity))
    along = drawn_from(*rule.tip_along_deg, rule.tip_step_deg, chances(numbers, seed, "tip along", identity))
    turned = tilts_to(ups) @ rotations_about(1, turn)
    tipped = rotations_about(0, across) @ rotations_about(2, along)
    return np.asarray(turned @ tipped @ SIDE_ROTATIONS[rule.side] * factors_of(numbers, rule, seed)[:, None, :])
