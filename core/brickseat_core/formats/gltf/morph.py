"""Morph targets of a glTF document: the shape with the weights that it is drawn with is what is seated.

glTF 2.0, section 3.7.2.2: the weights of the node count, or else those of its mesh.
"""

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.scene import Vec

Weights = tuple[float, ...]
MOST_WEIGHT = 1e6
"""Beyond it nobody meant it."""


def weights_of(document: GltfDocument, node: int) -> Weights:
    """How much of each morph target a node draws; empty where it draws its mesh as it is. Raises FileError."""
    entry = document.json["nodes"][node]
    mesh = document.item("meshes", entry.get("mesh"), f"nodes[{node}].mesh")
    where, found = (f"nodes[{node}]", entry) if "weights" in entry else (f"meshes[{entry['mesh']}]", mesh)
    listed = found.get("weights", [])
    if not isinstance(listed, list) or not all(
        isinstance(w, int | float) and not isinstance(w, bool) and abs(w) <= MOST_WEIGHT for w in listed
    ):
        raise FileError(f"{where}.weights are not a list of numbers; export it again")
    return tuple(map(float, listed)) if any(listed) else ()


def morphed(document: GltfDocument, primitive: Json, points: Vec, weights: Weights, where: str) -> Vec:
    """``points`` (n, 3) of a primitive, moved by its morph targets as far as their ``weights`` say. Raises FileError."""
    targets = primitive.get("targets", [])
    if not weights or not targets:
        return points
    if len(weights) != len(targets):
        raise FileError(f"{where} has {len(targets)} morph targets and {len(weights)} weights; export it again")
    found = points.copy()
    for number, (target, weight) in enumerate(zip(targets, weights, strict=True)):
        if weight == 0.0 or "POSITION" not in target:
            continue
        offsets = document.accessor(target["POSITION"], f"{where}.targets[{number}]").astype(np.float64)
        if offsets.shape != points.shape or not np.isfinite(offsets).all():
            raise FileError(f"{where}.targets[{number}].POSITION does not fit its corners; export it again")
        found += weight * offsets
    return found
