"""Nodes that draw one mesh many times: the extension EXT_mesh_gpu_instancing of glTF 2.0."""

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.shape import INSTANCING, Json
from brickseat_core.scene import Pose, Vec

MOST_INSTANCES = 50_000
"""Of one node."""


def is_instanced(node: Json) -> bool:
    """Whether a node draws its mesh many times."""
    return INSTANCING in node.get("extensions", {})


def instance_matrices(document: GltfDocument, node: int) -> list[Vec]:
    """Local (4, 4) matrices of a node's instances. Raises FileError."""
    where = f"nodes[{node}].{INSTANCING}"
    attributes = document.json["nodes"][node]["extensions"][INSTANCING]["attributes"]
    read = {
        k: document.accessor(attributes[k], where).astype(np.float64)
        for k in ("TRANSLATION", "ROTATION", "SCALE")
        if k in attributes
    }
    counts = {len(v) for v in read.values()}
    if len(counts) != 1:
        raise FileError(f"{where} has attributes of different lengths; export it again")
    (count,) = counts
    widths = {"TRANSLATION": 3, "ROTATION": 4, "SCALE": 3}
    if count > MOST_INSTANCES:
        raise FileError(f"{where} draws {count} instances; at most {MOST_INSTANCES} are read, export it in parts")
    if any(v.ndim != 2 or v.shape[1] != widths[k] or not np.isfinite(v).all() for k, v in read.items()):
        raise FileError(f"{where} has values that are not finite vectors; export it again")
    if "ROTATION" in read and count and not np.abs(read["ROTATION"]).max(axis=1).min() > 0.0:
        raise FileError(f"{where} has an orientation of no length; export it again")
    out = []
    for i in range(count):
        t = read["TRANSLATION"][i] if "TRANSLATION" in read else np.zeros(3)
        r = read["ROTATION"][i] if "ROTATION" in read else np.array([0.0, 0.0, 0.0, 1.0])
        s = read["SCALE"][i] if "SCALE" in read else np.ones(3)
        out.append(Pose.from_parts((t[0], t[1], t[2]), (r[0], r[1], r[2], r[3]), (s[0], s[1], s[2])).matrix)
    return out


def write_instances(document: GltfDocument, node: int, matrices: list[Vec]) -> None:
    """The instances of a node anew, from their local (4, 4) matrices.

    What is sheared, as under a parent that is sized unevenly, is no translation, rotation and scale: then all become plain nodes.
    """
    poses = [Pose.from_matrix(matrix) for matrix in matrices]
    if any(pose.sheared for pose in poses):
        write_plainly(document, node, matrices)
        return
    attributes = document.json["nodes"][node]["extensions"][INSTANCING]["attributes"]
    attributes["TRANSLATION"] = document.append(np.array([pose.position for pose in poses], dtype="<f4"), "VEC3")
    attributes["ROTATION"] = document.append(np.array([pose.orientation for pose in poses], dtype="<f4"), "VEC4")
    attributes["SCALE"] = document.append(np.array([pose.scale for pose in poses], dtype="<f4"), "VEC3")


def write_plainly(document: GltfDocument, node: int, matrices: list[Vec]) -> None:
    """In the place of the instances of a node, a node below it for each, with its local (4, 4) matrix."""
    nodes = document.json["nodes"]
    entry = nodes[node]
    entry["extensions"].pop(INSTANCING)
    drawn = {name: entry.pop(name) for name in ("mesh", "weights") if name in entry}
    name = entry.get("name") or f"node {node}"
    children = entry.setdefault("children", [])
    for number, matrix in enumerate(matrices, 1):
        children.append(len(nodes))
        nodes.append({"name": f"{name} {number}", **drawn, "matrix": [float(v) for v in matrix.T.ravel()]})
