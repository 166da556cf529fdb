"""Real meshes from public packages, seated and rested on terrain, on a shelf and in a heap: make stress.

    python tests/stress/run.py FOLDER [COUNT]

FOLDER: where the packages were unpacked. Every mesh is seated where it is, then rested; whatever stands is measured
again from scratch. Prints what could not be rested, with the reason, and the worst figures; exit code 1 when
something crashed or stands with a gap or depth over a tenth of a millimetre.
"""

import sys
import time
import traceback
from collections import Counter
from pathlib import Path

import numpy as np
from scenes import ground

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.rest import rest
from brickseat_core.fit.set_down import set_down
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.prop_file import read_prop
from brickseat_core.geometry.cube import cube
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop

KINDS = (".stl", ".obj")
MOST_TRIANGLES = 50_000
WRONG = 1e-4
HEAP = 6


def found_meshes(folder: Path, count: int) -> list[tuple[str, Mesh]]:
    """Meshes of different content, the packages taking turns, each brought to the size of a prop."""
    by_package: dict[str, list[Path]] = {}
    for path in sorted(folder.rglob("*")):
        if path.suffix.lower() in KINDS:
            by_package.setdefault(path.relative_to(folder).parts[0], []).append(path)
    found: list[tuple[str, Mesh]] = []
    seen = set()
    rng = np.random.default_rng(1)
    order = [p for turn in zip(*(rng.permutation(len(v)) for v in by_package.values()), strict=False) for p in turn]
    names = list(by_package)
    for k, number in enumerate(order):
        path = by_package[names[k % len(names)]][number]
        digest = hash(path.read_bytes())
        if digest in seen:
            continue
        seen.add(digest)
        try:
            mesh = read_prop(path)
        except FileError as error:
            print(f"refused   {error}")
            continue
        if len(mesh.faces) > MOST_TRIANGLES:
            continue
        size = float((mesh.box[1] - mesh.box[0]).max())
        # Parts of machines come in metres or millimetres; a set is dressed with things of the size of a hand.
        factor = 0.25 / size if size > 0.6 or size < 0.05 else 1.0
        found.append((str(path.relative_to(folder)), Mesh(mesh.vertices * factor, mesh.faces)))
        if len(found) == count:
            break
    return found


def bearers() -> dict[str, list[Piece]]:
    land = Piece("land", "land", Prop("land", "land", ground(20_000, 6.0)), Pose((0, 0, 0)), "bearer")
    block = Prop("block", "block", cube())
    boards = [
        Piece(f"b{k}", f"board {k}", block, Pose.from_parts((0, y, 0), (0, 0, 0, 1), (3, 0.018, 0.6)), "bearer")
        for k, y in enumerate((0.0, 0.9))
    ]
    return {"terrain": [land], "shelf": boards, "heap": [land]}


def main(folder: Path, count: int) -> int:
    meshes = found_meshes(folder, count)
    rng = np.random.default_rng(5)
    crashed = 0
    for place, standing in bearers().items():
        outcome: Counter[str] = Counter()
        reasons: Counter[str] = Counter()
        worst_gap = worst_depth = 0.0
        spent: list[float] = []
        index = SceneIndex(standing)
        heap: list[str] = []
        for number, (name, mesh) in enumerate(meshes):
            lo, hi = mesh.box
            at = np.array([rng.uniform(-0.2, 0.2), 0.55, rng.uniform(-0.05, 0.05)]) - 0.5 * (lo + hi)
            prop = Prop(f"m{number}", name, mesh)
            piece = Piece(f"p{number}", name, prop, Pose.of(np.eye(3), at))
            start = time.perf_counter()
            try:
                seated = piece.at(set_down(index, piece).pose)
                drop = measure_fit(index, seated)
                stand = rest(index, piece, 4)
                final = piece.at(stand.pose) if stand.stable else seated
                fit = measure_fit(index, final)
            except Exception:  # noqa: BLE001  (a crash is what is looked for)
                crashed += 1
                print(f"CRASHED   {place} {name}\n{traceback.format_exc()}")
                continue
            spent.append(time.perf_counter() - start)
            worst_gap = max(worst_gap, drop.gap or 0.0, fit.gap or 0.0)
            worst_depth = max(worst_depth, drop.depth, fit.depth)
            if max(drop.gap or 0.0, fit.gap or 0.0, drop.depth, fit.depth) > WRONG:
                crashed += 1
                print(f"WRONG     {place} {name}: {drop.reason} / {fit.reason}")
            outcome["rests" if stand.stable else "left"] += 1
            if not stand.stable:
                reasons[stand.reason.partition(":")[0]] += 1
            if place == "heap":
                index.put(final)
                heap.append(final.key)
                if len(heap) > HEAP:
                    index.remove(heap.pop(0))
        figures = f"worst gap {1e3 * worst_gap:.6f} mm, worst depth {1e3 * worst_depth:.6f} mm"
        middle, tail = np.quantile(spent, [0.5, 0.95])
        print(
            f"{place:8s} {len(meshes)} meshes: {dict(outcome)}, {figures}, {1e3 * middle:.0f} ms, 95 % {1e3 * tail:.0f} ms"
        )
        for reason, times in reasons.most_common():
            print(f"          {times} left: {reason}")
    return 1 if crashed else 0


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 220))
