"""The nodes of a glTF document: where they stand, what is written on them, and their transforms written back as they were."""

from typing import Any

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.scene import Pose, Vec, rotation_matrix

NODE_DEPTH = 512
FARTHEST_COMPUTED = 1e30
"""Metres from the origin, and factors of size, of which volumes can still be computed."""
LEAST_VOLUME = 1e-30
"""Cubic metres of what was a cubic metre."""
LAST_ROW, LAST_ROW_SLACK = (0.0, 0.0, 0.0, 1.0), 1e-6


def scene_nodes(document: GltfDocument) -> tuple[dict[int, Vec], dict[int, int]]:
    """World matrices of every node of the default scene, parents before children, and each one's parent.

    Raises FileError.
    """
    nodes = document.items("nodes")
    scenes = document.items("scenes")
    if scenes:
        roots = document.item("scenes", document.json.get("scene", 0), "scene").get("nodes", [])
    else:
        children = {c for n in nodes for c in n.get("children", [])}
        roots = [i for i in range(len(nodes)) if i not in children]
    worlds: dict[int, Vec] = {}
    parents: dict[int, int] = {}
    todo: list[tuple[Any, int | None, int]] = [(r, None, 0) for r in reversed(roots)]
    while todo:
        number, parent, depth = todo.pop()
        node = document.item("nodes", number, "scene" if parent is None else f"nodes[{parent}].children")
        if number in worlds or depth > NODE_DEPTH:
            raise FileError(f"nodes[{number}] stands in the hierarchy twice or in a circle; export it again")
        local = local_matrix(node, f"nodes[{number}]")
        worlds[number] = local if parent is None else worlds[parent] @ local
        if not np.abs(worlds[number]).max() <= FARTHEST_COMPUTED:
            raise FileError(f"nodes[{number}] stands farther away than can be computed; mend its transform")
        if parent is not None:
            parents[number] = parent
        todo += [(c, number, depth + 1) for c in reversed(node.get("children", []))]
    return worlds, parents


def our_extras(node: Json) -> Json:
    """What Brick Seat wrote on a node; empty when it wrote nothing."""
    extras = node.get("extras")
    ours = extras.get("brickseat") if isinstance(extras, dict) else None
    return ours if isinstance(ours, dict) else {}


def local_matrix(node: Json, where: str) -> Vec:
    """(4, 4) of a node's own transform. Raises FileError on anything that is not finite numbers."""
    try:
        if "matrix" in node:
            matrix = np.array(node["matrix"], dtype=np.float64).reshape(4, 4).T
        else:
            rotation = np.array(node.get("rotation", [0, 0, 0, 1]), dtype=np.float64).reshape(4)
            scale = np.array(node.get("scale", [1, 1, 1]), dtype=np.float64).reshape(3)
            matrix = np.eye(4)
            if not 0.0 < np.abs(rotation).max() <= FARTHEST_COMPUTED:
                raise ValueError
            matrix[:3, :3] = rotation_matrix((rotation[0], rotation[1], rotation[2], rotation[3])) * scale
            matrix[:3, 3] = np.array(node.get("translation", [0, 0, 0]), dtype=np.float64).reshape(3)
    except (TypeError, ValueError, OverflowError):
        raise FileError(f"{where} has a transform that is not made of numbers; export it again") from None
    if not np.isfinite(matrix).all():
        raise FileError(f"{where} has a transform that is not finite; export it again")
    if np.abs(matrix[3] - LAST_ROW).max() > LAST_ROW_SLACK:
        raise FileError(f"{where} has a matrix whose last row is not 0, 0, 0, 1; export it again")
    matrix[3] = LAST_ROW
    return matrix


def inverse_of(world: Vec, where: str) -> Vec:
    """(4, 4) from the world into the coordinates of a node. Raises FileError where it has no size."""
    if abs(float(np.linalg.det(world[:3, :3]))) < LEAST_VOLUME:
        raise FileError(f"{where} is scaled to nothing; give it a size and export it again")
    return np.asarray(np.linalg.inv(world), dtype=np.float64)


def write_local(node: Json, matrix: Vec) -> None:
    """Put a local transform back in the way the node wrote it, leaving untouched what did not change."""
    if "matrix" in node:
        node["matrix"] = [float(v) for v in matrix.T.ravel()]
        return
    old = local_matrix(node, "node")
    node["translation"] = [float(v) for v in matrix[:3, 3]]
    if np.allclose(old[:3, :3], matrix[:3, :3], rtol=0.0, atol=1e-12 * max(1.0, float(np.abs(old).max()))):
        return
    pose = Pose.from_matrix(matrix)
    rebuilt = Pose.from_parts(pose.position, pose.orientation, pose.scale).linear
    if np.allclose(rebuilt, matrix[:3, :3], rtol=0.0, atol=1e-9 * max(1.0, float(np.abs(rebuilt).max()))):
        node["rotation"] = list(pose.orientation)
        node["scale"] = list(pose.scale)
    else:
        for name in ("translation", "rotation", "scale"):
            node.pop(name, None)
        node["matrix"] = [float(v) for v in matrix.T.ravel()]
