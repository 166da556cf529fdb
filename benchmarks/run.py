"""Everything that speed is held by, side by side in one run: python benchmarks/run.py [drop] [check] [rest] [settle] [engines]
[shove] [pointing] [sockets] [ties] [prompt] [thousands] [scatter] [fill] [stops]."""

import gc
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from functools import partial
from pathlib import Path
from statistics import median, quantiles

import bullet
import fcl
import numpy as np
import trimesh
from filling import bench_fill
from scattering import bench_scatter
from scenes import crowd, ground, mesh_of
from sockets import bench_sockets
from stops import bench_stops
from thousands import bench_prompt, bench_thousands, write_crowd
from ties import bench_ties
from trimesh.collision import CollisionManager

from brickseat.demo.dressing import workshop, yard
from brickseat.demo.place import BEARERS
from brickseat.props.hollow_hill import PROPS
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.rest import rest
from brickseat_core.fit.set_down import set_down
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.prop_file import whole_mesh
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.hand import Pull
from brickseat_core.gravity.settling import Run, SettleSlip, shapes_for, stepping
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.gravity.world import World
from brickseat_core.scene import Piece, Pose, Prop, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE
from brickseat_core.warm import warm


def timed(run: Callable[[], object], times: int) -> list[float]:
    out = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        out.append(time.perf_counter() - start)
    return out


def ms(seconds: list[float]) -> str:
    p95 = quantiles(seconds, n=20)[-1] if len(seconds) > 1 else seconds[0]
    return f"{1e3 * median(seconds):8.2f} ms median {1e3 * p95:8.2f} ms 95th"


def fcl_model(mesh: Mesh) -> fcl.BVHModel:
    model = fcl.BVHModel()
    model.beginModel(len(mesh.vertices), len(mesh.faces))
    model.addSubModel(mesh.vertices, mesh.faces)
    model.endModel()
    return model


def fcl_object(model: fcl.BVHModel, pose: Pose) -> fcl.CollisionObject:
    return fcl.CollisionObject(model, fcl.Transform(pose.linear, pose.origin))


def bisection(
    moving: Piece, model: fcl.BVHModel, others: list[fcl.CollisionObject], floor: float, step: float
) -> float:
    """The same drop with the other library: steps down until something is hit, then bisection to 1e-7 m.

    A hit test alone knows no bracket: a step longer than the thinnest thing below would pass through it.
    """
    body = fcl_object(model, moving.pose)
    x, top, z = moving.pose.position

    def hits(y: float) -> bool:
        body.setTranslation(np.array([x, y, z]))
        return any(fcl.collide(body, o, fcl.CollisionRequest(), fcl.CollisionResult()) > 0 for o in others)

    low = top
    while low > floor and not hits(low):
        low -= step
    high = min(top, low + step)
    while high - low > 1e-7:
        middle = 0.5 * (high + low)
        low, high = (middle, high) if hits(middle) else (low, middle)
    return high


def next_bisection(
    starts: Iterator[Piece], model: fcl.BVHModel, others: list[fcl.CollisionObject], step: float
) -> float:
    return bisection(next(starts), model, others, -1.0, step)


def bench_drop() -> None:
    print("\nExact drop of one prop, once loaded")
    rng = np.random.default_rng(1)
    for size in (100_000, 500_000):
        land = Piece("g", "ground", Prop("g", "ground", ground(size)), Pose((0.0, 0.0, 0.0)), "bearer")
        index = SceneIndex([land])
        other = [fcl_object(fcl_model(land.prop.mesh), land.pose)]
        for subdivisions in (2, 3, 4, 5):
            ball = trimesh.creation.icosphere(subdivisions, 0.12)
            ball.vertices *= 1.0 + 0.1 * np.sin(40 * ball.vertices[:, :1])
            mesh = mesh_of(ball)
            prop = Prop("b", "ball", mesh)
            model = fcl_model(mesh)
            starts = [
                Piece("b", "ball", prop, Pose((*rng.uniform(-8, 8, 1), 0.7, *rng.uniform(-8, 8, 1)))) for _ in range(30)
            ]
            set_down(index, starts[0])
            queue = iter(starts)
            ours = timed(partial(lambda i, q: set_down(i, next(q)), index, queue), 30)
            ratios = []
            for step in (1.0, 0.002):
                slow = iter(starts[:8])
                theirs = timed(partial(next_bisection, slow, model, other, step), 8)
                ratios.append(median(theirs) / median(ours))
            print(
                f"  {len(mesh.faces):6d} triangles onto {len(land.prop.mesh.faces):6d}: {ms(ours)}"
                f"   bisection from a known bracket {ratios[0]:5.1f} times, by steps of 2 mm {ratios[1]:5.1f} times"
            )


def demo_props() -> dict[str, Prop]:
    props = {}
    for made in (*PROPS, *BEARERS):
        document = GltfDocument.parse(made.document().to_glb())
        props[made.key] = Prop(made.key, made.name, whole_mesh(document, made.name))
    return props


def bench_rest() -> None:
    """Every prop of the demo, three times each, from 1 m above the yard and tilted by up to 20°."""
    props = demo_props()
    index = SceneIndex(yard("yard", props).pieces.values())
    rng = np.random.default_rng(3)
    seconds, stands = [], 0
    for k in range(3 * len(PROPS)):
        axis = rng.normal(size=3)
        tilt = rotation_about(axis / np.linalg.norm(axis), float(np.radians(rng.uniform(0, 20))))
        at = np.array([rng.uniform(-5, 5), 4.0, rng.uniform(2, 9)])
        piece = Piece("new", "new", props[PROPS[k % len(PROPS)].key], Pose.of(tilt, at))
        start = time.perf_counter()
        stands += rest(index, piece).stable
        seconds.append(time.perf_counter() - start)
    print("\nRest of the demo's props on the yard, tilted by up to 20°")
    print(f"  {ms(seconds)}, {stands} of {len(seconds)} stand   (to reach: 40 ms median)")


PLAIN = ["fire-brick", "floor-tile", "round-stone", "flat-stone"]
"""Props of one hull each."""
ENGINE_SECONDS = 2.0
FALLING = (
    "mug",
    "dip-bowl",
    "round-stone",
    "fire-brick",
    "crate",
    "milk-jug",
    "floor-tile",
    "egg-basket",
    "flat-stone",
    "squat-jar",
)


def bench_settle() -> None:
    """Columns of mixed props dropped on the yard: eased apart, settled, relaxed, finished exactly."""
    props = demo_props()
    fixed = [p for p in yard("yard", props).pieces.values() if p.role == "bearer"]
    print(
        "\nSettling mixed props on the yard, whole chain, one process (to reach: 6 s for 100, 20 s for 300)", flush=True
    )
    start = time.perf_counter()
    shapes = shapes_for({key: props[key] for key in FALLING})
    print(f"  contact shapes of {len(FALLING)} props, made once: {time.perf_counter() - start:.1f} s")
    for count in (100, 300, 1000):
        rng = np.random.default_rng(0)
        wide = 0.4 * (count / 100) ** 0.5
        loose = []
        for k in range(count):
            x, z = rng.uniform(-wide, wide, 2)
            pose = Pose((float(x), 1.5 + 0.25 * (k // 4) * (100 / count), 4.0 + float(z)))
            loose.append(Piece(f"l{k:03d}", f"l{k:03d}", props[FALLING[k % len(FALLING)]], pose))
        index = SceneIndex([*fixed, *loose])
        start = time.perf_counter()
        run = Run(index, [p.key for p in loose], SettleSlip(), shapes)
        run.ease()
        for _ in stepping(run):
            pass
        fallen = time.perf_counter()
        lying = {f.state for f in check(SceneIndex([*fixed, *run.world.placed()])).values() if f.faults}
        rough = sum(bool(f.faults) for f in check(SceneIndex([*fixed, *run.world.placed()])).values())
        resumed = time.perf_counter()
        done = run.end()
        ended = time.perf_counter()
        print(
            f"  {count:4d} pieces: settled {run.simulated:.1f} s in {fallen - start:.1f} s, finished in "
            f"{ended - resumed:.1f} s; not right before {rough} ({', '.join(sorted(lying))}), after {len(done.named)}",
            flush=True,
        )


def columns(props: dict[str, Prop], kinds: Sequence[str], count: int) -> list[Piece]:
    """Copies of ``kinds`` one above the other over a floor at height 0, in nine columns, more when there are many."""
    apart, high, side = 0.55, 0.32, 3 if count <= 300 else 6
    middle = 0.5 * (side - 1)
    return [
        Piece(
            f"c{n:04d}",
            f"c{n:04d}",
            props[kinds[n % len(kinds)]],
            Pose((apart * (n % side - middle), 0.3 + high * (n // side**2), apart * (n // side % side - middle))),
        )
        for n in range(count)
    ]


def mujoco_fall(pieces: list[Piece], shapes: dict[str, ContactShape], seconds: float) -> tuple[float, float]:
    """CPU seconds a simulated second in MuJoCo, which has no true triangles, over a floor at height 0, in its usual 500
    steps, and its deepest overlap then (m). Its contacts are as stiff for their steps as by default for ours.
    """
    steps = 500
    import mujoco

    meshes = [
        f'<mesh name="{key}-{n}" vertex="{" ".join(f"{v:.6g}" for v in solid.ravel())}"/>'
        for key, shape in shapes.items()
        for n, solid in enumerate(shape.solids)
    ]
    stiff = f'solref="{2.4 / steps:.4g} 1"'
    bodies = []
    for p in pieces:
        x, y, z = p.pose.position
        geoms = "".join(
            f'<geom type="mesh" mesh="{p.prop.key}-{n}" density="1900" friction="0.6" {stiff}/>'
            for n in range(len(shapes[p.prop.key].solids))
        )
        bodies.append(f'<body pos="{x} {y} {z}"><freejoint/>{geoms}</body>')
    model = mujoco.MjModel.from_xml_string(
        f'<mujoco><option timestep="{1 / steps}" gravity="0 -9.81 0"/><size memory="2G"/>'
        f'<asset>{"".join(meshes)}</asset><worldbody><geom type="box" size="10 0.5 10" pos="0 -0.5 0" {stiff}/>'
        f"{''.join(bodies)}</worldbody></mujoco>"
    )
    data = mujoco.MjData(model)
    start = time.process_time()
    for _ in range(round(seconds * steps)):
        mujoco.mj_step(model, data)
    spent = time.process_time() - start
    return spent / seconds, -float(min(data.contact.dist, default=0.0))


def ours(pieces: list[Piece], fixed: list[Piece], shapes: dict[str, ContactShape]) -> tuple[float, float]:
    """CPU seconds a simulated second in our world as it is while things fall, and its deepest overlap then (m)."""
    world = World(pieces, fixed, shapes, {})
    start = time.process_time()
    for _ in range(round(ENGINE_SECONDS / world.settings.dt)):
        world.step()
    return (time.process_time() - start) / ENGINE_SECONDS, max(world.overlaps(0.0).values(), default=0.0)


def bench_engines() -> None:
    """The same falling columns in three engines: the CPU that a simulated second costs, and what is left of overlaps."""
    props = demo_props()
    floor = Piece(
        "floor", "floor", Prop("floor", "floor", mesh_of(trimesh.creation.box((20, 1, 20)))), Pose((0, -0.5, 0))
    )
    fixed = [p for p in yard("yard", props).pieces.values() if p.role == "bearer"]
    print("\nFalling columns in our world and in others, same hulls; others in their usual steps (to reach: a tenth)")
    for words, kinds in (("hulls", PLAIN), ("mixed", FALLING)):
        shapes = {k: shape.falling for k, shape in shapes_for({key: props[key] for key in kinds}).items()}
        for count in (100, 300, 1000):
            pieces = columns(props, kinds, count)
            over = [p.at(p.pose.moved(np.array([0.0, 0.6, 4.0]))) for p in pieces]
            for where, standing, theirs in (
                ("on a floor, MuJoCo", ours(pieces, [floor], shapes), partial(mujoco_fall, pieces, shapes)),
                ("on the yard, Bullet", ours(over, fixed, shapes), partial(bullet.fall, over, fixed, shapes)),
            ):
                try:
                    spent, overlap = theirs(ENGINE_SECONDS)
                except ImportError:
                    print(f"  {count:4d} {words} {where}: not installed here; make bench does that")
                    continue
                print(
                    f"  {count:4d} {words} {where}: {spent:6.2f} CPU s a second, up to {1e3 * overlap:.1f} mm; ours "
                    f"{standing[0]:.2f}, up to {1e3 * standing[1]:.1f} mm: {spent / standing[0]:.1f} times",
                    flush=True,
                )


def bench_shove() -> None:
    """A hand stirs a heap that lies on the yard: how long a frame of a sixtieth takes."""
    props = demo_props()
    fixed = [p for p in yard("yard", props).pieces.values() if p.role == "bearer"]
    print("\nA hand in a heap on the yard (to reach: 16.7 ms a frame)")
    for words, kinds, count in (("plain", PLAIN, 300), ("mixed", FALLING, 150)):
        pieces = [p.at(p.pose.moved(np.array([0.0, 0.6, 4.0]))) for p in columns(props, kinds, count)]
        index = SceneIndex([*fixed, *pieces])
        shapes = shapes_for({key: props[key] for key in kinds})
        run = Run(
            index, [p.key for p in pieces], SettleSlip(hand=True, seconds=600.0), shapes, threads=os.cpu_count() or 1
        )
        for _ in range(90):
            run.advance()
        spent = []
        for n in range(180):
            to = (0.6 * float(np.sin(0.05 * n)), 0.5, 4.0 + 0.6 * float(np.cos(0.05 * n)))
            run.hand.pull(Pull(tuple(p.key for p in pieces[:5]), to))
            start = time.perf_counter()
            run.advance(1.0 / 60.0)
            spent.append(time.perf_counter() - start)
        print(f"  {count:4d} {words}: {ms(spent)} a frame, {1.0 / median(spent):.0f} frames a second")


def bench_workshop() -> None:
    index = SceneIndex(workshop("workshop", demo_props()).pieces.values())
    ball = trimesh.creation.icosphere(4, 0.08)
    prop = Prop("ball", "ball of 5,120 triangles", mesh_of(ball))
    rng = np.random.default_rng(2)
    starts = [
        Piece("ball", "ball", prop, Pose((float(rng.uniform(-2.5, 2.5)), 2.5, float(rng.uniform(-4.3, -0.3)))))
        for _ in range(200)
    ]
    set_down(index, starts[0])
    queue = iter(starts)
    ours = timed(lambda: set_down(index, next(queue)), 200)
    model = fcl_model(prop.mesh)
    models = {id(p.prop): fcl_model(p.prop.mesh) for p in index.pieces.values()}
    standing = [(index.box_of(p), fcl_object(models[id(p.prop)], p.pose)) for p in index.pieces.values()]
    theirs = []
    for start in starts[:24]:
        lo, hi = index.box_of(start)
        # Only what lies in the column is asked, as whoever writes this by hand would see to.
        below = [o for (a, b), o in standing if (a[[0, 2]] <= hi[[0, 2]]).all() and (b[[0, 2]] >= lo[[0, 2]]).all()]
        theirs += timed(partial(bisection, start, model, below, -1.0, 0.002), 1)
    print("\nDrop of a 5,120-triangle prop onto the workshop")
    print(
        f"  {ms(ours)}   (to reach: 3 ms median)   bisection by steps of 2 mm {median(theirs) / median(ours):.1f} times"
    )


def plain_loop(pieces: list[Piece], with_gap: bool) -> int:
    """What one would write with an established library: a manager, an object a piece, one question after another.

    ``with_gap``: also how far each piece is above what is below it, as the fit check tells.
    """
    meshes = {id(p.prop): trimesh.Trimesh(p.prop.mesh.vertices, p.prop.mesh.faces, process=False) for p in pieces}
    manager = CollisionManager()
    for piece in pieces:
        manager.add_object(piece.key, meshes[id(piece.prop)], transform=piece.pose.matrix)
    found = 0
    for piece in pieces:
        if piece.role == "bearer":
            continue
        manager.remove_object(piece.key)
        mesh = meshes[id(piece.prop)]
        hit, names = manager.in_collision_single(mesh, piece.pose.matrix, return_names=True)
        found += len(names) if hit else manager.min_distance_single(mesh, piece.pose.matrix) <= 0.0005
        if with_gap:
            high, low = 0.05, -0.05
            while high - low > 1e-7:
                middle = 0.5 * (high + low)
                pose = piece.pose.moved(np.array([0.0, middle, 0.0])).matrix
                low, high = (middle, high) if manager.in_collision_single(mesh, pose) else (low, middle)
        manager.add_object(piece.key, mesh, transform=piece.pose.matrix)
    return found


def resident() -> int:
    """Bytes of memory this process holds."""
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize()


def kept_by(build: Callable[[], object]) -> int:
    """Bytes by which this process grows while it keeps what ``build`` makes."""
    gc.collect()
    before = resident()
    made = build()
    grown = resident() - before
    del made
    return grown


def index_and_forest(pieces: list[Piece]) -> SceneIndex:
    index = SceneIndex(fresh(pieces))
    check(index)
    return index


def object_a_piece(pieces: list[Piece]) -> CollisionManager:
    """The other library with a tree for each object, as it keeps them when meshes are added one by one."""
    manager = CollisionManager()
    for piece in pieces:
        mesh = trimesh.Trimesh(piece.prop.mesh.vertices, piece.prop.mesh.faces, process=False)
        manager.add_object(piece.key, mesh, transform=piece.pose.matrix)
    return manager


def bench_memory() -> None:
    pieces = crowd(1000)
    ours = kept_by(lambda: index_and_forest(pieces))
    theirs = kept_by(lambda: object_a_piece(pieces))
    print("\nMemory of 1,000 pieces of twenty meshes on a 100,000-triangle ground, beyond the meshes themselves")
    print(f"  {ours / 1000 / 1024:6.1f} KB a piece   a tree for each object: {theirs / 1000 / 1024:6.1f} KB a piece")


def bench_check() -> None:
    print("\nFit check (20 meshes, 100,000-triangle ground), from loaded meshes to report")
    print("  ours: gap, depth, support and balance; plain loop: touches or clashes; with gap: and how far above")
    for count in (100, 1000, 5000):
        pieces = crowd(count)
        check(SceneIndex(pieces))
        gc.collect()
        ours = timed(partial(loaded_to_report, pieces), 3)
        line = f"  {count:5d} pieces {median(ours):7.2f} s"
        if count <= 1000:
            for with_gap, words in ((False, "plain loop"), (True, "with gap")):
                theirs = timed(partial(plain_loop, pieces, with_gap), 1)
                line += f"   {words} {theirs[0]:7.2f} s, {theirs[0] / median(ours):5.1f} times"
        print(line, flush=True)
        if count == 1000:
            index = SceneIndex(pieces)
            moved = pieces[500]
            touched = timed(partial(one_move, index, moved), 20)
            print(f"        after one move: {ms(touched)}   (to reach: 50 ms)")
            cold_check(pieces)


def loaded_to_report(pieces: list[Piece]) -> None:
    check(SceneIndex(fresh(pieces)))


def fresh(pieces: list[Piece]) -> list[Piece]:
    """The same pieces of meshes whose trees are not built yet."""
    props = {p.prop.key: Prop(p.prop.key, p.prop.name, Mesh(p.prop.mesh.vertices, p.prop.mesh.faces)) for p in pieces}
    return [replace(p, prop=props[p.prop.key]) for p in pieces]


def one_move(index: SceneIndex, piece: Piece) -> None:
    index.put(piece)
    check(index, keys=index.affected_by([index.box_of(piece)], SEATED_TOLERANCE))


def cold_check(pieces: list[Piece]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "crowd.glb"
        write_crowd(pieces, path)
        code = "import sys; from brickseat.command_line import main; sys.exit(main(sys.argv[1:]))"
        cold = timed(
            lambda: subprocess.run(
                [sys.executable, "-c", code, "check", str(path), "--json"], stdout=subprocess.DEVNULL, check=False
            ),
            3,
        )
    print(f"        cold process, file to report: {median(cold):.2f} s   (to reach: 4 s)")


def bench_pointing() -> None:
    sys.path.insert(0, str(Path(__file__).parent.parent / "tests" / "browser"))
    from running import chromium, demo_server, on_screen, set_key, wait_drawn

    print("\nPointing in the browser: question out to seated pose back (to reach: 16 ms median, 40 ms 95th)")
    with tempfile.TemporaryDirectory() as data, demo_server(Path(data)) as address, chromium() as browser:
        page = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce", bypass_csp=True)
        for name in ("Workshop", "Kiln yard"):
            page.goto(f"{address}/sets/{set_key(page, address, name)}?quality=low")
            wait_drawn(page)
            page.wait_for_timeout(6000)
            for prop in ("cider jug", "thyme"):
                page.keyboard.press("/")
                page.fill("#find-prop", prop)
                page.keyboard.press("Enter")
                page.mouse.move(*on_screen(page, 0.9, 0.0, -1.0))
                page.wait_for_timeout(1500)
                page.evaluate("window.brickseat.line.latencies.length = 0")
                for k in range(150):
                    a = 0.11 * k
                    page.mouse.move(760 + 300 * np.cos(a), 420 + 180 * np.sin(1.7 * a))
                    page.wait_for_timeout(30)
                found = page.evaluate("window.brickseat.line.latencies")
                arrived, read = ([v[k] / 1e3 for v in found] for k in ("arrived", "read"))
                print(
                    f"  {name:9s} {prop:9s} {len(found):4d} answers, arrived {ms(arrived)}, read {ms(read)}", flush=True
                )
                page.keyboard.press("Escape")


def main(chosen: list[str]) -> None:
    warm()
    benches: dict[str, list[Callable[[], None]]] = {
        "drop": [bench_workshop, bench_drop],
        "check": [bench_memory, bench_check],
        "rest": [bench_rest],
        "settle": [bench_settle],
        "engines": [bench_engines],
        "shove": [bench_shove],
        "pointing": [bench_pointing],
        "sockets": [bench_sockets],
        "ties": [bench_ties],
        "prompt": [bench_prompt],
        "thousands": [bench_thousands],
        "scatter": [bench_scatter],
        "fill": [bench_fill],
        "stops": [bench_stops],
    }
    for name, runs in benches.items():
        if not chosen or name in chosen:
            for run in runs:
                run()


if __name__ == "__main__":
    main(sys.argv[1:])
