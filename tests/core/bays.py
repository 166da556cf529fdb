"""Bays to fill, what stands about them, and props that are stacked there."""

import numpy as np

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop, Triple, Vec, rotation_about
from shapes import ball, box, inward, piece, revolved

BOARD = 0.02
"""Metres that the boards of a shelf are thick."""


def on_foot(mesh: Mesh) -> Mesh:
    """The same mesh with its lowest point at height 0."""
    return moved(mesh, (0.0, -float(mesh.box[0][1]), 0.0))


def moved(mesh: Mesh, by: Triple) -> Mesh:
    return Mesh(mesh.vertices + np.array(by), mesh.faces)


def about_plumb(mesh: Mesh, degrees: float) -> Mesh:
    return Mesh(mesh.vertices @ rotation_about(np.array([0.0, 1.0, 0.0]), np.radians(degrees)).T, mesh.faces)


def shelf(x: float, y: float, z: float, degrees: float = 0.0) -> list[Piece]:
    """Five boards about a compartment that stands on height 0 and is open to its front, +Z, turned about the vertical."""
    wide = x + 2 * BOARD
    boards = {
        "floor": ((wide, BOARD, z), (0.0, -BOARD / 2, 0.0)),
        "top": ((wide, BOARD, z), (0.0, y + BOARD / 2, 0.0)),
        "left": ((BOARD, y, z), (-(x + BOARD) / 2, y / 2, 0.0)),
        "right": ((BOARD, y, z), ((x + BOARD) / 2, y / 2, 0.0)),
        "back": ((wide, y + 2 * BOARD, BOARD), (0.0, y / 2, -(z + BOARD) / 2)),
    }
    return [
        piece(name, about_plumb(moved(box(*size), at), degrees), bearer=True) for name, (size, at) in boards.items()
    ]


def compartment(x: float, y: float, z: float, degrees: float = 0.0) -> Mesh:
    return about_plumb(on_foot(box(x, y, z)), degrees)


def extruded(profile: list[tuple[float, float]], length: float) -> Mesh:
    """A prism along z about the origin over a star-shaped profile of (x, y) corners, which go round anticlockwise."""
    n = len(profile)
    middle = np.mean(profile, axis=0)
    ends = [[(x, y, z) for x, y in [*profile, middle]] for z in (-length / 2, length / 2)]
    faces = []
    for k in range(n):
        m = (k + 1) % n
        faces += [[k, m, n + 1 + m], [k, n + 1 + m, n + 1 + k], [n, m, k], [2 * n + 1, n + 1 + k, n + 1 + m]]
    return Mesh(np.array(ends).reshape(-1, 3), np.array(faces, np.int32))


def vault(x: float, y: float, z: float) -> Mesh:
    """A compartment with a round arch over it."""
    arch = [(x / 2 * np.cos(a), y - x / 2 + x / 2 * np.sin(a)) for a in np.linspace(0.0, np.pi, 13)]
    return extruded([(x / 2, 0.0), *arch, (-x / 2, 0.0)], z)


def prism(xs: list[float], ys: list[float], cells: set[tuple[int, int]], length: float) -> Mesh:
    """A closed prism along z about the origin whose profile is those cells of a lattice of ``xs`` and ``ys``."""
    faces: list[list[int]] = []

    def corner(i: int, j: int, end: int) -> int:
        return (i * len(ys) + j) * 2 + end

    def quad(*corners: int) -> None:
        faces.extend([[corners[0], corners[1], corners[2]], [corners[0], corners[2], corners[3]]])

    for i, j in cells:
        around = [(i, j), (i + 1, j), (i + 1, j + 1), (i, j + 1)]
        quad(*(corner(*c, 1) for c in around))
        quad(*(corner(*c, 0) for c in reversed(around)))
        for k, beside in enumerate([(i, j - 1), (i + 1, j), (i, j + 1), (i - 1, j)]):
            if beside not in cells:
                a, b = around[k], around[(k + 1) % 4]
                quad(corner(*b, 1), corner(*a, 1), corner(*a, 0), corner(*b, 0))
    vertices = [(x, y, z) for x in xs for y in ys for z in (-length / 2, length / 2)]
    return Mesh(np.array(vertices), np.array(faces, np.int32))


def shell(mesh: Mesh) -> list[Piece]:
    """A room of the shape of a bay, with nothing else about it."""
    return [piece("shell", inward(mesh), bearer=True)]


def stone(radius: float, seed: int) -> Mesh:
    """A round, lumpy stone, flatter than it is wide."""
    mesh = ball(radius, 2)
    a, b = np.random.default_rng(seed).normal(size=(2, 3))
    out: Vec = mesh.vertices / np.linalg.norm(mesh.vertices, axis=1)[:, None]
    lumps = 1 + 0.12 * np.sin(3 * out @ a) + 0.06 * np.cos(4 * out @ b)
    return on_foot(Mesh(mesh.vertices * lumps[:, None] * np.array([1.2, 0.6, 1.0]), mesh.faces))


BRICK = on_foot(box(0.2, 0.06, 0.1))
TILE = on_foot(box(0.15, 0.015, 0.15))
CRATE = on_foot(box(0.3, 0.2, 0.25))
POT = revolved([(0, 0), (0.04, 0), (0.06, 0.05), (0.05, 0.12), (0.04, 0.12), (0.05, 0.05), (0, 0.01)], 16)
BOWL = revolved([(0, 0), (0.03, 0), (0.07, 0.05), (0.065, 0.05), (0.028, 0.006), (0, 0.006)], 20)
TIN = revolved([(0, 0), (0.06, 0), (0.06, 0.2), (0, 0.2)], 48)
PROPS = {
    name: Prop(name, name, mesh)
    for name, mesh in {
        "brick": BRICK,
        "tile": TILE,
        "crate": CRATE,
        "pot": POT,
        "bowl": BOWL,
        "tin": TIN,
        "stone": stone(0.05, 2),
    }.items()
}
PLACE = Pose((0.0, 0.0, 0.0))
