"""“Kiln loading, evening”: a set dressed by moves alone, with joins, ties and openings in its walls."""

import math
from collections.abc import Mapping
from itertools import count
from typing import Any

import numpy as np

from brickseat.demo.place import ROOF_SLOPE
from brickseat_core.constraints.indexing import follow, index_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.moves import compute_move, parse
from brickseat_core.scene import Change, Delta, Piece, Prop, Quaternion, Set, Tie, Triple

BACK_WALL_TURN = -11.0
"""Degrees by which the back wall stands aslant."""
PLACES: dict[str, tuple[Triple, float]] = {
    "shed-floor": ((0.0, 0.0, 0.0), 0.0),
    "shed-back-wall": ((0.0, 0.0, -1.9), BACK_WALL_TURN),
    "shed-side-wall": ((-2.4, 0.0, 0.0), 0.0),
    "shed-beam": ((0.0, 2.28, -0.35), 0.0),
    "wood-store": ((1.75, 0.0, -0.55), 0.0),
}


def turn_about_up(degrees: float) -> Quaternion:
    """The quaternion of a turn about the vertical."""
    half = math.radians(degrees) / 2.0
    return (0.0, math.sin(half), 0.0, math.cos(half))


class Loading:
    """A set while moves are made on it, one after another."""

    def __init__(self, name: str, props: Mapping[str, Prop]) -> None:
        self.props = props
        self.set = Set.of(name, [])
        self.index: SceneIndex = index_of(self.set)
        self.counts: dict[str, int] = {}
        self.fresh = count(1)
        for key, (at, turn) in PLACES.items():
            self.made(key, "stand", prop=key, pose={"position": at, "orientation": turn_about_up(turn)})

    def made(self, key: str, kind: str, **fields: Any) -> str:
        """Make a move that brings one new piece, which has this key from then on."""
        numbers = iter([key])

        def fresh_key() -> str:
            return next(numbers, None) or f"tie-{next(self.fresh)}"

        self._make(kind, fields, fresh_key)
        return key

    def do(self, kind: str, **fields: Any) -> None:
        """Make a move that brings no new piece."""
        self._make(kind, fields, lambda: f"tie-{next(self.fresh)}")

    def _make(self, kind: str, fields: Mapping[str, Any], fresh_key: Any) -> None:
        move = parse({"kind": kind, **fields})
        self.take(compute_move(self.set, self.index, {}, move, self.props.__getitem__, fresh_key).change)

    def take(self, change: Change) -> None:
        """Bring set and index up to a change."""
        self.set = change.on(self.set)
        follow(self.index, change, self.set)

    def key_for(self, prop: str) -> str:
        """The key of one more copy of a prop."""
        self.counts[prop] = self.counts.get(prop, 0) + 1
        return f"{prop}-{self.counts[prop]}"

    def put(self, prop: str, x: float, y: float, z: float, turn: float = 0.0, **more: Any) -> str:
        """One more copy, set down from just above a place."""
        key = self.key_for(prop)
        pose = {"position": (x, y + 0.002, z), "orientation": turn_about_up(turn)}
        self.made(key, "set_down", prop=prop, pose=pose, **more)
        self.do("reseat", pieces=[key])
        return key

    def join(self, prop: str, seat: str, to: str, to_seat: str, turn: float = 0.0) -> str:
        """One more copy, joined to a piece."""
        key = self.key_for(prop)
        return self.made(key, "join", prop=prop, seat=seat, to=to, to_seat=to_seat, turn_deg=turn)

    def piece(self, key: str) -> Piece:
        """The piece of that key as it stands now."""
        return self.set.pieces[key]

    def top(self, key: str) -> float:
        """Height of the highest point of a piece."""
        return float(self.index.box_of(self.piece(key))[1][1])


def kiln_loading(name: str, props: Mapping[str, Prop]) -> Set:
    """The shed in the evening: the kiln trolley is half loaded."""
    d = Loading(name, props)
    load_trolley(d)
    hang_lights(d)
    furnish(d)
    open_walls(d)
    lay_slates(d)
    return d.set


def load_trolley(d: Loading) -> None:
    """Two levels of kiln shelves on posts, the posts of the third, and pots on all of them."""
    x, z = -0.55, 0.1
    trolley = d.put("kiln-trolley", x, 0.0, z)
    shelf = d.put("kiln-shelf", x - 0.2, d.top(trolley), z)
    loads = (
        (("wide-bowl", -0.05, 0.0), ("dip-bowl", 0.14, -0.06), ("mug", 0.14, 0.08)),
        (("saggar", -0.05, 0.0), ("dip-bowl", 0.13, 0.05), ("glazed-tile", 0.14, -0.08)),
        (("side-plate", 0.0, 0.0),),
    )
    for level, load in enumerate(loads):
        at = d.piece(shelf).pose.origin
        for prop, dx, dz in load:
            d.put(prop, float(at[0]) + dx, d.top(shelf), float(at[2]) + dz, 40.0 * dx * 10)
        posts = [d.join("kiln-post", "foot", shelf, f"corner {n}") for n in (1, 2, 3, 4)]
        if level < 2:
            shelf = d.join("kiln-shelf", "under 1", posts[0], "head")
    right = d.put("kiln-shelf", x + 0.3, d.top(trolley), z)
    stand = d.put("kiln-stand", x + 0.42, d.top(right), z + 0.08, 20.0)
    d.join("kiln-stand", "under", stand, "points", 120.0)
    d.put("saggar", x + 0.19, d.top(right), z - 0.05)


def hang_lights(d: Loading) -> None:
    """Two hooks under the beam, a lantern in the one."""
    for number, x in enumerate((-0.55, 0.85)):
        hook = d.key_for("iron-hook")
        d.made(hook, "set_down", prop="iron-hook", pose={"position": (x, 1.5, -0.35)}, direction=(0.0, 1.0, 0.0))
        d.do("hang", piece=hook, to="shed-beam", at=(x, 2.28, -0.35))
        if number == 0:
            d.join("lantern", "ring", hook, "below", 25.0)


def furnish(d: Loading) -> None:
    """A bench tied to the slanted wall with a jug that clings to it, drying boxes in a chain, and a stool whose tie is broken."""
    bench = d.put("low-bench", -0.7, 0.0, -1.2)
    d.do("tie", tie="square", piece=bench, to="shed-back-wall", side=(0.0, 0.0, -1.0))
    d.do("tie", tie="gap", piece=bench, to="shed-back-wall", side=(0.0, 0.0, -1.0), distance_m=0.3)
    at = d.piece(bench).pose.origin
    jug = d.put("cider-jug", float(at[0]) - 0.3, d.top(bench), float(at[2]), 30.0)
    d.do("tie", tie="cling", piece=jug, to=bench)
    bowl = d.put("wide-bowl", float(at[0]) + 0.25, d.top(bench), float(at[2]))
    d.do("tie", tie="cling", piece=bowl, to=bench)
    first = d.put("drying-box", 0.55, 0.0, -1.3)
    second = d.join("drying-box", "left", first, "right", 0.0)
    d.join("drying-box", "bottom", first, "top", 0.0)
    d.put("tall-jar", float(d.piece(second).pose.origin[0]), d.top(second), -1.3)
    stool = d.put("stool", -1.6, 0.0, -0.45, 15.0)
    seat = d.put("stool", 2.0, 0.0, 1.05, 40.0)
    figure = d.key_for("lay-figure")
    pose = {"position": (2.0, 0.5, 0.93), "orientation": turn_about_up(0.0)}
    d.made(figure, "set_down", prop="lay-figure-sitting", pose=pose)
    d.do("reseat", pieces=[figure])
    d.do("tie", tie="cling", piece=figure, to=seat)
    d.put("bucket", -1.85, 0.0, 0.9, 40.0)
    # Broken on purpose: it keeps 25 cm from the bench no longer.
    tie = Tie("stool-and-bench", "gap", stool, bench, (1.0, 0.0, 0.0), 0.25)
    d.take(Change("", (Delta("tie", tie.key, None, tie),)))


def open_walls(d: Loading) -> None:
    """A hatch set into the slanted back wall and a vent beside it, each in an opening of its own."""
    wall = d.piece("shed-back-wall").pose
    into = tuple((-wall.linear[:, 2]).tolist())
    for prop, x, y in (("wall-hatch", 0.3, 1.35), ("wall-vent", -1.15, 1.75)):
        at = wall.apply(np.array([x, y, 0.0]))
        pose = {"position": tuple(at.tolist()), "orientation": turn_about_up(BACK_WALL_TURN)}
        key = d.key_for(prop)
        d.made(key, "set_down", prop=prop, pose=pose, direction=into)
        d.do("cut", piece=key, bearer="shed-back-wall", clearance_m=0.002)
        d.do("reseat", pieces=[key])


def lay_slates(d: Loading) -> None:
    """Slates laid on the slanted roof of the wood store by three points each, and one that still leans beside it."""
    store = d.piece("wood-store").pose.origin
    down = np.array([0.0, -math.sin(ROOF_SLOPE), math.cos(ROOF_SLOPE)])
    normal = np.array([0.0, math.cos(ROOF_SLOPE), math.sin(ROOF_SLOPE)])
    corner = max(
        (v for v in d.index.mesh_of(d.piece("wood-store")).used_vertices + store if v[0] < store[0]),
        key=lambda v: (round(float(v @ normal), 6), -float(v[2])),
    )
    for column in range(5):
        key = d.key_for("roof-slate")
        d.made(key, "set_down", prop="roof-slate", pose={"position": (0.0, 1.8, 1.0)})
        start = corner + np.array([0.12 + 0.27 * column, 0.0, 0.0]) + 0.06 * down
        d.do(
            "lay_on",
            piece=key,
            points=[(-0.12, 0.0, -0.18), (0.12, 0.0, -0.18), (-0.12, 0.0, 0.18)],
            onto=[tuple(p.tolist()) for p in (start, start + np.array([1.0, 0.0, 0.0]), start + down)],
        )
    d.put("roof-slate", 1.05, 0.0, 0.75, 12.0)
    d.put("roof-slate", 1.06, 0.02, 0.76, 20.0)
