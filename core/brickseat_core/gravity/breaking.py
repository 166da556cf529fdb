"""Breaking: what is struck harder than it bears becomes shards, which can break again down to a least size."""

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, replace
from hashlib import blake2b

import numpy as np

from brickseat_core.gravity.shapes import PART_CORNERS, ContactShape, NoShape, few_corners
from brickseat_core.gravity.shards import MOST_LOST, Unbreakable, shards_of
from brickseat_core.gravity.world import GRAVITY, PhysicalProperties, World
from brickseat_core.scene import Piece, Prop, Vec

STRIKE_STEPS = 3
"""Steps over which a blow is summed up: soft contacts stretch it so long."""
HARDER = 2.0
"""How many times as far a shard may fall as what it is of: the flaws are used up, and what is left is stiffer."""
PATTERNS = 3
"""Ways in which copies of one prop break: what differs more is not seen, and the shards of each are made but once."""


@dataclass(frozen=True)
class Shattered:
    """The ``pieces`` that one breaks into, each a prop of its own, with what gravity has to know of those props."""

    pieces: tuple[Piece, ...]
    shapes: dict[str, ContactShape]
    properties: dict[str, PhysicalProperties]


def key_of(*parts: object) -> str:
    """A short key that is the same for the same parts."""
    return blake2b("/".join(map(str, parts)).encode(), digest_size=8).hexdigest()


def shattered(piece: Piece, physical: PhysicalProperties, seed: int, least: float) -> Shattered:
    """What ``piece`` breaks into where it is; the same for the same seed. ``least``: metres of a shard.

    Raises Unbreakable, saying why.
    """
    prop, linear = piece.prop, piece.pose.linear
    scale = abs(float(np.linalg.det(linear))) ** (1.0 / 3.0)
    pattern = (seed + int(key_of(piece.key), 16)) % PATTERNS
    # To three figures, so that copies that are all but of one size share their shards.
    fine = float(f"{least / scale:.3g}")
    pieces, shapes, properties = [], {}, {}
    made = shards_of(prop.mesh, pattern, fine)
    whole = sum(abs(s.mesh.mass[0]) for s in made)
    kept_share = 0.0
    for number, shard in enumerate(made, 1):
        key = f"shard-{key_of(prop.key, pattern, fine, number)}"
        named = f"shard {number} of {piece.name}"
        kept = Prop(key, f"shard {number} of {prop.name}", shard.mesh)
        try:
            hull = few_corners(shard.mesh.vertices, PART_CORNERS[0])
        except NoShape:
            continue
        shapes[key] = ContactShape("hull", (hull,), np.nan, np.nan)
        share = abs(shard.mesh.mass[0]) / whole
        kept_share += share
        properties[key] = replace(
            physical,
            mass=None if physical.mass is None else physical.mass * share,
            fall=HARDER * physical.bears,
        )
        pose = piece.pose.moved(linear @ shard.centre)
        pieces.append(
            replace(piece, key=key_of(piece.key, number), name=named, prop=kept, pose=pose, sink=0.0, stand_off=0.0)
        )
    if len(pieces) < 2 or kept_share < 1.0 - MOST_LOST:
        raise Unbreakable("its shards are too thin to fall")
    return Shattered(tuple(pieces), shapes, properties)


class Blows:
    """Watches a world for blows: the sudden change of a body's velocity that gravity does not account for."""

    def __init__(self, world: World) -> None:
        self.world = world
        self._seen: deque[dict[int, Vec]] = deque(maxlen=STRIKE_STEPS + 1)

    def forget(self, numbers: Iterable[int]) -> None:
        """What was put somewhere, or is held, is not struck by that."""
        for number in numbers:
            for seen in self._seen:
                seen.pop(number, None)

    def struck(self, strengths: dict[int, float]) -> list[int]:
        """After each step: those of the bodies that got a blow beyond their strength (m/s)."""
        numbers = list(strengths)
        self._seen.append(dict(zip(numbers, self.world.velocities(numbers), strict=True)))
        before = self._seen[0]
        fallen = np.array([0.0, -GRAVITY, 0.0]) * self.world.settings.dt * (len(self._seen) - 1)
        now = self._seen[-1]
        return [n for n in numbers if n in before and float(np.linalg.norm(now[n] - before[n] - fallen)) > strengths[n]]
