"""The exact drop against bisection with an independent collision library, on random meshes."""

import fcl
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, rotation_matrix
from shapes import mesh_of, piece, standing

seeds = st.integers(0, 2**32 - 1)


def random_solid(rng: np.random.Generator) -> Mesh:
    """A closed, lumpy, non-convex solid some 10-40 cm across, in any orientation."""
    kind = rng.integers(3)
    shape = (
        trimesh.creation.icosphere(2, 0.1)
        if kind == 0
        else trimesh.creation.torus(0.1, 0.03, 16, 8)
        if kind == 1
        else trimesh.creation.box((0.1, 0.2, 0.15)).subdivide()
    )
    v = np.array(shape.vertices)
    v *= 1.0 + 0.3 * rng.random((len(v), 1))
    v = v * rng.uniform(0.6, 1.6, 3)
    q = rng.normal(size=4)
    return mesh_of(trimesh.Trimesh(v @ rotation_matrix(tuple(q)).T, shape.faces, process=False))


def terrain(rng: np.random.Generator) -> Mesh:
    n = 16
    x, z = np.meshgrid(np.linspace(-0.6, 0.6, n), np.linspace(-0.6, 0.6, n), indexing="ij")
    y = 0.15 * rng.random((n, n))
    i = np.arange((n - 1) * n).reshape(n - 1, n)[:, :-1].ravel()
    faces = np.concatenate([np.stack([i, i + 1, i + n], 1), np.stack([i + 1, i + n + 1, i + n], 1)])
    return Mesh(np.stack([x, y, z], -1).reshape(-1, 3), faces.astype(np.int32))


def fcl_object(mesh: Mesh, at: tuple[float, float, float]) -> fcl.CollisionObject:
    model = fcl.BVHModel()
    model.beginModel(len(mesh.vertices), len(mesh.faces))
    model.addSubModel(mesh.vertices, mesh.faces)
    model.endModel()
    return fcl.CollisionObject(model, fcl.Transform(np.eye(3), np.array(at)))


def first_touch_by_bisection(moving: Piece, standing_objects: list[fcl.CollisionObject], top: float) -> float:
    """Height of the origin at first touch, to some 1e-7 m: march down by sub-millimetres, then bisect."""
    mesh = moving.prop.mesh
    body = fcl_object(mesh, moving.pose.position)
    x, _, z = moving.pose.position

    def hits(y: float) -> bool:
        body.setTranslation(np.array([x, y, z]))
        return any(
            fcl.collide(body, other, fcl.CollisionRequest(), fcl.CollisionResult()) > 0 for other in standing_objects
        )

    high = top
    while not hits(high - 0.0005):
        high -= 0.0005
        if high < -2.0:
            return -np.inf
    low = high - 0.0005
    while high - low > 1e-8:
        middle = 0.5 * (high + low)
        low, high = (middle, high) if hits(middle) else (low, middle)
    return 0.5 * (high + low)


@settings(max_examples=40, deadline=None)
@given(seeds)
def test_first_contact_agrees_with_bisection(seed: int) -> None:
    rng = np.random.default_rng(seed)
    ground = terrain(rng)
    rock = random_solid(rng)
    rock_at = (float(rng.uniform(-0.1, 0.1)), float(rng.uniform(0.1, 0.3)), float(rng.uniform(-0.1, 0.1)))
    mover = random_solid(rng)
    top = 0.9
    start = piece("mover", mover, (float(rng.uniform(-0.1, 0.1)), top, float(rng.uniform(-0.1, 0.1))))
    index = standing(piece("ground", ground, bearer=True), piece("rock", rock, rock_at, spiked=True))
    expected = first_touch_by_bisection(start, [fcl_object(ground, (0, 0, 0)), fcl_object(rock, rock_at)], top)
    assert abs(set_down(index, start).pose.position[1] - expected) < 1e-6


@settings(max_examples=60, deadline=None)
@given(seeds)
def test_seating_twice_changes_nothing(seed: int) -> None:
    rng = np.random.default_rng(seed)
    index = standing(piece("ground", terrain(rng), bearer=True), piece("rock", random_solid(rng), (0.0, 0.2, 0.0)))
    start = piece("mover", random_solid(rng), (0.05, float(rng.uniform(0.0, 0.9)), 0.0))
    once = set_down(index, start)
    again = set_down(index, start.at(once.pose))
    assert again.travel is not None
    assert abs(again.travel) < 1e-9


@settings(max_examples=40, deadline=None)
@given(seeds, st.floats(0.0, 6.28), st.tuples(*[st.floats(-500, 500)] * 3))
def test_seating_does_not_care_where_the_set_stands(seed: int, angle: float, by: tuple[float, float, float]) -> None:
    """Turn the whole set about the vertical and move it: the travel is the same."""
    rng = np.random.default_rng(seed)
    ground, rock, mover = terrain(rng), random_solid(rng), random_solid(rng)
    turn = Pose.from_parts(by, (0.0, float(np.sin(angle / 2)), 0.0, float(np.cos(angle / 2))), (1.0, 1.0, 1.0))

    def travel(frame: Pose) -> float:
        def put(p: Piece) -> Piece:
            return p.at(Pose.from_matrix(frame.matrix @ p.pose.matrix))

        index = standing(put(piece("ground", ground, bearer=True)), put(piece("rock", rock, (0.0, 0.2, 0.0))))
        found = set_down(index, put(piece("mover", mover, (0.03, 0.9, 0.02)))).travel
        assert found is not None
        return found

    assert abs(travel(Pose((0.0, 0.0, 0.0))) - travel(turn)) < 1e-8
