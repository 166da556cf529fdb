"""Poses: where something stands, and the rotations they are made of."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.meshes.lazy import lazy

Vec = NDArray[np.float64]
Triple = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]

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


def cross(a: Vec, b: Vec) -> Vec:
    """(3,) cross product of two vectors (3,): for so few numbers ten times as quick as NumPy's own, which takes any shape."""
    ax, ay, az = a.tolist()
    bx, by, bz = b.tolist()
    return np.array([ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx])


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
        """From a (3, 3) basis and a (3,) position in metres."""
        x, y, z = np.asarray(position, dtype=np.float64).tolist()
        return cls((x, y, z), tuple(np.asarray(basis, dtype=np.float64).ravel().tolist()))

    @classmethod
    def from_matrix(cls, matrix: Vec) -> "Pose":
        """From a (4, 4) matrix for column vectors."""
        return cls.of(matrix[:3, :3], matrix[:3, 3])

    @classmethod
    def from_parts(cls, position: Triple, orientation: Quaternion, scale: Triple) -> "Pose":
        """From position (m), quaternion (x, y, z, w) and scale along the prop's own axes."""
        return cls.of(rotation_matrix(orientation) * np.asarray(scale), np.asarray(position))

    @lazy
    def linear(self) -> Vec:
        """(3, 3) basis."""
        return np.array(self.basis, dtype=np.float64).reshape(3, 3)

    @lazy
    def origin(self) -> Vec:
        """(3,) position in metres."""
        return np.array(self.position, dtype=np.float64)

    @property
    def matrix(self) -> Vec:
        """(4, 4), for column vectors."""
        out = np.eye(4)
        out[:3, :3] = self.linear
        out[:3, 3] = self.position
        return out

    @property
    def scale(self) -> Triple:
        """Lengths of the basis vectors; the first is negative when the basis mirrors."""
        linear = self.linear
        s = np.linalg.norm(linear, axis=0)
        if np.linalg.det(linear) < 0:
            s = s * np.array([-1.0, 1.0, 1.0])
        return (float(s[0]), float(s[1]), float(s[2]))

    @property
    def orientation(self) -> Quaternion:
        """Unit quaternion (x, y, z, w) of the basis without its scale."""
        return quaternion_of(self.linear / np.asarray(self.scale))

    def moved(self, by: Vec) -> "Pose":
        """The same pose moved by (3,) metres in the world."""
        x, y, z = (self.origin + by).tolist()
        return Pose((x, y, z), self.basis)

    def apply(self, points: Vec) -> Vec:
        """World positions of local ``points`` (..., 3)."""
        return points @ self.linear.T + self.origin

    def local(self, points: Vec) -> Vec:
        """Local positions of world ``points`` (..., 3): what ``apply`` leads back to."""
        return (points - self.origin) @ np.linalg.inv(self.linear).T
