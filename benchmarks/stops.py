"""How soon a move or a settle is given up: the longest time in which it does not look at its budget, and the longest from a stop to its end."""

import gc
import itertools
import time
from collections.abc import Callable
from functools import partial
from typing import Any, NamedTuple

import numpy as np
from filling import BOXES, BRICK, JAR, TILE, box, stone
from scenes import ground, pot, seated

from brickseat_core.budget import Budget, Stopped
from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check
from brickseat_core.formats.apart import run_apart
from brickseat_core.formats.shape_file import settling_shape_apart
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.falling import Falling
from brickseat_core.gravity.settling import SettleSlip, settle, shapes_for
from brickseat_core.gravity.world import PhysicalProperties
from brickseat_core.moves import MoveRefused, PropFacts, compute_move, parse
from brickseat_core.scene import Piece, Pose, Prop, Region, Set
from brickseat_core.warm import warm

TO_REACH = 100.0
"""Milliseconds."""
PLACE = Pose((0.0, 0.0, 0.0))
STOPS = 12
"""Moments at which each is stopped."""


class Asked(NamedTuple):
    """A move on a set of ``pieces`` with one ``bay``, if any; ``made``: moves before it."""

    words: str
    pieces: list[Piece]
    props: dict[str, Mesh]
    move: dict[str, Any]
    bay: Mesh | None = None
    made: tuple[dict[str, Any], ...] = ()


class Stopping(NamedTuple):
    """Milliseconds: the longest time between two looks at the budget, the longest from a stop to the end, and the whole; and what came
    of it."""

    silence: float
    stop: float
    whole: float
    words: str


def is_before(until: float, done: int, total: int) -> bool:
    return time.perf_counter() < until


def stopping_of(run: Callable[[Budget], str]) -> Stopping:
    """Of something that takes a budget and says what came of it, once whole and then stopped at some moments in it."""
    looks = [time.perf_counter()]

    def look(done: int, total: int) -> bool:
        looks.append(time.perf_counter())
        return True

    gc.collect()
    words = run(Budget(on_progress=look))
    looks.append(time.perf_counter())
    whole, longest = looks[-1] - looks[0], 0.0
    for share in (np.arange(STOPS) + 0.5) / STOPS:
        until = time.perf_counter() + share * whole
        run(Budget(on_progress=partial(is_before, until)))
        longest = max(longest, time.perf_counter() - until)
    return Stopping(1e3 * max(np.diff(looks)), 1e3 * longest, 1e3 * whole, words)


def stopping_of_move(asked: Asked) -> Stopping:
    """Of a move."""
    bay = [Region("bay", "bay", Prop("bay", "bay", asked.bay), PLACE)] if asked.bay is not None else []
    dressed = Set.of("set", asked.pieces, regions=bay)
    index = index_of(dressed)
    fits = check(index)
    props = {name: Prop(name, name, mesh) for name, mesh in asked.props.items()}
    made: dict[str, Falling] = {}

    def falls(prop: Prop, budget: Budget) -> Falling:
        # Made anew each time, as it is for the first fall of all.
        if prop.key not in made:
            made[prop.key] = Falling(settling_shape_apart(prop, None, budget), PhysicalProperties())
        return made[prop.key]

    numbers = itertools.count()

    def compute(move: dict[str, Any], budget: Budget) -> Any:
        return compute_move(
            dressed,
            index,
            fits,
            parse(move),
            props.__getitem__,
            lambda: f"new-{next(numbers)}",
            budget,
            PropFacts(falls),
        )

    for move in asked.made:
        dressed = compute(move, Budget()).change.on(dressed)
        index = index_of(dressed)

    def run(budget: Budget) -> str:
        made.clear()
        try:
            return str(compute(asked.move, budget).change.words)
        except MoveRefused as problem:
            return str(problem)

    return stopping_of(run)


def stopping_of_settle(count: int) -> Stopping:
    """Of a heap of so many pots let fall."""
    crowd = seated(count)
    index = index_of(Set.of("set", crowd))
    keys = [piece.key for piece in crowd if piece.role == "prop"]
    shapes = shapes_for({piece.prop.key: piece.prop for piece in crowd if piece.role == "prop"})

    def run(budget: Budget) -> str:
        try:
            settled = settle(index, keys, SettleSlip(lift=0.3, seconds=2.0), shapes, budget=budget)
        except Stopped as problem:
            return str(problem)
        return f"settled {len(settled.pieces)}, {len(settled.named)} of them named"

    return stopping_of(run)


def scatter(count: int, *props: dict[str, Any], **more: Any) -> dict[str, Any]:
    recipe = {"props": list(props), "on": ["ground"], "count": count, "seed": 3, **more}
    return {"kind": "scatter", "recipe": recipe}


def fill(*props: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"kind": "fill", "recipe": {"bay": "bay", "props": list(props), **more}}


def moves_asked() -> list[Asked]:
    land = [Piece("ground", "ground", Prop("ground", "ground", ground(100_000)), PLACE, "bearer")]
    floor = Mesh(box(80, 0.2, 80).vertices - [0.0, 0.2, 0.0], box(80, 0.2, 80).faces)
    bare = [Piece("floor", "floor", Prop("floor", "floor", floor), PLACE, "bearer")]
    rail = Piece("rail", "rail", Prop("rail", "rail", box(0.1, 1.0, 60.0)), Pose((-2.0, 0.0, 0.0)), "bearer")
    crate = Prop("crate", "crate", box(0.2, 0.2, 0.2))
    row = [Piece(f"p{n}", f"p{n}", crate, Pose((0.5 * (n % 2), 0.0, 0.25 * n - 25.0))) for n in range(200)]
    ties = tuple(
        {"kind": "tie", "tie": "gap", "piece": p.key, "to": "rail", "side": [-1, 0, 0], "distance_m": 0.5, "at_least": True}
        for p in row
    )  # fmt: skip
    small = {"pot": pot(3, 13), "stone": stone(0.05, 1), "dense": stone(0.05, 2)}
    pots, stones = {"prop": "pot", "size": [0.4, 0.7]}, {"prop": "stone", "size": [3, 5]}
    crowd = seated(2_000)
    beads = {"rock": stone(1.0, 1), "bead": stone(0.006, 2)}
    mixed = {**BOXES, "brick": BRICK, "jar": JAR, "tile": TILE}
    return [
        Asked("scatter of 3,000", land, small, scatter(3_000, pots)),
        Asked("bedded scatter of 1,000", land, small, scatter(1_000, {**pots, "auto_bed": True})),
        Asked("300 in turns", land, small, scatter(300, stones, {**pots, "share": 5, "gather_m": 0.5})),
        Asked("60 thrown", land, small, scatter(60, pots, throw_m=0.3)),
        Asked("2,000 carried", crowd, {}, {"kind": "carry", "pieces": [p.key for p in crowd[1:]], "by": [0, 0, 0.1]}),
        Asked("200 tied pieces carried", [*bare, rail, *row], {}, {"kind": "carry", "pieces": [p.key for p in row], "by": [0.01, 0, 0]}, made=ties),
        Asked("a bay of mixed props", bare, mixed, fill(*({"prop": name} for name in mixed)), box(1.1, 0.7, 0.6)),
        Asked("a bay of beads and a rock", bare, beads, fill({"prop": "rock", "turn_step_deg": 0}, {"prop": "bead"}, count=20), box(0.3, 0.1, 0.3)),
    ]  # fmt: skip


def bench_stops() -> None:
    print(f"\nThe longest that a move does not look at its budget (to reach: {TO_REACH:.0f} ms)")
    # As a server does: the process from which others are forked is there, and what was imported is not looked through for garbage.
    run_apart(int)
    gc.freeze()
    for asked in moves_asked():
        print_stopping(asked.words, stopping_of_move(asked))
    print_stopping("300 settled", stopping_of_settle(300))


def print_stopping(what: str, found: Stopping) -> None:
    figures = f"{found.silence:6.0f} ms, {found.stop:6.0f} ms from a stop, of {found.whole:7.0f} ms"
    print(f"  {what:28s} {figures}: {found.words[:60]}", flush=True)


if __name__ == "__main__":
    warm()
    bench_stops()
