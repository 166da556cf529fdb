"""Surface frames: the way up at a point of a surface, and how a prop turns to follow it."""

import math
from typing import Literal, get_args

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.rays import Hit, first_hit
from brickseat_core.scene import Vec, cross, rotation_about

Follow = Literal["face", "smooth", "ground"]
FOLLOWS: tuple[Follow, ...] = get_args(Follow)
TouchSide = Literal["base", "top", "left", "right", "front", "back"]
TOUCH_SIDES: tuple[TouchSide, ...] = get_args(TouchSide)
PLUMB = np.array([0.0, 1.0, 0.0])

SIDE_TURNS: dict[str, tuple[tuple[float, float, float], float]] = {
    "base": ((1.0, 0.0, 0.0), 0.0),
    "top": ((1.0, 0.0, 0.0), np.pi),
    "left": ((0.0, 0.0, 1.0), np.pi / 2),
    "right": ((0.0, 0.0, 1.0), -np.pi / 2),
    "front": ((1.0, 0.0, 0.0), np.pi / 2),
    "back": ((1.0, 0.0, 0.0), -np.pi / 2),
}
"""Axis and angle that bring each side of a prop (its front is +Z) to point down."""
SIDE_ROTATIONS = {side: rotation_about(np.array(axis), angle) for side, (axis, angle) in SIDE_TURNS.items()}
"""The same as (3, 3) rotations."""


def shortest_rotation(a: Vec, b: Vec) -> Vec:
    """(3, 3) least rotation that brings unit vector ``a`` to ``b``."""
    axis = cross(a, b)
    sine, cosine = math.hypot(*axis), float(a @ b)
    if sine < 1e-12:
        if cosine > 0.0:
            return np.eye(3)
        other = cross(a, np.eye(3)[int(np.argmin(np.abs(a)))])
        return rotation_about(other / np.linalg.norm(other), np.pi)
    return rotation_about(axis / sine, float(np.arctan2(sine, cosine)))


def blended_up(normal: Vec, lean: float) -> Vec:
    """Unit way up between plumb (``lean`` 0) and ``normal`` (1), along the great circle."""
    angle = float(np.arccos(np.clip(PLUMB @ normal, -1.0, 1.0)))
    if angle < 1e-9 or lean <= 0.0:
        return PLUMB.copy()
    axis = cross(PLUMB, normal)
    length = math.hypot(*axis)
    axis = axis / length if length > 1e-12 else np.array([1.0, 0.0, 0.0])
    return np.asarray(rotation_about(axis, angle * lean) @ PLUMB)


def smooth_normal(index: SceneIndex, hit: Hit) -> Vec:
    """The normal interpolated from the corners of the triangle hit, on the side of the ray."""
    piece = index.pieces[index.keys[hit.row] or ""]
    mesh = index.mesh_of(piece)
    triangle = int(mesh.tree.order[hit.triangle - index.span(mesh).tri0])
    a, b, c = piece.pose.apply(mesh.vertices[mesh.faces[triangle]])
    weights, *_ = np.linalg.lstsq(np.stack([a, b, c], axis=1), hit.point, rcond=None)
    local = np.asarray(weights) @ mesh.corner_normals[triangle]
    world = np.linalg.inv(piece.pose.linear).T @ local
    world = world / max(float(np.linalg.norm(world)), 1e-12)
    return np.asarray(world if world @ hit.normal > 0 else -world)


def ground_normal(index: SceneIndex, hit: Hit, radius: float, skip: int) -> Vec:
    """Normal of the plane that fits the surface best under a footprint of ``radius`` metres."""
    toward = shortest_rotation(PLUMB, hit.normal)
    points = [hit.point]
    for ring, count in ((0.5, 6), (1.0, 10)):
        for k in range(count):
            a = 2.0 * np.pi * (k + 0.5 * ring) / count
            offset = toward @ np.array([np.cos(a) * radius * ring, radius, np.sin(a) * radius * ring])
            below = first_hit(index, hit.point + offset, -hit.normal, skip)
            if below is not None and below.distance < 2.0 * radius:
                points.append(below.point)
    if len(points) < 4:
        return hit.normal
    cloud = np.array(points)
    _, _, axes = np.linalg.svd(cloud - cloud.mean(axis=0))
    normal = axes[2]
    return np.asarray(normal if normal @ hit.normal > 0 else -normal)
