"""Light display copies of everything a document draws."""

from scipy.spatial import cKDTree

from brickseat_core.formats.gltf.building import Carrier, Surface, primitive_entry
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.meshes import read_primitive
from brickseat_core.formats.gltf.shape import INSTANCING, Json
from brickseat_core.formats.gltf.surfaces import paint_of_primitive, stiffen, vertex_colours
from brickseat_core.geometry.display import display_copy
from brickseat_core.geometry.mesh import Mesh


def light_copy(document: GltfDocument, most: int) -> tuple[GltfDocument, float]:
    """A document with every mesh thinned to about ``most`` triangles, and the metres a corner is off at most.

    Nodes, names, transforms and materials stay; textures no longer fit where the mesh was thinned, since their
    coordinates go. Skins and animations are left out. ``document`` is used up.
    """
    worst = 0.0
    stiffen(document, skins=False)
    for number, mesh in enumerate(document.items("meshes")):
        read = [
            (p, read_primitive(document, p, f"meshes[{number}].primitives[{i}]"))
            for i, p in enumerate(mesh["primitives"])
        ]
        drawn = [(p, found) for p, found in read if found is not None and len(found[1])]
        total = sum(len(triangles) for _, (_, triangles) in drawn)
        if total <= most:
            continue
        light: list[Json] = []
        for primitive, (points, triangles) in drawn:
            thin, error = display_copy(Mesh(points, triangles.astype("i4")), max(4, most * len(triangles) // total))
            worst = max(worst, error)
            material = primitive.get("material")
            colours = vertex_colours(document, primitive)
            if colours is not None and len(colours) == len(points):
                colours = colours[cKDTree(points).query(thin.vertices)[1]]
            surface = Surface(paint_of_primitive(document, primitive), thin.vertices, thin.faces, colours)
            light.append(primitive_entry(document, surface, material))
        mesh["primitives"] = light
    carrier = Carrier()
    for number in range(len(document.items("meshes"))):
        carrier.mesh(document, number)
    for name in ("nodes", "scenes", "scene", "extras"):
        if name in document.json:
            carrier.document.json[name] = document.json[name]
    for node in carrier.document.items("nodes"):
        for name in ("skin", "camera"):
            node.pop(name, None)
        extension = node.pop("extensions", {}).get(INSTANCING)
        if extension is not None:
            carried = {k: carrier.accessor(document, n) for k, n in extension["attributes"].items()}
            node["extensions"] = {INSTANCING: {"attributes": carried}}
    return carrier.document, worst
