"""The bay that is filled: its closed shape in the world, the frame that it is filled in, and its walls as what nothing may pass."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import first_hit
from brickseat_core.geometry.mesh import Mesh, crossed
from brickseat_core.placing.frames import PLUMB, shortest_rotation
from brickseat_core.scene import Pose, Vec, rotation_about

GROWN = 5e-6
"""Metres by which the walls stand off the bay, so that what fits exactly is not stopped by rounding."""
UPRIGHT = 0.02
"""Cosine to the level below which a face is a wall."""
SAME_WAY = np.radians(0.5)
"""Walls whose directions differ less are of one direction."""
STEEPEST, LEVEL = 0.8, 1.0 - 1e-9
"""Cosines to plumb from which a face is a floor, and a level one."""
SAME_PLANE, MOSTLY = 1e-9, 0.6
"""Cosine by which two faces of one floor differ, and share of all that is below a bay that is one floor."""
RIGHT_ANGLE = 0.5 * np.pi
MOST_FACES = 1_000
"""Faces that the frame of a bay is taken from, the largest of it."""
PROBES = 5
"""Rays along each edge of a side of the bay, by which it is decided whether the side is open."""
NEAR_SIDE = 0.25
"""Share of the bay's extent within which something beside it closes that side."""
SIDES = ((0, 1.0), (1, 1.0), (1, -1.0), (0, -1.0))
"""The sides of a bay in its frame, +Z first: axis (0 is z, 1 is x) and sign. Where several are as open, it is the first."""


@dataclass(frozen=True)
class Bay:
    """``solid``: its mesh in the world, faces outward. ``turn``: (3, 3) rotation from its frame to the world: about the vertical, and
    tilted with its floor where that slopes.

    ``front``: (3,) unit, in its frame: the direction across from which it is filled.
    """

    solid: Mesh
    turn: Vec
    front: Vec

    @property
    def in_frame(self) -> Vec:
        """(n, 3, 3) its triangles in its frame."""
        return np.ascontiguousarray((self.solid.vertices @ self.turn)[self.solid.faces])

    @property
    def down(self) -> Vec:
        """(3,) unit, in the world: the way onto its floor."""
        return np.asarray(-self.turn[:, 1])

    def walls(self) -> Mesh:
        """Its faces, looking inward, ``GROWN`` metres off it."""
        return Mesh(grown(self.solid, GROWN), np.ascontiguousarray(self.solid.faces[:, ::-1]))


def bay_of(mesh: Mesh, pose: Pose, index: SceneIndex, square_to_bay: bool) -> Bay:
    """The bay of a closed ``mesh`` at a pose. ``index``: what stands about it, which closes its sides.

    ``square_to_bay``: whether its frame follows its floor and its largest wall; else it is that of the world.
    """
    solid = outward_solid(mesh, pose)
    if not square_to_bay:
        return Bay(solid, np.eye(3), front_of(solid, np.eye(3), index))
    tilt = tilt_of(solid)
    angle = angle_of(Mesh(solid.vertices @ tilt, solid.faces))
    turn = tilt @ rotation_about(PLUMB, angle) if angle else tilt
    return Bay(solid, turn, front_of(solid, turn, index))


def outward_solid(mesh: Mesh, pose: Pose) -> Mesh:
    """A closed mesh at a pose, in the world, its faces outward whichever way they looked."""
    faces = mesh.faces
    if mesh.health.inward != (np.linalg.det(pose.linear) < 0.0):
        faces = np.ascontiguousarray(faces[:, ::-1])
    return Mesh(pose.apply(mesh.vertices), faces)


def faces_of(solid: Mesh) -> tuple[Vec, Vec]:
    """(n, 3) unit normals and (n,) twice the areas of the faces of a solid; those without an area are left out."""
    corners = solid.vertices[solid.faces]
    normals = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normals, axis=1)
    some = area > 0.0
    return normals[some] / area[some, None], area[some]


def tilt_of(solid: Mesh) -> Vec:
    """(3, 3) least rotation from plumb to square to the floor of a solid, where most of what is below it is one sloping floor."""
    normals, area = faces_of(solid)
    low = normals[:, 1] < -STEEPEST
    if not low.any():
        return np.eye(3)
    total = float(area[low].sum())
    normals, area = largest_of(normals[low], area[low])
    of_one_plane = (normals @ normals.T > 1.0 - SAME_PLANE) @ area
    largest = int(np.argmax(of_one_plane))
    if normals[largest, 1] < -LEVEL or of_one_plane[largest] < MOSTLY * total:
        return np.eye(3)
    return shortest_rotation(PLUMB, -normals[largest])


def largest_of(normals: Vec, area: Vec) -> tuple[Vec, Vec]:
    """The ``MOST_FACES`` largest faces, in the order in which they were: as many as are held against each other at most."""
    some = np.sort(np.argsort(-area, kind="stable")[:MOST_FACES])
    return normals[some], area[some]


def angle_of(solid: Mesh) -> float:
    """Radians about the vertical by which the largest walls of a solid are turned, within half a right angle."""
    normals, area = faces_of(solid)
    upright = np.abs(normals[:, 1]) <= UPRIGHT
    if not upright.any():
        return 0.0
    normals, area = largest_of(normals[upright], area[upright])
    angle = np.mod(np.arctan2(normals[:, 0], normals[:, 2]), RIGHT_ANGLE)
    apart = np.abs(angle[:, None] - angle[None])
    same = np.minimum(apart, RIGHT_ANGLE - apart) < SAME_WAY
    found = float(angle[int(np.argmax(same @ area))])
    if found > 0.5 * RIGHT_ANGLE:
        found -= RIGHT_ANGLE
    # What is square to the world but for rounding is square to it.
    return 0.0 if abs(found) < 1e-9 else found


def front_of(solid: Mesh, turn: Vec, index: SceneIndex) -> Vec:
    """(3,) unit, in the frame ``turn``: the level direction in which least stands beside the bay; +Z of the frame where all are alike."""
    vertices = solid.vertices @ turn
    lo, hi = vertices.min(axis=0), vertices.max(axis=0)
    middle, half = 0.5 * (lo + hi), 0.5 * (hi - lo)
    best, least = np.array([0.0, 0.0, 1.0]), np.inf
    for side, sign in SIDES:
        along = np.zeros(3)
        along[2 if side == 0 else 0] = sign
        across = 0 if side == 0 else 2
        reach = float(np.abs(along) @ half)
        met = 0
        for u in np.linspace(-0.7, 0.7, PROBES):
            for v in np.linspace(-0.7, 0.7, PROBES):
                point = middle.copy()
                point[across] += u * half[across]
                point[1] += v * half[1]
                hit = first_hit(index, turn @ point, turn @ along)
                met += hit is not None and hit.distance < reach * (1.0 + NEAR_SIDE)
        if met < least:
            best, least = along, met
    return best


def grown(solid: Mesh, by: float) -> Vec:
    """(n, 3) the corners of a solid moved so that each of its faces lies ``by`` metres further out.

    The least movement that does it for all faces of a corner, in the least-squares sense where they are too many.
    """
    corners = solid.vertices[solid.faces]
    normals = crossed(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    normals = normals / np.maximum(length, 1e-300)[:, None]
    weight = (length > 0.0).astype(np.float64)
    places = solid.welded
    many = int(places.max()) + 1
    square, right = np.zeros((many, 3, 3)), np.zeros((many, 3))
    outer = normals[:, :, None] * normals[:, None, :] * weight[:, None, None]
    for k in range(3):
        np.add.at(square, places[:, k], outer)
        np.add.at(right, places[:, k], normals * weight[:, None])
    moved = np.einsum("nij,nj->ni", np.linalg.pinv(square, rcond=1e-9), right)
    # Where faces all but fold back onto each other there is no such corner near by.
    size = np.linalg.norm(moved, axis=1)
    moved *= np.minimum(1.0, 10.0 / np.maximum(size, 1e-300))[:, None]
    found = solid.vertices.copy()
    found[solid.faces.ravel()] += by * moved[places.ravel()] - (
        found[solid.faces.ravel()] - solid.vertices[solid.faces.ravel()]
    )
    return np.asarray(found)
