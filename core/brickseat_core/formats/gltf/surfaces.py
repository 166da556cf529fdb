"""What a glTF document draws, as painted surfaces: for the formats that know no nodes and accessors."""

import numpy as np

from brickseat_core.formats.gltf.bodies import Body
from brickseat_core.formats.gltf.building import Paint, Surface, paint_of, primitive_entry
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.meshes import read_primitive
from brickseat_core.formats.gltf.morph import Weights, weights_of
from brickseat_core.formats.gltf.nodes import inverse_of, scene_nodes
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.formats.gltf.skin import skinned
from brickseat_core.formats.model import Model, Part
from brickseat_core.scene import Pose, Vec

PLAIN_PAINT = Paint("grey", (0.6, 0.6, 0.6))


def paint_of_primitive(document: GltfDocument, primitive: Json) -> Paint:
    """What a primitive is painted with, grey where its document says nothing. Raises FileError."""
    return paint_of(document, primitive["material"]) if "material" in primitive else PLAIN_PAINT


def vertex_colours(document: GltfDocument, primitive: Json) -> Vec | None:
    """(n, 3) linear colours of a primitive's corners; None when it has none."""
    number = primitive["attributes"].get("COLOR_0")
    if number is None:
        return None
    colours = document.accessor(number, "a primitive's COLOR_0").astype(np.float64)
    return colours[:, :3] if colours.ndim == 2 else None


def mesh_surfaces(document: GltfDocument, number: int, weights: Weights = ()) -> dict[int, Surface]:
    """The surface of each primitive that has triangles, by its number, in the mesh's own frame. ``weights``: of its morph targets.

    Raises FileError.
    """
    found = {}
    for i, primitive in enumerate(document.item("meshes", number, "a node")["primitives"]):
        read = read_primitive(document, primitive, f"meshes[{number}].primitives[{i}]", weights)
        if read is None or not len(read[1]):
            continue
        points, triangles = read
        colours = vertex_colours(document, primitive)
        colours = colours if colours is not None and len(colours) == len(points) else None
        paint = paint_of_primitive(document, primitive)
        found[i] = Surface(paint, points, np.asarray(triangles, dtype=np.int32), colours)
    return found


Known = dict[tuple[int, Weights], list[Surface]]


def body_surfaces(document: GltfDocument, body: Body, known: Known | None = None) -> list[Surface]:
    """What a body draws, where it stands. ``known``: surfaces of meshes, each read once for many bodies."""
    known = {} if known is None else known
    placed = []
    for part in body.parts:
        key = (part.mesh, part.weights)
        if key not in known:
            known[key] = list(mesh_surfaces(document, *key).values())
        pose = Pose.from_matrix(part.world)
        mirrored = np.linalg.det(pose.linear) < 0
        placed += [
            Surface(s.paint, pose.apply(s.vertices), s.faces[:, ::-1] if mirrored else s.faces, s.colours)
            for s in known[key]
        ]
    return placed


def model_of(document: GltfDocument) -> Model:
    """Every body of the document as a part, where it stands."""
    known: Known = {}
    parts = [(body.name, body_surfaces(document, body, known)) for body in read_set(document).bodies.values()]
    return Model(tuple(Part(name, tuple(placed)) for name, placed in parts if placed), metres_per_unit=1.0, up="y")


def stiffen(document: GltfDocument, skins: bool = True) -> None:
    """Give every node the mesh that its joints and its morph targets make of it now: for formats that are written without either.

    ``skins``: whether it is bent by its joints, too; else what a skin bends stays as it is.
    """
    worlds, _ = scene_nodes(document)
    for number, node in enumerate(document.items("nodes")):
        if "mesh" not in node or number not in worlds or ("skin" in node and not skins):
            continue
        weights = weights_of(document, number)
        found = mesh_surfaces(document, node["mesh"], weights) if weights or "skin" in node else {}
        if not found:
            continue
        surfaces = list(found.values())
        points = np.concatenate([s.vertices for s in surfaces])
        if "skin" in node:
            bent = skinned(document, number, points, list(found), worlds)
            inverse = inverse_of(worlds[number], f"nodes[{number}]")
            points = bent @ inverse[:3, :3].T + inverse[:3, 3]
        local = np.split(points, np.cumsum([len(s.vertices) for s in surfaces])[:-1])
        entries = document.item("meshes", node["mesh"], "a node")["primitives"]
        made = [
            primitive_entry(document, Surface(s.paint, v, s.faces, s.colours), entries[i].get("material"))
            for (i, s), v in zip(found.items(), local, strict=True)
        ]
        document.json["meshes"].append({"name": str(node.get("name", "posed")), "primitives": made})
        node["mesh"] = len(document.json["meshes"]) - 1
        for name in ("skin", "weights"):
            node.pop(name, None)
