"""What everything passes along: poses, pieces and the set they stand on. Plain and frozen."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from types import MappingProxyType
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brickseat_core.meshes.mesh import Mesh
from brickseat_core.tolerances import SEATED_TOLERANCE

Vec = NDArray[np.float64]
Triple = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]
Role = Literal["bearer", "prop"]

UP: Triple = (0.0, 1.0, 0.0)
DOWN: Triple = (0.0, -1.0, 0.0)
IDENTITY = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


def rotation_matrix(quaternion: Quaternion) -> Vec:
    """(3, 3) rotation of a quaternion (x, y, z, w); the quaternion need not be of unit length."""
    x, y, z, w = np.asarray(quaternion, dtype=np.float64) / np.linalg.norm(quaternion)
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


def rotation_about(axis: Vec, angle: float) -> Vec:
    """(3, 3) rotation by ``angle`` radians about a unit ``axis`` (Rodrigues)."""
    x, y, z = axis
    k = np.array([[0.0, -z, y], [z, 0.0, -x], [-y, x, 0.0]])
    return np.asarray(np.eye(3) + np.sin(angle) * k + (1.0 - np.cos(angle)) * (k @ k))


def quaternion_of(matrix: Vec) -> Quaternion:
    """Unit quaternion (x, y, z, w) of a (3, 3) rotation, w >= 0 (Shepperd, 1978)."""
    m = matrix
    trace = m[0, 0] + m[1, 1] + m[2, 2]
    candidates = np.array([m[0, 0], m[1, 1], m[2, 2], trace])
    k = int(np.argmax(candidates))
    if k == 3:
        q = np.array([m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1], 1 + trace])
    else:
        i, j, n = k, (k + 1) % 3, (k + 2) % 3
        q = np.empty(4)
        q[i] = 1 - trace + 2 * m[i, i]
        q[j] = m[j, i] + m[i, j]
        q[n] = m[n, i] + m[i, n]
        q[3] = m[n, j] - m[j, n]
    q /= np.linalg.norm(q)
    if q[3] < 0:
        q = -q
    return (float(q[0]), float(q[1]), float(q[2]), float(q[3]))


@dataclass(frozen=True)
class Pose:
    """Where a piece stands: world = basis · local + position. ``basis`` is (3, 3), row by row."""

    position: Triple
    basis: tuple[float, ...] = IDENTITY

    @classmethod
    def of(cls, basis: Vec, position: Vec) -> "Pose":
        x, y, z = (float(v) for v in position)
        return cls((x, y, z), tuple(float(v) for v in np.asarray(basis).ravel()))

    @classmethod
    def from_matrix(cls, matrix: Vec) -> "Pose":
        return cls.of(matrix[:3, :3], matrix[:3, 3])

    @classmethod
    def from_parts(cls, position: Triple, orientation: Quaternion, scale: Triple) -> "Pose":
        """From position (m), quaternion (x, y, z, w) and scale along the prop's own axes."""
        return cls.of(rotation_matrix(orientation) * np.asarray(scale), np.asarray(position))

    @cached_property
    def linear(self) -> Vec:
        return np.array(self.basis, dtype=np.float64).reshape(3, 3)

    @cached_property
    def origin(self) -> Vec:
        return np.array(self.position, dtype=np.float64)

    @property
    def matrix(self) -> Vec:
        out = np.eye(4)
        out[:3, :3] = self.linear
        out[:3, 3] = self.position
        return out

    @property
    def scale(self) -> Triple:
        linear = self.linear
        s = np.linalg.norm(linear, axis=0)
        if np.linalg.det(linear) < 0:
            s = s * np.array([-1.0, 1.0, 1.0])
        return (float(s[0]), float(s[1]), float(s[2]))

    @property
    def orientation(self) -> Quaternion:
        return quaternion_of(self.linear / np.asarray(self.scale))

    def moved(self, by: Vec) -> "Pose":
        return Pose.of(self.linear, self.origin + by)

    def apply(self, points: Vec) -> Vec:
        """World positions of local ``points`` (..., 3)."""
        return points @ self.linear.T + self.origin


@dataclass(frozen=True)
class Prop:
    """A model that can be used: its true mesh under a name."""

    key: str
    name: str
    mesh: Mesh


@dataclass(frozen=True)
class Piece:
    """One copy of a prop on a set.

    ``direction``: unit vector along which it is seated. ``sink`` / ``stand_off``: metres it is meant
    to be embedded / kept off along it. ``spiked``: never moved. ``group``: name shared by pieces that are
    picked up as one; empty for none.
    """

    key: str
    name: str
    prop: Prop
    pose: Pose
    role: Role = "prop"
    direction: Triple = DOWN
    sink: float = 0.0
    stand_off: float = 0.0
    spiked: bool = False
    group: str = ""

    def at(self, pose: Pose) -> "Piece":
        return replace(self, pose=pose)

    @property
    def movable(self) -> bool:
        return self.role == "prop" and not self.spiked

    def shrunk(self, share: float, least: float) -> "Piece":
        """The same piece, smaller about the middle of its box by ``share``, and along no axis by less than ``least`` m."""
        lo, hi = self.prop.mesh.box
        extent = np.maximum(np.linalg.norm(self.pose.linear, axis=0) * (hi - lo), least)
        linear = self.pose.linear * (1.0 - np.minimum(0.1, np.maximum(share, least / extent)))
        middle = 0.5 * (lo + hi)
        return self.at(Pose.of(linear, self.pose.apply(middle) - linear @ middle))

    def world_box(self) -> tuple[Vec, Vec]:
        lo, hi = self.prop.mesh.box
        centre = self.pose.apply(0.5 * (lo + hi))
        extent = np.abs(self.pose.linear) @ (0.5 * (hi - lo))
        return centre - extent, centre + extent


@dataclass(frozen=True)
class Set:
    """The place being dressed: pieces by key (bearers among them), and its tolerance in metres."""

    name: str
    pieces: Mapping[str, Piece] = field(default_factory=lambda: MappingProxyType({}))
    tolerance: float = SEATED_TOLERANCE

    @classmethod
    def of(cls, name: str, pieces: Iterable[Piece], tolerance: float = SEATED_TOLERANCE) -> "Set":
        return cls(name, MappingProxyType({piece.key: piece for piece in pieces}), tolerance)


@dataclass(frozen=True)
class Delta:
    """What one piece was and what it became; None where it did not exist."""

    key: str
    before: Piece | None
    after: Piece | None


@dataclass(frozen=True)
class Change:
    """What a move does to a set, in words and piece by piece."""

    words: str
    deltas: tuple[Delta, ...]

    def backwards(self) -> "Change":
        return Change(self.words, tuple(Delta(d.key, d.after, d.before) for d in reversed(self.deltas)))

    def on(self, dressed: Set) -> Set:
        """The set after this change. Raises ValueError when the set is not as the change expects."""
        pieces = dict(dressed.pieces)
        for delta in self.deltas:
            if pieces.get(delta.key) != delta.before:
                raise ValueError(f"piece {delta.key} is no longer as it was before “{self.words}”")
            if delta.after is None:
                del pieces[delta.key]
            else:
                pieces[delta.key] = delta.after
        return Set(dressed.name, MappingProxyType(pieces), dressed.tolerance)
