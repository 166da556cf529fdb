"""What the core takes for a handful of questions, as one line of JSON: run by ``against.py`` with this version and with another one.

Only what every version has is used. Seconds of wall time, best of a few: the rest is what else the machine does.
"""

import json
import pkgutil
import sys
import time
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from pickle import loads
from statistics import quantiles
from typing import Any

import numpy as np

MOVED = {"geometry": "meshes", "contact.depth": "contact.clash"}
"""What is called otherwise in versions before: what is asked for by the new name is found there, in pickled scenes, too."""


def find_what_moved() -> None:
    """Make a version before answer to the names of today."""
    for new, old in MOVED.items():
        try:
            import_module(f"brickseat_core.{new}")
        except ModuleNotFoundError:
            found = sys.modules[f"brickseat_core.{new}"] = import_module(f"brickseat_core.{old}")
            for part in pkgutil.iter_modules(getattr(found, "__path__", [])):
                sys.modules[f"brickseat_core.{new}.{part.name}"] = import_module(f"brickseat_core.{old}.{part.name}")


find_what_moved()

from scenes import ground, pot

from brickseat_core.contact.depth import penetration
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.geometry.cube import cube
from brickseat_core.gravity.settling import SettleSlip, settle
from brickseat_core.gravity.shapes import settling_shape
from brickseat_core.moves import compute_move, parse
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.scene import Piece, Pose, Prop, Region, Set
from brickseat_core.tolerances import SEATED_TOLERANCE


def best(run: Callable[[], object], times: int) -> float:
    spent = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        spent.append(time.perf_counter() - start)
    return min(spent)


def measured(scenes: dict[str, bytes]) -> dict[str, float]:
    found = {}
    for name, data in scenes.items():
        pieces = loads(data)
        index = SceneIndex(pieces)
        check(index)
        found[f"check, {name}"] = best(lambda index=index: check(index), 3)  # type: ignore[misc]
    index = SceneIndex(loads(scenes["crowd of 1,000"]))
    fits = check(index)
    pairs = [(index.pieces[k], index.row[c.other]) for k, f in fits.items() for c in f.clashes if k < c.other][:120]
    found["depth of a pair"] = best(lambda: [penetration(index, p, row) for p, row in pairs], 3) / max(1, len(pairs))
    told = [(p, row, 16, SEATED_TOLERANCE) for p, row in pairs]
    found["deep, yes or no"] = best(lambda: [penetration(index, *asked) for asked in told], 3) / max(1, len(pairs))
    wrong = [k for k, f in fits.items() if "clashing" in f.faults or "sunk" in f.faults or "floating" in f.faults][:60]
    found["repair of 60 faults"] = best(lambda: repair(index.fork(), keys=wrong, fits=fits), 2)
    index = SceneIndex(loads(scenes["finished 5,000"]))
    prop = next(p.prop for p in index.pieces.values() if p.role == "prop")
    rng = np.random.default_rng(5)
    spent = []
    for n in range(420):
        origin = np.array([rng.uniform(-8, 8), 3.0, rng.uniform(-8, 8)])
        start = time.perf_counter()
        point(index, prop, origin, np.array([0.1, -1.0, 0.1]) / np.sqrt(1.02), Slip())
        if n >= 20:
            spent.append(time.perf_counter() - start)
    found["pointing, median"], found["pointing, 95 %"] = float(np.median(spent)), quantiles(spent, n=20)[-1]
    return found | laying()


def laying() -> dict[str, float]:
    """Moves that lay many, on the scenes of ``scenes.py``."""
    land = Piece("ground", "ground", Prop("ground", "ground", ground(100_000)), Pose((0.0, 0.0, 0.0)), "bearer")
    pots = Prop("pot", "pot", pot(3, 13))
    bay = Region("bay", "bay", Prop("bay", "bay", cube()), Pose((0.0, 2.0, 0.0)))
    dressed, index = Set.of("set", [land], SEATED_TOLERANCE, [bay]), SceneIndex([land])

    def made(move: object) -> object:
        return compute_move(dressed, index, {}, parse(move), lambda key: pots, iter(map(str, range(10**6))).__next__)

    rule = {"prop": "pot", "size": [0.4, 0.7]}
    recipes: dict[str, dict[str, Any]] = {
        "scatter 1,000": {"props": [rule], "count": 1000},
        "scatter 10,000": {"props": [rule], "count": 10_000},
        "scatter 10,000, sunk": {"props": [{**rule, "sink_m": 0.01}], "count": 10_000},
    }
    found = {}
    for name, recipe in recipes.items():
        move = {"kind": "scatter", "recipe": {**recipe, "on": ["ground"]}}
        made(move)
        found[name] = best(lambda move=move: made(move), 2)  # type: ignore[misc]
    fill = {"kind": "fill", "recipe": {"bay": "bay", "props": [{"prop": "pot"}], "count": 60}}
    made(fill)
    found["fill 60 pots"] = best(lambda: made(fill), 2)
    heap = [
        Piece(f"h{n:03d}", "h", pots, Pose((0.2 * (n % 5), 1.0 + 0.3 * (n // 25), 0.2 * (n // 5 % 5))))
        for n in range(100)
    ]
    above = SceneIndex([land, *heap])
    shapes = {pots.key: settling_shape(pots.mesh, None)}
    keys = [p.key for p in heap]
    found["settle 100 pots"] = best(lambda: settle(above, keys, SettleSlip(seed=1), shapes), 2)
    return found


if __name__ == "__main__":
    folder = Path(sys.argv[1])
    print(json.dumps(measured({path.stem: path.read_bytes() for path in sorted(folder.glob("*.pickle"))})))
