"""Seats that a prop is likely to want: its flat sides, round openings and the two ends of what is turned on a wheel."""

import numpy as np

from brickseat_core.geometry.flat_regions import circle_of
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.nearest import distances
from brickseat_core.geometry.sharp_lines import face_normals
from brickseat_core.scene import Seat, Vec, frame_of
from brickseat_core.scene.seats import square_to

MOST_SUGGESTED = 16
SAME_PLACE = 0.015
"""Share of the prop's size within which two seats that face the same way are one."""
LEAST_SHARE = 0.004
"""Share of the surface from which a flat side is a seat."""
WANTED_OPENING = 30.0
"""How many times its area a round opening counts: what is bored is bored for something."""
SHARP_BORDER = 0.6
"""Share of a flat side's border that must be sharp: others are strips of something round."""
SYMMETRY_STEPS = (180.0, 120.0, 90.0, 72.0, 60.0, 45.0, 36.0, 30.0)
"""Degrees tried as the turn step, from coarse to fine; the finest that the mesh allows is taken."""
SYMMETRY_SAMPLES = 240
SYMMETRIC = 0.01
"""Share of the prop's size by which turned samples may be off its surface."""
REVOLVED = 0.02
"""Size of the residue of a linear complex, as the sine of an angle, up to which a shell is turned about one axis."""


def suggested_seats(mesh: Mesh) -> list[Seat]:
    """Seats to choose from, the likeliest first, each with the turn step that the mesh itself repeats in."""
    lo, hi = mesh.box
    size = float((hi - lo).max())
    found: list[tuple[float, Vec, Vec, str]] = []
    for region in mesh.flat_regions:
        if region.area < LEAST_SHARE * mesh.area:
            break
        circles = [c for loop in region.loops if (c := circle_of(loop, region.normal)) is not None]
        if region.sharpness >= SHARP_BORDER:
            # A ring is met in the middle of its circle, not in the middle of its metal.
            whole = next((c for c in circles if c.radius**2 * np.pi > 0.8 * region.area), None)
            found.append((region.area, whole.centre if whole is not None else region.centre, region.normal, "side"))
        for circle in circles:
            found.append((WANTED_OPENING * np.pi * circle.radius**2, circle.centre, region.normal, "opening"))
    axis = axis_of_revolution(mesh)
    if axis is not None:
        point, direction = axis
        reach = (mesh.used_vertices - point) @ direction
        for at, facing in ((float(reach.min()), -direction), (float(reach.max()), direction)):
            found.append((0.5 * mesh.area, point + at * direction, facing, "end"))
    return named(mesh, merged_places(found, size))


def merged_places(found: list[tuple[float, Vec, Vec, str]], size: float) -> list[tuple[Vec, Vec, str]]:
    """Places and directions, the largest first, none twice."""
    kept: list[tuple[Vec, Vec, str]] = []
    for _, point, facing, kind in sorted(found, key=lambda f: -f[0]):
        if not any(
            float(np.linalg.norm(point - p)) < SAME_PLACE * size and float(facing @ f) > 0.99 for p, f, _ in kept
        ):
            kept.append((point, facing, kind))
    return kept[:MOST_SUGGESTED]


def named(mesh: Mesh, places: list[tuple[Vec, Vec, str]]) -> list[Seat]:
    """Seats at these places, named by where they face."""
    words = {(0, 1): "right", (0, -1): "left", (1, 1): "top", (1, -1): "bottom", (2, 1): "front", (2, -1): "back"}
    taken: dict[str, int] = {}
    seats = []
    for point, facing, kind in places:
        axis = int(np.argmax(np.abs(facing)))
        word = words[axis, 1 if facing[axis] > 0.0 else -1]
        name = f"{word} opening" if kind == "opening" else word
        taken[name] = taken.get(name, 0) + 1
        if taken[name] > 1:
            name = f"{name} {taken[name]}"
        clock = square_to(facing, np.array([0.0, 1.0, 0.0]) if axis != 1 else np.array([0.0, 0.0, 1.0]))
        frame = frame_of(point, facing, clock)
        seats.append(Seat(frame.point, frame.facing, frame.clock, name, turn_step(mesh, point, facing)))
    return seats


def turn_step(mesh: Mesh, point: Vec, facing: Vec) -> float:
    """Degrees after which a mesh looks the same, turned about a line; 0 for any angle, 360 where it never does."""
    lo, hi = mesh.box
    allowed = SYMMETRIC * float((hi - lo).max())
    points = mesh.used_vertices
    samples = points[:: max(1, len(points) // SYMMETRY_SAMPLES)][:SYMMETRY_SAMPLES] - point

    def looks_the_same(degrees: float) -> bool:
        a = np.radians(degrees)
        along = np.outer(samples @ facing, facing)
        turned = along + np.cos(a) * (samples - along) + np.sin(a) * np.cross(facing, samples)
        return float(distances(mesh.tree, turned + point).max()) <= allowed

    if looks_the_same(17.0) and looks_the_same(41.0):
        return 0.0
    return next((step for step in reversed(SYMMETRY_STEPS) if looks_the_same(step)), 360.0)


def axis_of_revolution(mesh: Mesh) -> tuple[Vec, Vec] | None:
    """A point (3,) of the axis that a mesh is turned about, and its unit direction (3,); None where it is not.

    All normals of such a surface meet its axis: they lie in one linear complex (Pottmann and Randrup, "Rotational and
    helical surface approximation for reverse engineering", 1998).
    """
    corners = mesh.vertices[mesh.faces]
    centre = 0.5 * (mesh.box[0] + mesh.box[1])
    size = float((mesh.box[1] - mesh.box[0]).max())
    area = 0.5 * np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    normals = face_normals(corners)
    places = (corners.mean(axis=1) - centre) / size
    lines = np.concatenate([np.cross(places, normals), normals], axis=1)
    moments = (lines * (area / max(float(area.sum()), 1e-300))[:, None]).T @ lines
    # Least residue for an axis of unit direction: the moment part is free.
    inner = moments[:3, :3] - moments[:3, 3:] @ np.linalg.pinv(moments[3:, 3:], rcond=1e-9) @ moments[3:, :3]
    values, vectors = np.linalg.eigh(inner)
    direction = vectors[:, 0]
    if values[0] > REVOLVED**2 or values[1] < 4.0 * REVOLVED**2:
        return None
    moment = -np.linalg.pinv(moments[3:, 3:], rcond=1e-9) @ moments[3:, :3] @ direction
    moment = moment - direction * float(direction @ moment)
    return centre + size * np.cross(direction, moment), direction
