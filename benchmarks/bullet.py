"""The same falling props in another engine that takes true triangles for the ground: Bullet, by its Python package."""

import tempfile
import time
from collections.abc import Iterable, Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull

from brickseat_core.geometry.mesh import Vec
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.scene import Piece

Triangles = NDArray[np.int32]

STEPS = 240
"""A second, as that engine has it by default."""


def obj_of(parts: Iterable[tuple[Vec, Triangles]]) -> str:
    """Corners and triangles, each part an object of its own: the engine makes each a hull."""
    lines, first = [], 1
    for number, (corners, faces) in enumerate(parts):
        lines.append(f"o part{number}")
        lines += [f"v {x:.6f} {y:.6f} {z:.6f}" for x, y, z in corners]
        lines += [f"f {a} {b} {c}" for a, b, c in faces + first]
        first += len(corners)
    return "\n".join(lines)


def hull_of(corners: Vec) -> tuple[Vec, Triangles]:
    """The corners, and the triangles of their hull, facing outward."""
    hull = ConvexHull(corners)
    faces = hull.simplices.copy()
    a, b, c = (corners[faces[:, k]] for k in range(3))
    turned = np.einsum("ij,ij->i", np.cross(b - a, c - a), hull.equations[:, :3]) < 0
    faces[turned] = faces[turned][:, ::-1]
    return corners, faces


def fall(
    pieces: list[Piece], fixed: list[Piece], shapes: Mapping[str, ContactShape], seconds: float
) -> tuple[float, float]:
    """CPU seconds a simulated second, and the deepest overlap in the end (m); with that engine's own grip."""
    import pybullet as engine

    engine.connect(engine.DIRECT)
    engine.setGravity(0, -9.81, 0)
    engine.setTimeStep(1 / STEPS)
    with tempfile.TemporaryDirectory() as folder:

        def shape(name: str, parts: list[tuple[Vec, Triangles]], flags: int = 0) -> int:
            path = Path(folder) / f"{name}.obj"
            path.write_text(obj_of(parts))
            return int(engine.createCollisionShape(engine.GEOM_MESH, fileName=str(path), flags=flags))

        for p in fixed:
            mesh = p.prop.mesh
            ground = [(mesh.vertices @ p.pose.linear.T + p.pose.origin, mesh.faces)]
            engine.createMultiBody(0, shape(p.key, ground, engine.GEOM_FORCE_CONCAVE_TRIMESH))
        for p in pieces:
            # Bodies do not share their shapes there.
            made = shape(p.prop.key, [hull_of(s) for s in shapes[p.prop.key].solids])
            engine.createMultiBody(1.0, made, basePosition=p.pose.position)
    start = time.process_time()
    for _ in range(round(seconds * STEPS)):
        engine.stepSimulation()
    spent = (time.process_time() - start) / seconds
    deepest = -min((float(contact[8]) for contact in engine.getContactPoints()), default=0.0)
    engine.disconnect()
    return spent, deepest
