"""What a glTF document draws, as painted surfaces: for the formats that know no nodes and accessors."""

import numpy as np

from brickseat_core.formats.gltf_bodies import Body
from brickseat_core.formats.gltf_build import Paint, Surface, paint_of, primitive_entry
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_meshes import read_primitive
from brickseat_core.formats.gltf_nodes import inverse_of, scene_nodes
from brickseat_core.formats.gltf_set import read_set
from brickseat_core.formats.gltf_shape import Json
from brickseat_core.formats.gltf_skin import skinned
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


def mesh_surfaces(document: GltfDocument, number: int) -> dict[int, Surface]:
    """The surface of each primitive that has triangles, by its number, in the mesh's own frame. Raises FileError."""
    found = {}
    for i, primitive in enumerate(document.item("meshes", number, "a node")["primitives"]):
        read = read_primitive(document, primitive, f"meshes[{number}].primitives[{i}]")
        if read is None or not len(read[1]):
            continue
        points, triangles = read
        colours = vertex_colours(document, primitive)
        colours = colours if colours is not None and len(colours) == len(points) else None
        paint = paint_of_primitive(document, primitive)
        found[i] = Surface(paint, points, np.asarray(triangles, dtype=np.int32), colours)
    return found


def body_surfaces(document: GltfDocument, body: Body, known: dict[int, list[Surface]] | None = None) -> list[Surface]:
    """What a body draws, where it stands. ``known``: surfaces of meshes, each read once for many bodies."""
    known = {} if known is None else known
    placed = []
    for part in body.parts:
        if part.mesh not in known:
            known[part.mesh] = list(mesh_surfaces(document, part.mesh).values())
        pose = Pose.from_matrix(part.world)
        mirrored = np.linalg.det(pose.linear) < 0
        placed += [
            Surface(s.paint, pose.apply(s.vertices), s.faces[:, ::-1] if mirrored else s.faces, s.colours)
            for s in known[part.mesh]
        ]
    return placed


def model_of(document: GltfDocument) -> Model:
    """Every body of the document as a part, where it stands."""
    known: dict[int, list[Surface]] = {}
    parts = [(body.name, body_surfaces(document, body, known)) for body in read_set(document).bodies.values()]
    return Model(tuple(Part(name, tuple(placed)) for name, placed in parts if placed), metres_per_unit=1.0, up="y")


def stiffen(document: GltfDocument) -> None:
    """Give every skinned node the mesh its joints make of it now: for formats that are written without skins."""
    worlds, _ = scene_nodes(document)
    for number, node in enumerate(document.items("nodes")):
        if "skin" not in node or "mesh" not in node or number not in worlds:
            continue
        found = mesh_surfaces(document, node["mesh"])
        if not found:
            continue
        surfaces = list(found.values())
        bent = skinned(document, number, np.concatenate([s.vertices for s in surfaces]), list(found), worlds)
        inverse = inverse_of(worlds[number], f"nodes[{number}]")
        local = np.split(bent @ inverse[:3, :3].T + inverse[:3, 3], np.cumsum([len(s.vertices) for s in surfaces])[:-1])
        entries = document.item("meshes", node["mesh"], "a node")["primitives"]
        made = [
            primitive_entry(document, Surface(s.paint, v, s.faces, s.colours), entries[i].get("material"))
            for (i, s), v in zip(found.items(), local, strict=True)
        ]
        document.json["meshes"].append({"name": str(node.get("name", "posed")), "primitives": made})
        node["mesh"] = len(document.json["meshes"]) - 1
        del node["skin"]
