"""Laying many, beside the same pieces one by one with this same kernel, and beside points of a general mesh library."""

import resource
import time
from collections import Counter
from collections.abc import Callable
from typing import TypeVar

import numpy as np
import trimesh
from scenes import ground, pot
from scipy.spatial import cKDTree

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.scatter.dots import dots_of
from brickseat_core.proposals.scatter.laying import Laid, Scatter
from brickseat_core.proposals.scatter.sequences import Sequence
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import parse_recipe
from brickseat_core.scene import Piece, Pose, Prop, Set, Vec, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE

TO_REACH = {1_000: 1.0, 10_000: 8.0}
"""Seconds, wall."""
AGAIN = 0.3
PREFIXES = (100, 333, 1_000, 3_000, 10_000)
LAND = Piece("ground", "ground", Prop("ground", "ground", ground(100_000)), Pose((0.0, 0.0, 0.0)), "bearer")
POTS = [Prop("pot", "pot", pot(3, 13))]


def places() -> Places:
    return Places(Set.of("set", [LAND]), SceneIndex([LAND]))


def laid(count: int, seed: int = 1, **more: object) -> tuple[Laid, SceneIndex]:
    """A recipe of pots on rolling ground, laid."""
    recipe = parse_recipe(
        {"props": [{"prop": "pot", "size": [0.4, 0.7]}], "on": ["ground"], "count": count, "seed": seed, **more}
    )
    here = places()
    run = Scatter(here, recipe, POTS, "r", str, lambda prop, n: f"{prop.name} {n}", SEATED_TOLERANCE)
    return run.run(), here.index


T = TypeVar("T")


def cost(run: Callable[..., T], *args: object) -> tuple[float, float, T]:
    """Seconds of wall and of processor, and what came of it."""
    wall, cpu = time.perf_counter(), time.process_time()
    found = run(*args)
    return time.perf_counter() - wall, time.process_time() - cpu, found


def one_by_one(count: int) -> SceneIndex:
    """The same job as a plain loop: a point, a drop, a measure, and away again with what does not sit."""
    points = Sequence(LAND.prop.mesh, np.eye(3), "even", 1).first(4 * count).at
    index = SceneIndex([LAND])
    rng = np.random.default_rng(1)
    for n, at in enumerate(points):
        if len(index.pieces) > count:
            break
        basis = rotation_about(np.array([0.0, 1.0, 0.0]), rng.uniform(0, 6.28)) * rng.uniform(0.4, 0.7)
        piece = Piece(f"{n}", f"{n}", POTS[0], Pose.of(basis, at + np.array([0.0, 0.3, 0.0])))
        piece = piece.at(set_down(index, piece).pose)
        index.put(piece)
        if measure_fit(index, piece).faults:
            index.remove(piece.key)
    return index


def sampled(count: int) -> SceneIndex:
    """Points that a general mesh library spreads evenly, and a pot on each: nothing is asked of any shape."""
    mesh = trimesh.Trimesh(LAND.prop.mesh.vertices, LAND.prop.mesh.faces, process=False)
    points, _ = trimesh.sample.sample_surface_even(mesh, count, seed=1)
    rng = np.random.default_rng(1)
    pieces = []
    for n, at in enumerate(points):
        basis = rotation_about(np.array([0.0, 1.0, 0.0]), rng.uniform(0, 6.28)) * rng.uniform(0.4, 0.7)
        pieces.append(Piece(f"{n}", f"{n}", POTS[0], Pose.of(basis, at)))
    return SceneIndex([LAND, *pieces])


def verdicts(index: SceneIndex) -> str:
    found = Counter(fit.state for fit in check(index).values())
    return ", ".join(f"{many} {state}" for state, many in found.most_common())


def evenness(points: Vec, area: float) -> tuple[float, float]:
    """Least distance to a neighbour over the most that is possible, and how far they differ."""
    away = cKDTree(points).query(points, k=2)[0][:, 1]
    return float(away.min() / np.sqrt(2.0 * area / (np.sqrt(3.0) * len(points)))), float(away.std() / away.mean())


def bench_scatter() -> None:
    print(f"\nScatter of pots ({len(POTS[0].mesh.faces)} triangles) on {len(LAND.prop.mesh.faces):,} triangles")
    laid(40)
    dots = parse_recipe({"props": [{"prop": "pot"}], "on": ["ground"], "count": 1000, "rules": {"slope_deg": [0, 9]}})
    for count, wanted in TO_REACH.items():
        wall, cpu, (_, index) = cost(laid, count, 2)
        again, _, _ = cost(lambda n: laid(n, 2, rules={"height_m": [-0.1, None]}), count)
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"  {count:6,} {wall:28.2f} s wall {cpu:7.2f} s CPU, {verdicts(index)}   (to reach: {wanted} s)")
        print(
            f"         one clause changed {again:16.2f} s wall (to reach for 1,000: {AGAIN} s); {peak:.0f} MB at most"
        )
    first, _, _ = cost(dots_of, places(), dots)
    print(f"         dots of 1,000 {1e3 * first:21.0f} ms   (to reach: 50 ms)")
    loops: dict[str, Callable[[int], SceneIndex]] = {"one by one": one_by_one, "points of a mesh library": sampled}
    for name, run in loops.items():
        wall, cpu, index = cost(run, 1_000)
        print(f"   1,000 {name:24s} {wall:5.2f} s wall {cpu:7.2f} s CPU, {verdicts(index)}")
    print("  evenness of the first so many: least distance to a neighbour over the most possible, spread of it")
    for title, mesh in (("the ground", LAND.prop.mesh), ("a plain of two triangles", plain())):
        sequence = Sequence(mesh, np.eye(3), "even", 3)
        figures = [evenness(sequence.first(n).at, sequence.area) for n in PREFIXES]
        print(
            f"    {title:26s}"
            + "  ".join(f"{n:,}: {a:.2f}, {b:.2f}" for n, (a, b) in zip(PREFIXES, figures, strict=True))
        )
    patch = parse_recipe(
        {
            "props": [{"prop": "pot"}],
            "on": ["ground"],
            "count": 1000,
            "seed": 9,
            "rules": {"chalk": [{"points": [[2, 0, 3]], "radius_m": 1.13}]},
        }
    )
    wall, _, _ = cost(dots_of, places(), patch)
    print(f"  1,000 points in a patch of 1 % of the ground, the first time: {wall:.2f} s   (to reach: 2 s)")


def plain() -> Mesh:
    return Mesh(np.array([[0, 0, 0], [0, 0, 10], [10, 0, 10], [10, 0, 0]], float), np.array([[0, 1, 2], [0, 2, 3]]))
