"""How the two sets of Hollow Hill Pottery are dressed: each piece set down by the core, a few left wrong."""

import math
from collections.abc import Mapping

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Set, Triple, rotation_about

BEARER_PLACES: dict[str, tuple[Triple, float]] = {
    "workshop-floor": ((0.0, 0.0, 0.0), 0.0),
    "workshop-walls": ((0.0, 0.0, 0.0), 0.0),
    "shelf-unit": ((-1.55, 0.0, -4.4), 0.0),
    "work-table": ((0.75, 0.0, -2.55), 0.0),
    "roof-beam": ((0.0, 0.0, 0.0), 0.0),
    "plaster-sweep": ((2.05, 0.0, -3.68), 0.0),
    "kiln-yard": ((0.0, 0.0, 0.0), 0.0),
    "door-step": ((0.0, 0.0, 0.0), 0.0),
    "beehive-kiln": ((-3.3, -0.42, 3.4), 70.0),
}
FREE_FALL = 0.4


class Dressing:
    """A set while it is being dressed."""

    def __init__(self, props: Mapping[str, Prop]) -> None:
        self.props = props
        self.index = SceneIndex()
        self.counts: dict[str, int] = {}
        for key, (at, turn) in BEARER_PLACES.items():
            prop = props[key]
            pose = Pose.of(rotation_about(np.array([0.0, 1.0, 0.0]), math.radians(turn)), np.array(at))
            self.index.put(Piece(key, prop.name, prop, pose, "bearer"))
        self.index.judge_senses()

    def _piece(self, key: str, at: Triple, turn: float, size: float, direction: Triple, sink: float) -> Piece:
        prop = self.props[key]
        number = self.counts[key] = self.counts.get(key, 0) + 1
        linear = rotation_about(np.array([0.0, 1.0, 0.0]), math.radians(turn)) * size
        return Piece(
            f"{key}-{number}", f"{prop.name} {number}", prop, Pose.of(linear, np.array(at)), "prop", direction, sink
        )

    def put(
        self,
        key: str,
        x: float,
        z: float,
        above: float,
        *,
        turn: float = 0.0,
        size: float = 1.0,
        sink: float = 0.0,
        direction: Triple = DOWN,
    ) -> Piece:
        """Set a prop down at (x, z), falling from just above height ``above`` (or from there along ``direction``)."""
        start = above if direction != DOWN else above + 0.002
        piece = self._piece(key, (x, start, z), turn, size, direction, sink)
        result = set_down(self.index, piece)
        placed = piece.at(result.pose)
        self.index.put(placed)
        return placed

    def wrong(self, key: str, at: Triple, *, turn: float = 0.0) -> Piece:
        """Leave a prop exactly where it is, right or not."""
        piece = self._piece(key, at, turn, 1.0, DOWN, 0.0)
        self.index.put(piece)
        return piece

    def shift(self, piece: Piece, by: Triple) -> None:
        self.index.put(piece.at(piece.pose.moved(np.array(by))))

    def top(self, piece: Piece) -> float:
        return float(self.index.box_of(piece)[1][1])

    def stack(self, keys: list[str], x: float, z: float, above: float, turn: float = 0.0) -> list[Piece]:
        """One on another, each falling onto the last."""
        out: list[Piece] = []
        height = above
        for i, key in enumerate(keys):
            piece = self.put(key, x, z, height, turn=turn + 7.0 * i)
            out.append(piece)
            height = max(height, self.top(piece))
        return out


def workshop(name: str, props: Mapping[str, Prop]) -> Set:
    """The workshop, mostly dressed."""
    d = Dressing(props)
    table, shelf_x, shelf_z = 0.86, -1.55, -4.4
    boards = (0.102, 0.582, 1.042, 1.482)

    # The shelf: sacks and bricks below, big pots, then small ones.
    for k in range(3):
        d.stack(["fire-brick"] * (3 - k), shelf_x - 0.68 + 0.25 * k, shelf_z, boards[0], 90.0)
    d.put("log-basket", shelf_x + 0.5, shelf_z + 0.02, boards[0], size=0.66)
    d.put("squat-jar", shelf_x - 0.7, shelf_z, boards[1])
    d.stack(["squat-jar", "squat-jar-lid"], shelf_x - 0.4, shelf_z, boards[1])
    d.stack(["tall-jar", "tall-jar-lid"], shelf_x - 0.1, shelf_z, boards[1])
    d.stack(["tall-jar", "tall-jar-lid"], shelf_x + 0.17, shelf_z, boards[1])
    d.put("cider-jug", shelf_x + 0.52, shelf_z, boards[1], turn=-35.0)
    d.stack(["wide-bowl"] * 3, shelf_x - 0.66, shelf_z, boards[2])
    d.stack(["cereal-bowl"] * 4, shelf_x - 0.34, shelf_z, boards[2])
    d.stack(["dip-bowl"] * 3, shelf_x - 0.1, shelf_z + 0.02, boards[2])
    d.stack(["side-plate"] * 5, shelf_x + 0.16, shelf_z, boards[2])
    d.stack(["dinner-plate"] * 4, shelf_x + 0.5, shelf_z, boards[2])
    for k in range(4):
        d.put("mug", shelf_x - 0.72 + 0.15 * k, shelf_z + 0.03, boards[3], turn=200.0 + 31.0 * k)
    for k in range(3):
        d.put("bottle", shelf_x + 0.02 + 0.13 * k, shelf_z, boards[3], turn=40.0 * k)
    d.put("milk-jug", shelf_x + 0.58, shelf_z, boards[3], turn=-60.0)
    d.put("egg-basket", shelf_x - 0.4, shelf_z, 1.935)
    d.put("sage-pot", shelf_x + 0.45, shelf_z, 1.935, size=0.8)

    # The work table: the day's throwing.
    tx, tz = 0.75, -2.55
    d.put("kiln-bat", tx - 0.75, tz + 0.05, table)
    d.put("wide-bowl", tx - 0.75, tz + 0.05, table + 0.02)
    d.put("kiln-bat", tx - 0.24, tz - 0.1, table)
    d.put("tall-jar", tx - 0.24, tz - 0.1, table + 0.02)
    d.stack(["dinner-plate"] * 3, tx + 0.28, tz + 0.18, table)
    d.put("thyme-pot", tx + 0.9, tz - 0.26, table)
    for row in range(2):
        for k in range(4):
            d.put("glazed-tile", tx + 0.5 + 0.1 * k, tz + 0.04 + 0.1 * row, table)
    d.stack(["glazed-tile"] * 5, tx + 0.62, tz - 0.2, table, 12.0)
    d.put("mug", tx + 0.05, tz + 0.3, table, turn=150.0)

    # Trestles with two planks, and what stands on them.
    ax, az = -1.85, -1.55
    for x in (ax - 0.62, ax + 0.62):
        d.put("trestle", x, az, 0.0)
    for k in (-1, 1):
        d.put("plank", ax, az + 0.125 * k, 0.72)
    d.put("bucket", ax - 0.45, az, 0.76, turn=25.0)
    d.put("squat-jar", ax, az - 0.1, 0.76)
    d.put("milk-jug", ax + 0.34, az + 0.08, 0.76, turn=120.0)
    d.put("thyme-pot", ax + 0.66, az - 0.06, 0.76)

    # On the floor.
    d.put("grain-sack", -2.55, -3.55, 0.0, turn=10.0)
    d.put("grain-sack", -2.5, -3.05, 0.0, turn=80.0, size=0.92)
    d.put("clay-sack", -2.52, -2.5, 0.0, turn=95.0)
    d.put("stool", 0.5, -1.55, 0.0, turn=12.0)
    d.put("stool", 1.5, -1.6, 0.0, turn=70.0)
    d.put("crate", 2.4, -1.7, 0.0, turn=14.0)
    d.put("log-basket", 2.35, -0.85, 0.0)
    d.put("bucket", -0.3, -4.25, 0.0, turn=60.0)
    d.put("ladder", -0.2, -3.55, 0.0, turn=4.0)
    for k in range(6):
        d.put("floor-tile", -0.9 + 0.2 * (k % 3), -0.5 + 0.2 * (k // 3), 0.0)

    # On the plaster sweep: the pot that is to be photographed.
    d.put("cider-jug", 2.05, -3.35, 0.05, turn=35.0)
    d.put("dip-bowl", 2.4, -3.15, 0.05)

    # Under the beam and on the wall.
    d.put("hanging-lamp", 0.75, -2.55, 1.3, direction=(0.0, 1.0, 0.0))
    d.put("hanging-lamp", -1.75, -2.55, 1.3, direction=(0.0, 1.0, 0.0))
    for k in range(4):
        d.put("wall-peg", -2.8, -2.1 + 0.3 * k, 1.45, direction=(-1.0, 0.0, 0.0))

    # Left wrong on purpose.
    d.wrong("cider-jug", (tx - 0.5, table + 0.012, tz + 0.24), turn=15.0)
    d.wrong("cereal-bowl", (tx + 0.05, table - 0.007, tz - 0.05))
    d.wrong("crate", (1.9, 0.09, -0.5), turn=-20.0)
    pot = d.put("sage-pot", -0.2, -1.2, 0.0)
    d.shift(pot, (0.0, 0.035, 0.0))
    jar = d.put("squat-jar", ax + 0.1, az + 0.14, 0.76)
    d.shift(jar, (-0.012, 0.0, -0.03))
    d.wrong("dinner-plate", (tx + 1.125, table, tz + 0.3))
    return Set.of(name, d.index.pieces.values())


def yard(name: str, props: Mapping[str, Prop]) -> Set:
    """The kiln yard in the morning, nearly bare."""
    d = Dressing(props)
    for x, z, turn, key, sink in (
        (1.9, 1.5, 20.0, "long-stone", 0.07),
        (2.6, 2.6, 75.0, "round-stone", 0.06),
        (-1.5, 1.2, 40.0, "flat-stone", 0.045),
        (1.7, 4.9, 110.0, "round-stone", 0.05),
        (-1.2, 6.2, 0.0, "long-stone", 0.08),
    ):
        d.put(key, x, z, 1.0, turn=turn, sink=sink)
    d.put("bucket", -0.7, 0.36, 0.0, turn=40.0)
    d.put("thyme-pot", 0.9, 0.34, 0.0)
    d.put("standee", 0.6, -0.5, 0.02)
    d.stack(["fire-brick", "fire-brick"], -2.936, 2.394, -0.2, -20.0)
    d.wrong("log-basket", (0.35, -0.22, 1.5))
    d.wrong("round-stone", (3.0, -0.2, 4.2), turn=30.0)
    return Set.of(name, d.index.pieces.values())
