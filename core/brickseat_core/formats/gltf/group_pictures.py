"""Groups of a file as somebody is asked about them: each with a picture of it, its parts in different shades."""

from typing import Any

import numpy as np

from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.groups import Group
from brickseat_core.formats.gltf.reading import GltfSet, read_set
from brickseat_core.geometry.mesh import crossed
from brickseat_core.scene import Vec

MOST_ASKED = 40
"""Groups that are asked about at once; who has more of them says it by a pattern at the prompt."""
MOST_DRAWN = 900
"""Triangles of a picture, the largest of them."""
SIZE = 100.0
"""Width and height of a picture, in its own units."""
VIEW = np.array([[0.8192, 0.0, -0.5736], [-0.2053, 0.9336, -0.2932], [0.5355, 0.3580, 0.7648]])
"""Rows: to the right, up, and towards who looks from a corner, a little from above."""
DARKEST, SHADES = 0.45, 4
FEW_PARTS, PARTS_A_KIND = 12, 3
"""Parts of a group, and of each kind of them, up to which it is taken for one piece until somebody says otherwise."""


def groups_to_ask(document: GltfDocument) -> list[dict[str, Any]]:
    """The groups of a document as plain JSON values: ``name``, how many ``times`` there is one of that name, how many ``parts``, whether it
    is ``likely_whole``, and the ``picture`` of the first as polygons: corners "x,y x,y x,y" and a shade from 0 to 1. Raises FileError."""
    found = read_set(document)
    by_name: dict[str, list[Group]] = {}
    for group in found.groups:
        by_name.setdefault(group.name, []).append(group)
    return [
        {
            "name": name,
            "times": len(groups),
            "parts": len(groups[0].pieces),
            "likely_whole": likely_whole(found, groups[0]),
            "picture": picture_of(found, groups[0]),
        }
        for name, groups in list(by_name.items())[:MOST_ASKED]
    ]


def likely_whole(found: GltfSet, group: Group) -> bool:
    """Whether a group is few parts of several kinds: copies of one thing in one size are a crowd, and not one thing."""
    pieces = [found.dressed.pieces[key] for key in group.pieces]
    kinds = {(p.prop.key, tuple(round(abs(factor), 3) for factor in p.pose.scale)) for p in pieces}
    return len(pieces) <= FEW_PARTS and PARTS_A_KIND * len(kinds) > len(pieces)


def picture_of(found: GltfSet, group: Group) -> list[tuple[str, float]]:
    """The picture of a group, the farthest polygon first."""
    pieces = [found.dressed.pieces[key] for key in group.pieces]
    corners = np.concatenate([p.pose.apply(p.prop.mesh.vertices)[p.prop.mesh.faces] for p in pieces])
    part = np.repeat(np.arange(len(pieces)), [len(p.prop.mesh.faces) for p in pieces])
    seen: Vec = corners @ VIEW.T
    normals = crossed(seen[:, 1] - seen[:, 0], seen[:, 2] - seen[:, 0])
    area = np.linalg.norm(normals, axis=1)
    largest = np.argsort(-area, kind="stable")[:MOST_DRAWN]
    largest = largest[area[largest] > 0.0]
    order = largest[np.argsort(seen[largest, :, 2].mean(axis=1), kind="stable")]
    flat = seen[order][:, :, :2]
    lo, hi = flat.min(axis=(0, 1)), flat.max(axis=(0, 1))
    scale = SIZE / max(float((hi - lo).max()), 1e-12)
    flat = (flat - 0.5 * (lo + hi)) * scale * [1.0, -1.0] + 0.5 * SIZE
    lit = np.abs(normals[order, 2]) / area[order]
    shade = (DARKEST + (1.0 - DARKEST) * lit) * (1.0 - 0.2 * (part[order] % SHADES))
    return [
        (" ".join(f"{x:.1f},{y:.1f}" for x, y in triangle), round(value, 2))
        for triangle, value in zip(flat.tolist(), shade.tolist(), strict=True)
    ]
