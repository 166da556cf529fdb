"""The limbs of a jointed model: which joint moves the place that somebody takes hold of, and where it turns."""

from dataclasses import dataclass

import numpy as np

from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.meshes import MeshCache, read_mesh
from brickseat_core.formats.gltf.morph import weights_of
from brickseat_core.formats.gltf.nodes import scene_nodes
from brickseat_core.formats.gltf.skin import joints_of
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.nearest import distances
from brickseat_core.scene import Vec


@dataclass(frozen=True)
class Limb:
    """``joint`` by name; ``pivot`` (3,) where it turns and ``axes`` (3, 3) unit rows, its own x, y and z, in the model's
    coordinates."""

    joint: str
    pivot: Vec
    axes: Vec


def limb_at(document: GltfDocument, point: Vec) -> Limb | None:
    """The limb that a place (3,) of a model belongs to: the nearest mesh's own joint, or the nearest joint above it.

    None where the model has no joints. Raises FileError.
    """
    joints = set(joints_of(document))
    if not joints:
        return None
    nodes = document.items("nodes")
    worlds, parents = scene_nodes(document)
    cache: MeshCache = {}
    found: list[tuple[float, int]] = []
    for number in worlds:
        if "mesh" not in nodes[number]:
            continue
        vertices, faces = read_mesh(document, nodes[number]["mesh"], cache, weights_of(document, number))
        if len(faces):
            placed = Mesh(vertices @ worlds[number][:3, :3].T + worlds[number][:3, 3], faces)
            found.append((float(distances(placed.tree, point[None])[0]), number))
    for _, number in sorted(found):
        at: int | None = number
        while at is not None and nodes[at].get("name") not in joints:
            at = parents.get(at)
        if at is not None:
            axes = worlds[at][:3, :3].T
            return Limb(str(nodes[at]["name"]), worlds[at][:3, 3], axes / np.linalg.norm(axes, axis=1)[:, None])
    return None
