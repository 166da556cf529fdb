"""Poses: where something stands, and the rotations they are made of."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brickseat_core.geometry.lazy import lazy

Vec = NDArray[np.float64]
Triple = tuple[float, float, float]
Quaternion = tuple[float, float, float, float]

UP: Triple = (0.0, 1.0, 0.0)
DOWN: Triple = (0.0, -1.0, 0.0)
SHEAR = 1e-9
"""Cosine of two basis vectors from which they are not square to each other."""
IDENTITY = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 1.0)


def rotation_matrix(quaternion: Quaternion) -> Vec:
    """(3, 3) rotation of a quaternion (x, y, z, w); the quaternion need not be of unit length. Raises ValueError where it has none."""
    x, y, z, w = quaternion
    length = math.sqrt(x * x + y * y + z * z + w * w)
    if not length > 0.0:
        raise ValueError("a quaternion of no length is no orientation")
    x, y, z, w = x / length, y / length, z / length, w / length
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
    return unit_quaternion(*np.asarray(matrix, dtype=np.float64).ravel().tolist())


def unit_quaternion(
    a: float, b: float, c: float, d: float, e: float, f: float, g: float, h: float, i: float
) -> Quaternion:
    """As ``quaternion_of``, of the nine numbers row by row: plain numbers are ten times as quick for so few."""
    trace = a + e + i
    most = max(a, e, i, trace)
    if most == trace:
        x, y, z, w = h - f, c - g, d - b, 1.0 + trace
    elif most == a:
        x, y, z, w = 1.0 - trace + 2.0 * a, d + b, g + c, h - f
    elif most == e:
        x, y, z, w = d + b, 1.0 - trace + 2.0 * e, h + f, c - g
    else:
        x, y, z, w = g + c, h + f, 1.0 - trace + 2.0 * i, d - b
    length = math.sqrt(x * x + y * y + z * z + w * w)
    if w < 0.0:
        length = -length
    return (x / length, y / length, z / length, w / length)


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

    @lazy
    def scale(self) -> Triple:
        """Lengths of the basis vectors; the first is negative when the basis mirrors."""
        a, b, c, d, e, f, g, h, i = self.basis
        determinant = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g)
        x = math.sqrt(a * a + d * d + g * g)
        return (-x if determinant < 0.0 else x, math.sqrt(b * b + e * e + h * h), math.sqrt(c * c + f * f + i * i))

    @lazy
    def sheared(self) -> bool:
        """Whether the basis is more than an orientation and a scale: its vectors are not square to each other."""
        a, b, c, d, e, f, g, h, i = self.basis
        x, y, z = self.scale
        cosines = (a * b + d * e + g * h, x * y), (a * c + d * f + g * i, x * z), (b * c + e * f + h * i, y * z)
        return any(abs(dot) > SHEAR * abs(lengths) for dot, lengths in cosines)

    @lazy
    def orientation(self) -> Quaternion:
        """Unit quaternion (x, y, z, w) of the basis without its scale."""
        # What has no extent along an axis has no direction there.
        x, y, z = (length or 1.0 for length in self.scale)
        a, b, c, d, e, f, g, h, i = self.basis
        return unit_quaternion(a / x, b / y, c / z, d / x, e / y, f / z, g / x, h / y, i / z)

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
