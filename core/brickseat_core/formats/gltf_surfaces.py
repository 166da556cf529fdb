"""What a glTF document draws, as painted surfaces: for the formats that know no nodes and accessors."""

from typing import Any

import numpy as np

from brickseat_core.formats.gltf_build import Paint, Surface
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.formats.gltf_set import read_primitive, read_set
from brickseat_core.formats.model import Model, Part
from brickseat_core.scene import Pose

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


def mesh_surfaces(document: GltfDocument, number: int) -> list[Surface]:
    """One surface for each primitive of triangles, in the mesh's own frame."""
    found = []
    for i, primitive in enumerate(document.item("meshes", number, "a node").get("primitives", [])):
        where = f"meshes[{number}].primitives[{i}]"
        read = read_primitive(document, primitive, where)
        if read is None or not len(read[1]):
            continue
        colours = None
        if "COLOR_0" in primitive["attributes"]:
            colours = document.accessor(primitive["attributes"]["COLOR_0"], f"{where}.COLOR_0").astype(np.float64)
            colours = colours[:, :3] if colours.ndim == 2 and len(colours) == len(read[0]) else None
        points, triangles = read
        paint = paint_of(document, primitive.get("material"))
        found.append(Surface(paint, points, np.asarray(triangles, dtype=np.int32), colours))
    return found


def model_of(document: GltfDocument) -> Model:
    """Every body of the document as a part, where it stands."""
    parts = []
    surfaces: dict[int, list[Surface]] = {}
    for body in read_set(document).bodies.values():
        placed = []
        for part in body.parts:
            if part.mesh not in surfaces:
                surfaces[part.mesh] = mesh_surfaces(document, part.mesh)
            pose = Pose.from_matrix(part.world)
            mirrored = np.linalg.det(pose.linear) < 0
            placed += [
                Surface(s.paint, pose.apply(s.vertices), s.faces[:, ::-1] if mirrored else s.faces, s.colours)
                for s in surfaces[part.mesh]
            ]
        if placed:
            parts.append(Part(body.name, tuple(placed)))
    return Model(tuple(parts), metres_per_unit=1.0, up="y")
