"""Lines of a glTF document: nodes that draw lines and no triangles, which rows can follow."""

from typing import NamedTuple

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.nodes import scene_nodes
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.scene import Vec

LINES, LOOP, STRIP = 1, 2, 3


class Line(NamedTuple):
    """Points (n, 3) in the world, one after the other, and whether the last leads to the first."""

    points: Vec
    closed: bool


def lines_of(document: GltfDocument) -> dict[str, Line]:
    """The lines of the default scene by the name of their node; of several in one node, the first. Raises FileError."""
    worlds, _ = scene_nodes(document)
    nodes = document.items("nodes")
    found: dict[str, Line] = {}
    for number, world in worlds.items():
        node = nodes[number]
        name = node.get("name")
        if "mesh" not in node or not isinstance(name, str):
            continue
        mesh = document.item("meshes", node["mesh"], f"nodes[{number}].mesh")
        for i, primitive in enumerate(mesh["primitives"]):
            if primitive.get("mode") in (LINES, LOOP, STRIP):
                line = read_line(document, primitive, f"meshes[{node['mesh']}].primitives[{i}]")
                found.setdefault(name, Line(line.points @ world[:3, :3].T + world[:3, 3], line.closed))
    return found


def read_line(document: GltfDocument, primitive: Json, where: str) -> Line:
    """The line of a primitive in its own coordinates. Single segments that follow each other are one. Raises FileError."""
    points = document.accessor(primitive["attributes"].get("POSITION"), f"{where}.POSITION").astype(np.float64)
    if points.ndim != 2 or points.shape[1] != 3 or not np.isfinite(points).all():
        raise FileError(f"{where}.POSITION is not made of finite 3D points; export it again")
    order = np.arange(len(points))
    if "indices" in primitive:
        order = document.accessor(primitive["indices"], f"{where}.indices").astype(np.int64)
        if order.ndim != 1 or (len(order) and int(order.max()) >= len(points)):
            raise FileError(f"{where}.indices are out of range; export it again")
    if primitive["mode"] == LINES:
        pairs = order[: len(order) // 2 * 2].reshape(-1, 2)
        follows = 1 + int(np.argmin(np.append(pairs[1:, 0] == pairs[:-1, 1], False)))
        order = np.append(pairs[:follows, 0], pairs[follows - 1 : follows, 1])
    closed = primitive["mode"] == LOOP or (len(order) > 2 and bool((points[order[0]] == points[order[-1]]).all()))
    if closed and len(order) > 2 and (points[order[0]] == points[order[-1]]).all():
        order = order[:-1]
    return Line(points[order], closed)
