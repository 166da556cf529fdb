"""Real meshes from public packages, laid by recipe on terrain of such meshes: make stress.

    python tests/stress/many.py FOLDER [COUNT]

Each mesh is laid twenty times, plumb and leaning; what is laid is measured from scratch. Prints what found no place, and
the worst figures; exit code 1 when something crashed, or lies with a gap or a depth over a hundredth of a millimetre.
"""

import sys
import time
import traceback
from collections import Counter
from pathlib import Path

import numpy as np
from run import found_meshes
from scenes import ground

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.proposals.scatter.laying import Scatter
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import parse_recipe
from brickseat_core.scene import Piece, Pose, Prop, Set
from brickseat_core.tolerances import SEATED_TOLERANCE

WRONG = 1e-5
EACH = 20


def main(folder: Path, count: int) -> int:
    land = Piece("land", "land", Prop("land", "land", ground(20_000, 12.0)), Pose((0.0, 0.0, 0.0)), "bearer")
    index = SceneIndex([land])
    wrong = 0
    left: Counter[str] = Counter()
    laid, spent, worst_gap, worst_depth = 0, [], 0.0, 0.0
    for number, (name, mesh) in enumerate(found_meshes(folder, count)):
        prop = Prop(f"m{number}", name, mesh)
        rule = {"prop": prop.key, "lean": 0.5 * (number % 3), "size": [0.6, 1.2]}
        recipe = parse_recipe({"props": [rule], "on": ["land"], "count": EACH, "seed": number})
        here = index.fork()
        places = Places(Set.of("set", [land]), here)
        start = time.perf_counter()
        try:
            run = Scatter(places, recipe, [prop], "r", str, lambda prop, n: f"{prop.name} {n}", SEATED_TOLERANCE)
            found = run.run()
            spent.append(time.perf_counter() - start)
            # Bedded pieces are asked at the height at which they touch: what is deeper than wanted shows there.
            fits = check(here, SEATED_TOLERANCE, [p.key for p in found.pieces.values()])
        except Exception:  # noqa: BLE001  (a crash is what is looked for)
            wrong += 1
            print(f"CRASHED   {name}\n{traceback.format_exc()}")
            continue
        laid += len(found.pieces)
        left.update(found.left)
        for fit in fits.values():
            worst_gap, worst_depth = max(worst_gap, fit.gap or 0.0), max(worst_depth, fit.depth)
            if fit.faults or (fit.gap or 0.0) > WRONG or fit.depth > WRONG:
                wrong += 1
                print(f"WRONG     {name} {fit.key}: {fit.reason}, gap {fit.gap}, depth {fit.depth}")
                break
    middle, tail = np.quantile(spent, [0.5, 0.95])
    print(
        f"many     {laid} of {EACH * len(spent)} laid, left {dict(left)}, worst gap {1e3 * worst_gap:.6f} mm, worst depth "
        f"{1e3 * worst_depth:.6f} mm, {1e3 * middle:.0f} ms for {EACH}, 95 % {1e3 * tail:.0f} ms"
    )
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 220))
