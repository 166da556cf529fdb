"""What a glTF document draws, as painted surfaces: for the formats that know no nodes and accessors."""

from typing import Any

import numpy as np

from brickseat_core.formats.gltf_bodies import Body
from brickseat_core.formats.gltf_build import Paint, Surface, primitive_entry
from brickseat_core.formats.gltf_document import GltfDocument, Json
from brickseat_core.formats.gltf_meshes import drawn_primitives, read_primitive
from brickseat_core.formats.gltf_nodes import scene_nodes
from brickseat_core.formats.gltf_set import read_set
from brickseat_core.formats.gltf_skin import skinned
from brickseat_core.formats.model import Model, Part
from brickseat_core.scene import Pose, Vec

PLAIN_PAINT = Paint("grey", (0.6, 0.6, 0.6))


def paint_of(document: GltfDocument, number: Any) -> Paint:
    """The factors of a material; its textures are left aside."""
    if number is None:
        return PLAIN_PAINT
    entry = document.item("materials", number, "a primitive")
    factors = entry.get("pbrMetallicRoughness")
    factors = factors if isinstance(factors, dict) else {}
    colour = np.asarray(factors.get("baseColorFactor", [1.0, 1.0, 1.0, 1.0]), dtype=np.float64)
    r, g, b = colour[:3].tolist()
    name = entry.get("name")
    return Paint(
        name if isinstance(name, str) and name else f"paint {number}",
        (r, g, b),
        float(factors.get("roughnessFactor", 1.0)),
        float(factors.get("metallicFactor", 1.0)),
    )


def vertex_colours(document: GltfDocument, primitive: Json) -> Vec | None:
    """(n, 3) linear colours of a primitive's corners; None when it has none."""
    number = primitive["attributes"].get("COLOR_0")
    if number is None:
        return None
    colours = document.accessor(number, "a primitive's COLOR_0").astype(np.float64)
    return colours[:, :3] if colours.ndim == 2 else None


def mesh_surfaces(document: GltfDocument, number: int) -> list[Surface]:
    """One surface for each primitive of triangles, in the mesh's own frame."""
    found = []
    for i, primitive in enumerate(document.item("meshes", number, "a node").get("primitives", [])):
        where = f"meshes[{number}].primitives[{i}]"
        read = read_primitive(document, primitive, where)
        if read is None or not len(read[1]):
            continue
        points, triangles = read
        colours = vertex_colours(document, primitive)
        colours = colours if colours is not None and len(colours) == len(points) else None
        paint = paint_of(document, primitive.get("material"))
        found.append(Surface(paint, points, np.asarray(triangles, dtype=np.int32), colours))
    return found


def body_surfaces(document: GltfDocument, body: Body, known: dict[int, list[Surface]] | None = None) -> list[Surface]:
    """What a body draws, where it stands. ``known``: surfaces of meshes, each read once for many bodies."""
    known = {} if known is None else known
    placed = []
    for part in body.parts:
        if part.mesh not in known:
            known[part.mesh] = mesh_surfaces(document, part.mesh)
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
        primitives = drawn_primitives(document, node["mesh"])
        surfaces = mesh_surfaces(document, node["mesh"])
        points = np.concatenate([s.vertices for s in surfaces])
        bent = skinned(document, number, points, primitives, worlds)
        inverse = np.linalg.inv(worlds[number])
        local = np.split(bent @ inverse[:3, :3].T + inverse[:3, 3], np.cumsum([len(s.vertices) for s in surfaces])[:-1])
        entries = document.item("meshes", node["mesh"], "a node")["primitives"]
        made = [
            primitive_entry(document, Surface(s.paint, v, s.faces, s.colours), entries[i].get("material"))
            for s, v, i in zip(surfaces, local, primitives, strict=True)
        ]
        document.json["meshes"].append({"name": str(node.get("name", "posed")), "primitives": made})
        node["mesh"] = len(document.json["meshes"]) - 1
        del node["skin"]
