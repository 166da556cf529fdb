"""Filling bays, beside a plain packing of boxes at extreme points and beside the same boxes dropped by a physics engine."""

import time
from collections import Counter
from typing import Any, NamedTuple

import numpy as np
import trimesh

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.fill.filling import Filled, Filling
from brickseat_core.recipes.fill_schema import parse_fill
from brickseat_core.recipes.places import Places
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Region, Set, Vec, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE

EXACT = 1e-5
PLACE = Pose((0.0, 0.0, 0.0))
STEPS = 240


def standing(vertices: Vec, faces: Any) -> Mesh:
    """A mesh with its lowest point at height 0."""
    return Mesh(vertices - [0.0, vertices[:, 1].min(), 0.0], np.asarray(faces, np.int32))


def box(x: float, y: float, z: float) -> Mesh:
    made = trimesh.creation.box((x, y, z))
    return standing(np.array(made.vertices), made.faces)


def thrown(*profile: tuple[float, float]) -> Mesh:
    """A vessel turned on the wheel, of (radius, height) corners."""
    made = trimesh.creation.revolve(np.array(profile), sections=24)
    return standing(np.array(made.vertices)[:, [0, 2, 1]], made.faces[:, ::-1])


def stone(radius: float, seed: int) -> Mesh:
    made = trimesh.creation.icosphere(2, radius)
    out = made.vertices / np.linalg.norm(made.vertices, axis=1)[:, None]
    a, b = np.random.default_rng(seed).normal(size=(2, 3))
    lumps = 1 + 0.12 * np.sin(3 * out @ a) + 0.06 * np.cos(4 * out @ b)
    return standing(np.array(made.vertices) * lumps[:, None] * [1.2, 0.6, 1.0], made.faces)


def turned(mesh: Mesh, degrees: float) -> Mesh:
    return Mesh(mesh.vertices @ rotation_about(np.array([0.0, 1.0, 0.0]), np.radians(degrees)).T, mesh.faces)


def vault(x: float, y: float, z: float) -> Mesh:
    """A compartment under a round arch."""
    arch = [(x / 2 * np.cos(a), y - x / 2 + x / 2 * np.sin(a)) for a in np.linspace(0.0, np.pi, 13)]
    outline = np.array([(x / 2, 0.0), *arch, (-x / 2, 0.0)])
    hull = trimesh.convex.convex_hull(
        np.concatenate([np.c_[outline, np.full(len(outline), s * z / 2)] for s in (-1, 1)])
    )
    return Mesh(np.array(hull.vertices), np.array(hull.faces, np.int32))


def leaning(x: float, y: float, z: float, by: float) -> Mesh:
    """A compartment that is wider above than below."""
    mesh = box(x, y, z)
    wider = np.sign(mesh.vertices[:, 0]) * by * (mesh.vertices[:, 1] > 0.5 * y)
    return Mesh(mesh.vertices + np.c_[wider, np.zeros((len(wider), 2))], mesh.faces)


def sack(radius: float) -> Mesh:
    made = trimesh.creation.icosphere(3, radius)
    return standing(np.array(made.vertices) * [1.0, 0.8, 0.9], made.faces)


def plan_of_l(x: float, y: float, z: float) -> Mesh:
    """A compartment whose plan is an L: one quarter is missing."""
    a, b = x / 2, z / 2
    outline = [(-a, -b), (a, -b), (a, 0.0), (0.0, 0.0), (0.0, b), (-a, b)]
    fan = [(0, 1, 3), (1, 2, 3), (0, 3, 5), (3, 4, 5)]
    vertices = np.array([(px, py, pz) for py in (0.0, y) for px, pz in outline])
    faces = [(i, j, k) for i, j, k in fan] + [(6 + k, 6 + j, 6 + i) for i, j, k in fan]
    for k in range(6):
        m = (k + 1) % 6
        faces += [(k, 6 + k, 6 + m), (k, 6 + m, m)]
    return Mesh(vertices, np.array(faces, np.int32))


BRICK, TILE = box(0.2, 0.06, 0.1), box(0.15, 0.015, 0.15)
JAR = thrown(
    (0, 0),
    (0.045, 0),
    (0.06, 0.05),
    (0.05, 0.12),
    (0.04, 0.13),
    (0.035, 0.13),
    (0.045, 0.1),
    (0.05, 0.05),
    (0.04, 0.006),
    (0, 0.006),
)
BOWL = thrown((0, 0), (0.03, 0), (0.07, 0.05), (0.065, 0.05), (0.028, 0.006), (0, 0.006))
MUG = thrown((0, 0), (0.04, 0), (0.042, 0.09), (0.038, 0.09), (0.036, 0.006), (0, 0.006))
TIN = thrown((0, 0), (0.06, 0), (0.06, 0.2), (0, 0.2))
BOXES = {"large crate": box(0.3, 0.2, 0.25), "crate": box(0.17, 0.13, 0.22), "small crate": box(0.11, 0.09, 0.15)}


class Scene(NamedTuple):
    """``props``: mesh and rule of each, by name. ``reach``: what is aimed at, in words."""

    name: str
    bay: Mesh
    props: dict[str, tuple[Mesh, dict[str, Any]]]
    reach: str = ""


ANY = {"sides": "any"}
MIXED = {**{name: (mesh, {}) for name, mesh in BOXES.items()}, "brick": (BRICK, {**ANY, "share": 4})}
SCENES = [
    Scene("just 4 x 10 x 4 bricks, turned 33°", turned(box(0.8, 0.6, 0.4), 33.0), {"brick": (BRICK, {})}, "100 % in 2 s"),
    Scene("bricks on any side, turned 30°", turned(box(0.8, 0.62, 0.43), 30.0), {"brick": (BRICK, ANY)}, "2 s for 100"),
    Scene("mixed boxes", box(1.1, 0.7, 0.6), MIXED, "74 %, at best 80"),
    Scene("1,000 bricks", box(2.0, 0.6, 1.0), {"brick": (BRICK, {})}, "15 s, at best 8"),
    Scene("tins in rows", box(1.0, 0.61, 1.0), {"tin": (TIN, {})}, "192 straight"),
    Scene("nested bowls", box(0.8, 0.4, 0.3), {"bowl": (BOWL, {})}, "5 s for 100"),
    Scene("L: jars, bowls and tiles", plan_of_l(1.2, 0.4, 1.0), {"jar": (JAR, {"turn_step_deg": 0}), "bowl": (BOWL, {}), "tile": (TILE, {})}),
    Scene("vault: jars and mugs", vault(0.7, 0.6, 0.5), {"jar": (JAR, {}), "mug": (MUG, {"turn_step_deg": 45})}, "5 s for 100"),
    Scene("leaning walls: bricks, jars, tiles", leaning(0.6, 0.5, 0.5, 0.12), {"brick": (BRICK, {"share": 2}), "jar": (JAR, {}), "tile": (TILE, {})}),
    Scene("sack: stones of two kinds", sack(0.35), {"stone": (stone(0.04, 1), {"turn_step_deg": 0}), "larger": (stone(0.055, 2), {"turn_step_deg": 0})}),
    Scene("five props", box(2.0, 0.6, 0.5), {"brick": (BRICK, {}), "jar": (JAR, {}), "bowl": (BOWL, {}), "tile": (TILE, {}), "mug": (MUG, {})}, "15 s for 1,000"),
]  # fmt: skip


def filled(scene: Scene, count: int | None = None) -> tuple[Filled, SceneIndex, float, float]:
    """The bay of a scene filled, in a room of its shape; what stands, and seconds of wall and of processor."""
    # Its ceiling a little higher: what touches the ceiling of a room without thickness is told to be in it.
    higher = scene.bay.vertices + 1e-4 * np.eye(3)[1] * (scene.bay.vertices[:, 1:2] > 0.9 * scene.bay.box[1][1])
    room = Piece("room", "room", Prop("room", "room", Mesh(higher, scene.bay.faces[:, ::-1])), PLACE, "bearer")
    region = Region("bay", "bay", Prop("bay", "bay", scene.bay), PLACE)
    dressed = Change("marked out", (Delta("region", "bay", None, region),)).on(Set.of("set", [room]))
    rules = [{"prop": name, **rule} for name, (_, rule) in scene.props.items()]
    recipe = parse_fill({"bay": "bay", "props": rules, "count": count})
    props = [Prop(name, name, mesh) for name, (mesh, _) in scene.props.items()]
    places = Places(dressed, SceneIndex([room]))
    wall, cpu = time.perf_counter(), time.process_time()
    found = Filling(places, recipe, props, "r", str, lambda prop, n: f"{prop.name} {n}", SEATED_TOLERANCE).run()
    return found, places.index, time.perf_counter() - wall, time.process_time() - cpu


def verdict(index: SceneIndex, bay: Mesh) -> str:
    """How many pass the fit check exactly and lie within the box of the bay."""
    index.judge_senses()
    fits = check(index)
    lo, hi = bay.box
    right = 0
    for key, fit in fits.items():
        vertices = index.pieces[key].pose.apply(index.pieces[key].prop.mesh.vertices)
        inside = (vertices >= lo - EXACT).all() and (vertices <= hi + EXACT).all()
        right += bool(inside and not fit.faults and fit.gap is not None and max(fit.gap, fit.depth) < EXACT)
    return f"{right} of {len(fits)} exact"


def extreme_points(boxes: list[Vec], room: Vec) -> list[tuple[Vec, Vec]]:
    """Boxes placed one after the other at the lowest corner left by those before (Crainic, Perboli and Tadei, "Extreme point-based
    heuristics for three-dimensional bin packing", 2008), without its residual spaces. Nothing is asked of what bears them."""
    points = [np.zeros(3)]
    placed: list[tuple[Vec, Vec]] = []
    for size in boxes:
        for at in sorted(points, key=lambda p: (p[1], p[2], p[0])):
            lo, hi = at, at + size
            if (hi > room + 1e-9).any() or any(((lo < b - 1e-9) & (hi > a + 1e-9)).all() for a, b in placed):
                continue
            placed.append((lo, hi))
            points = [p for p in points if p is not at]
            points += [at + size * axis for axis in np.eye(3)]
            break
    return placed


def dropped(boxes: list[Vec], room: Vec, seconds: float) -> tuple[int, float, float]:
    """The same boxes dropped into an open room by an engine: how many lie below its rim, the share of it that they take, the
    deepest overlap (m)."""
    import pybullet as engine

    engine.connect(engine.DIRECT)
    engine.setGravity(0, -9.81, 0)
    engine.setTimeStep(1 / STEPS)
    tall = 4.0 * room[1]
    walls: list[tuple[tuple[float, ...], tuple[float, ...]]] = [
        ((room[0] / 2, -0.05, room[2] / 2), (room[0], 0.05, room[2])),
        *(((x, tall / 2, room[2] / 2), (0.05, tall / 2, room[2])) for x in (-0.05, room[0] + 0.05)),
        *(((room[0] / 2, tall / 2, z), (room[0], tall / 2, 0.05)) for z in (-0.05, room[2] + 0.05)),
    ]
    for at, half in walls:
        engine.createMultiBody(0, engine.createCollisionShape(engine.GEOM_BOX, halfExtents=half), basePosition=at)
    rng = np.random.default_rng(1)
    bodies = []
    for k, size in enumerate(boxes):
        shape = engine.createCollisionShape(engine.GEOM_BOX, halfExtents=(size / 2).tolist())
        start = [rng.uniform(0.2, 0.8) * room[0], room[1] * (0.5 + 0.08 * k), rng.uniform(0.3, 0.7) * room[2]]
        turn = engine.getQuaternionFromEuler([0, rng.uniform(0, 6.28), 0])
        bodies.append(engine.createMultiBody(1.0, shape, basePosition=start, baseOrientation=turn))
    for _ in range(round(seconds * STEPS)):
        engine.stepSimulation()
    tops = [engine.getAABB(body)[1][1] for body in bodies]
    inside = [size for size, top in zip(boxes, tops, strict=True) if top <= room[1] + 1e-3]
    deepest = -min((float(contact[8]) for contact in engine.getContactPoints()), default=0.0)
    engine.disconnect()
    return len(inside), float(sum(np.prod(size) for size in inside) / np.prod(room)), deepest


def bench_fill() -> None:
    print("\nFill: bays in rooms of their shape")
    for scene in SCENES:
        filled(scene, 2)
        found, index, wall, cpu = filled(scene)
        what = f"{len(found.pieces):6,} pieces {100 * found.density:4.0f} % {wall:7.2f} s wall {cpu:7.2f} s CPU"
        print(
            f"  {scene.name:36s} {what}, {verdict(index, scene.bay)}"
            + (f"   (to reach: {scene.reach})" if scene.reach else "")
        )
    scene = SCENES[2]
    found, _, wall, _ = filled(scene)
    room = scene.bay.box[1] - scene.bay.box[0]
    boxes = []
    for piece in found.pieces.values():
        lo, hi = index_box(piece)
        boxes.append(hi - lo)
    counts = Counter(piece.prop.name for piece in found.pieces.values())
    print(
        f"  the mixed boxes themselves ({', '.join(f'{n} {name}' for name, n in counts.items())}), {wall:.2f} s here:"
    )
    start = time.perf_counter()
    packed = extreme_points(sorted(boxes, key=lambda s: -float(np.prod(s))), room)
    share = sum(float(np.prod(hi - lo)) for lo, hi in packed) / float(np.prod(room))
    print(
        f"    at extreme points, largest first   {len(packed):6,} pieces {100 * share:4.0f} % {time.perf_counter() - start:7.2f} s"
    )
    start = time.perf_counter()
    shuffled = [boxes[k] for k in np.random.default_rng(1).permutation(len(boxes))]
    many, share, deepest = dropped(shuffled, room, 12.0)
    took = time.perf_counter() - start
    print(
        f"    shuffled and dropped by an engine  {many:6,} pieces {100 * share:4.0f} % {took:7.2f} s, {1e3 * deepest:.1f} mm in each other"
    )


def index_box(piece: Piece) -> tuple[Vec, Vec]:
    vertices = piece.pose.apply(piece.prop.mesh.vertices)
    return vertices.min(axis=0), vertices.max(axis=0)
