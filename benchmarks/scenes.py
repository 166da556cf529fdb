"""The scenes that are measured: rolling ground and many pieces of twenty meshes, made the same way every time."""

import numpy as np
import trimesh

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop


def mesh_of(shape: trimesh.Trimesh) -> Mesh:
    return Mesh(np.array(shape.vertices, dtype=np.float64), np.array(shape.faces, dtype=np.int32))


def ground(triangles: int, width: float = 20.0) -> Mesh:
    """A rolling height field of about so many triangles."""
    n = round((triangles / 2) ** 0.5) + 1
    x, z = np.meshgrid(np.linspace(-width / 2, width / 2, n), np.linspace(-width / 2, width / 2, n), indexing="ij")
    y = 0.25 * np.sin(0.9 * x) * np.cos(0.7 * z) + 0.01 * np.sin(9.1 * x + 4.3 * z)
    i = (np.arange(n - 1)[:, None] * n + np.arange(n - 1)[None, :]).ravel()
    faces = np.concatenate([np.stack([i, i + 1, i + n], 1), np.stack([i + 1, i + n + 1, i + n], 1)])
    return Mesh(np.stack([x, y, z], -1).reshape(-1, 3), faces.astype(np.int32))


def pot(seed: int, sections: int = 24) -> Mesh:
    """A turned, hollow pot; every seed another one."""
    rng = np.random.default_rng(seed)
    r, h = float(rng.uniform(0.05, 0.14)), float(rng.uniform(0.06, 0.25))
    out = [(0.0, 0.0), (0.6 * r, 0.0), (r, 0.35 * h), (rng.uniform(0.6, 1.1) * r, 0.75 * h), (0.8 * r, h)]
    inner = [(0.8 * r - 0.006, h), (0.55 * r, 0.7 * h), (0.5 * r, 0.05 * h + 0.006), (0.0, 0.05 * h + 0.006)]
    made = trimesh.creation.revolve(np.array(out + inner), sections=sections)
    return Mesh(
        np.ascontiguousarray(made.vertices[:, [0, 2, 1]]), np.ascontiguousarray(made.faces[:, ::-1]).astype(np.int32)
    )


def seated(count: int, ground_triangles: int = 100_000, meshes: int = 20) -> list[Piece]:
    """Rolling ground and ``count`` pieces on it that keep clear of each other, each seated exactly."""
    props = [Prop(f"pot-{k}", f"pot {k}", pot(k)) for k in range(meshes)]
    side, step = int(np.ceil(count**0.5)), 0.4
    land = Prop("ground", "ground", ground(ground_triangles, (side + 2) * step))
    index = SceneIndex([Piece("ground", "ground", land, Pose((0.0, 0.0, 0.0)), "bearer")])
    for k in range(count):
        x, z = (k % side - side / 2) * step, (k // side - side / 2) * step
        piece = Piece(f"p{k}", f"piece {k}", props[k % meshes], Pose((x, 1.0, z)))
        index.put(piece.at(set_down(index, piece).pose))
    return list(index.pieces.values())


def crowd(count: int, ground_triangles: int = 100_000, meshes: int = 20) -> list[Piece]:
    """The ground and ``count`` pieces: most seated, one in ten floating, one in twenty into its neighbour."""
    rng = np.random.default_rng(count)
    props = [Prop(f"pot-{k}", f"pot {k}", pot(k)) for k in range(meshes)]
    land = Piece(
        "ground", "ground", Prop("ground", "ground", ground(ground_triangles)), Pose((0.0, 0.0, 0.0)), "bearer"
    )
    index = SceneIndex([land])
    side = int(np.ceil(count**0.5))
    step = min(0.6, 18.0 / side)
    for k in range(count):
        x, z = (k % side - side / 2) * step, (k // side - side / 2) * step
        turn = float(rng.uniform(0, 6.28))
        pose = Pose.from_parts(
            (x, 1.0, z), (0.0, float(np.sin(turn / 2)), 0.0, float(np.cos(turn / 2))), (1.0, 1.0, 1.0)
        )
        piece = Piece(f"p{k}", f"piece {k}", props[k % meshes], pose, sink=0.004)
        placed = piece.at(set_down(index, piece).pose)
        if k % 10 == 3:
            placed = placed.at(placed.pose.moved(np.array([0.0, 0.02, 0.0])))
        if k % 20 == 7:
            placed = placed.at(placed.pose.moved(np.array([-step + 0.1, 0.0, 0.0])))
        index.put(placed)
    return list(index.pieces.values())
