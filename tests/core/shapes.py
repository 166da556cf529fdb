"""Shapes with known contact, and sets made of them."""

from collections.abc import Mapping
from itertools import count
from typing import Any

import numpy as np
import trimesh

from brickseat_core.contact.index import SceneIndex, world_box
from brickseat_core.fit.measuring import Fit
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.moves import Outcome, compute_move, parse
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Set, Triple, Vec, rotation_matrix
from brickseat_core.tolerances import SEATED_TOLERANCE


def mesh_of(shape: trimesh.Trimesh) -> Mesh:
    return Mesh(np.array(shape.vertices, dtype=np.float64), np.array(shape.faces, dtype=np.int32))


def box(x: float, y: float, z: float) -> Mesh:
    return mesh_of(trimesh.creation.box((x, y, z)))


def ball(radius: float, subdivisions: int = 3) -> Mesh:
    return mesh_of(trimesh.creation.icosphere(subdivisions, radius))


def revolved(profile: list[tuple[float, float]], sections: int = 48) -> Mesh:
    """A surface of revolution about y from (radius, height) corners; ends on the axis close it."""
    shape = trimesh.creation.revolve(np.array(profile), sections=sections)
    turned = shape.copy()
    turned.vertices = turned.vertices[:, [0, 2, 1]]
    turned.faces = turned.faces[:, ::-1]
    return mesh_of(turned)


def inward(mesh: Mesh) -> Mesh:
    return Mesh(mesh.vertices, np.ascontiguousarray(mesh.faces[:, ::-1]))


def sheet(corners: list[Triple]) -> Mesh:
    """A fan of triangles over the corners of a polygon."""
    n = len(corners)
    return Mesh(np.array(corners), np.array([[0, i, i + 1] for i in range(1, n - 1)], dtype=np.int32))


def roof(length: float, half_width: float, height: float, along_x: bool) -> Mesh:
    """A closed prism with its one ridge up, at y = height."""
    a, b = length / 2, half_width
    corners = [(-a, 0, -b), (-a, 0, b), (-a, height, 0), (a, 0, -b), (a, 0, b), (a, height, 0)]
    if not along_x:
        corners = [(z, y, -x) for x, y, z in corners]
    faces = [[0, 1, 2], [3, 5, 4], [0, 3, 4], [0, 4, 1], [1, 4, 5], [1, 5, 2], [2, 5, 3], [2, 3, 0]]
    return Mesh(np.array(corners, dtype=np.float64), np.array(faces, dtype=np.int32))


def turned(mesh: Mesh, quaternion: tuple[float, float, float, float]) -> Mesh:
    return Mesh(mesh.vertices @ rotation_matrix(quaternion).T, mesh.faces)


def piece(
    name: str,
    mesh: Mesh,
    at: Triple = (0.0, 0.0, 0.0),
    *,
    bearer: bool = False,
    direction: Triple = DOWN,
    sink: float = 0.0,
    stand_off: float = 0.0,
    spiked: bool = False,
) -> Piece:
    return Piece(
        name,
        name,
        Prop(name, name, mesh),
        Pose(at),
        "bearer" if bearer else "prop",
        direction,
        sink,
        stand_off,
        spiked,
    )


FLOOR = piece("floor", box(20, 1, 20), (0.0, -0.5, 0.0), bearer=True)


def standing(*pieces: Piece) -> SceneIndex:
    return SceneIndex(pieces)


def world(p: Piece) -> Vec:
    return p.pose.apply(p.prop.mesh.vertices)


def bounds(p: Piece) -> tuple[Vec, Vec]:
    """Axis-aligned box of a piece in the world."""
    return world_box(p.prop.mesh, p.pose)


def made(
    index: SceneIndex, move: Any, tolerance: float = SEATED_TOLERANCE, fits: Mapping[str, Fit] | None = None
) -> Outcome:
    """What a move does to all that stands in ``index``; ``move``: plain values, or a move. Nothing is changed.

    Props are those of the pieces, by key; new pieces are called new-1, new-2…
    """
    dressed = Set.of("a set", index.pieces.values(), tolerance)
    props = {p.prop.key: p.prop for p in index.pieces.values()}
    numbers = count(1)
    return compute_move(
        dressed,
        index,
        fits or {},
        parse(move) if isinstance(move, dict) else move,
        props.__getitem__,
        lambda: f"new-{next(numbers)}",
    )
