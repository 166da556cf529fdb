"""Build glTF documents: a prop from painted surfaces, and a set from props and poses."""

import copy
from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brickseat_core.constraints.cutting import derived_meshes
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.nodes import local_matrix
from brickseat_core.formats.gltf.relations import relations_of
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.geometry.mesh import Mesh, Vec
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Set
from brickseat_core.scene.encoding import encode_seat

GENERATOR = "Brick Seat"
TRANSFORM = ("translation", "rotation", "scale")
CREASE_COSINE = 0.78
MOST_FACTOR = 1000.0
"""Of a material: beyond it nobody meant it."""
MOST_MEETING = 256
"""Faces at one vertex that are smoothed among each other; where more meet, as in the middle of a fan, each has its own normal."""


@dataclass(frozen=True)
class Paint:
    """A material: linear base colour, and how rough and metallic it is (0..1)."""

    name: str
    colour: tuple[float, float, float]
    roughness: float = 0.9
    metallic: float = 0.0


@dataclass(frozen=True, eq=False)
class Surface:
    """Triangles of one paint. ``colours``: (n, 3) linear, per vertex, or None."""

    paint: Paint
    vertices: Vec
    faces: NDArray[np.int32]
    colours: Vec | None = None


def empty_document() -> GltfDocument:
    """A glTF 2.0 document with nothing in it."""
    return GltfDocument({"asset": {"version": "2.0", "generator": GENERATOR}}, b"", None)


def shaded(surface: Surface) -> tuple[Vec, Vec, NDArray[np.integer[Any]], NDArray[np.integer[Any]]]:
    """Vertices split where faces meet at a crease: (positions, normals, faces, source vertex of each)."""
    corners = surface.vertices[surface.faces]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    unit = cross / np.maximum(np.linalg.norm(cross, axis=1), 1e-30)[:, None]
    # Every corner of a face meets the corners of the other faces at its vertex: all pairs at once, but where too many meet.
    at = surface.faces.ravel()
    crowded = np.bincount(at, minlength=len(surface.vertices))[at] > MOST_MEETING
    order = np.argsort(at, kind="stable")
    order = order[~crowded[order]]
    degree = np.bincount(at[order], minlength=len(surface.vertices))
    first = np.cumsum(degree) - degree
    mine = np.repeat(order, degree[at[order]])
    within = np.arange(len(mine)) - np.repeat(np.cumsum(degree[at[order]]) - degree[at[order]], degree[at[order]])
    other = order[np.repeat(first[at[order]], degree[at[order]]) + within]
    smooth = np.einsum("ij,ij->i", unit[mine // 3], unit[other // 3]) > CREASE_COSINE
    summed = np.stack(
        [np.bincount(mine[smooth], weights=cross[other[smooth] // 3, k], minlength=len(at)) for k in range(3)], axis=1
    )
    summed[crowded] = cross[np.flatnonzero(crowded) // 3]
    normals: Vec = unit_or_up(summed.astype(np.float64))
    keys = np.concatenate([at[:, None], np.round(normals * 1e4)], axis=1).astype(np.int64)
    _, chosen, number = np.unique(keys, axis=0, return_index=True, return_inverse=True)
    source = at[chosen]
    return surface.vertices[source], np.asarray(normals[chosen], dtype=np.float64), number.reshape(-1, 3), source


def unit_or_up(vectors: Vec) -> Vec:
    """(n, 3) ``vectors`` with the length of one; where one has none (only faces without area meet there), straight up."""
    largest = np.abs(vectors).max(axis=1, initial=0.0)
    # Divided by their largest part first: the square of what is very small is nothing.
    scaled = vectors / np.where(largest > 0.0, largest, 1.0)[:, None]
    scaled[largest == 0.0] = (0.0, 1.0, 0.0)
    return np.asarray(scaled / np.linalg.norm(scaled, axis=1)[:, None])


def prop_document(name: str, surfaces: Iterable[Surface]) -> GltfDocument:
    """A glTF document of one mesh, one primitive a surface."""
    return parts_document([(name, surfaces)])


def parts_document(parts: Iterable[tuple[str, Iterable[Surface]]]) -> GltfDocument:
    """A glTF document of several named meshes, one node each, one primitive a surface."""
    document = empty_document()
    paints: dict[Paint, int] = {}
    meshes: list[Json] = []
    for name, surfaces in parts:
        primitives = [primitive_entry(document, s, paints.setdefault(s.paint, len(paints))) for s in surfaces]
        meshes.append({"name": name, "primitives": primitives})
    document.json.update(
        {
            "materials": [material_entry(paint) for paint in paints],
            "meshes": meshes,
            "nodes": [{"name": mesh["name"], "mesh": number} for number, mesh in enumerate(meshes)],
            "scenes": [{"nodes": list(range(len(meshes)))}],
            "scene": 0,
        }
    )
    return document


def primitive_entry(document: GltfDocument, surface: Surface, material: int | None) -> Json:
    """The surface as a primitive, its data appended to the document."""
    positions, normals, faces, source = shaded(surface)
    attributes = {
        "POSITION": document.append(positions.astype("<f4"), "VEC3"),
        "NORMAL": document.append(normals.astype("<f4"), "VEC3"),
    }
    if surface.colours is not None:
        attributes["COLOR_0"] = document.append(surface.colours[source].astype("<f4"), "VEC3")
    entry: Json = {"attributes": attributes, "indices": document.append(faces.ravel().astype("<u4"), "SCALAR")}
    return entry if material is None else {**entry, "material": material}


def material_entry(paint: Paint) -> Json:
    """The glTF material of a paint; its colours are linear, as the standard wants them."""
    return {
        "name": paint.name,
        "pbrMetallicRoughness": {
            "baseColorFactor": [*paint.colour, 1.0],
            "roughnessFactor": paint.roughness,
            "metallicFactor": paint.metallic,
        },
    }


def main_paint(document: GltfDocument) -> Paint:
    """The material that most of a model's triangles have, without its textures; bare clay where there is none."""
    counts: Counter[int] = Counter()
    for mesh in document.json.get("meshes", []):
        for primitive in mesh["primitives"]:
            corners = primitive.get("indices", primitive["attributes"]["POSITION"])
            if "material" in primitive:
                counts[primitive["material"]] += document.json["accessors"][corners]["count"]
    if not counts:
        return Paint("clay", (0.6, 0.42, 0.3))
    return paint_of(document, counts.most_common(1)[0][0])


def paint_of(document: GltfDocument, number: int) -> Paint:
    """The factors of a material; its textures are left aside. Raises FileError where one is not a number, or far off."""
    material = document.item("materials", number, "a primitive")
    factors = material.get("pbrMetallicRoughness", {})
    if not isinstance(factors, dict):
        raise FileError(f"materials[{number}].pbrMetallicRoughness is not an object; export it again")
    colour = factors.get("baseColorFactor", [1.0] * 4)
    figures = [factors.get("roughnessFactor", 1.0), factors.get("metallicFactor", 1.0)]
    figures += colour if isinstance(colour, list) and len(colour) == 4 else [None]
    # From 0 to 1 by the standard; what is a little beside that is drawn all the same.
    if not all(isinstance(f, int | float) and not isinstance(f, bool) and abs(f) <= MOST_FACTOR for f in figures):
        raise FileError(f"materials[{number}] has a factor that is not a number from 0 to 1; export it again")
    rough, metal, red, green, blue, _ = map(float, figures)
    name = material.get("name")
    return Paint(name if isinstance(name, str) and name else f"paint {number}", (red, green, blue), rough, metal)


class Carrier:
    """Carries meshes, with all they draw on, from other documents into a new one, or into one that there is."""

    def __init__(self, document: GltfDocument | None = None) -> None:
        self.document = document if document is not None else empty_document()
        self._moved: dict[tuple[int, str, int], int] = {}

    def _carry(self, source: GltfDocument, kind: str, number: int, edit: Any) -> int:
        key = (id(source), kind, number)
        if key not in self._moved:
            entry = copy.deepcopy(source.item(kind, number, "a mesh"))
            edit(entry)
            items = self.document.json.setdefault(kind, [])
            items.append(entry)
            self._moved[key] = len(items) - 1
        return self._moved[key]

    def accessor(self, source: GltfDocument, number: int) -> int:
        """The number of the same accessor in the new document; copied once however often it is asked for."""

        def edit(entry: Json) -> None:
            if "bufferView" in entry:
                entry["bufferView"] = self.view(source, entry["bufferView"])
            for part in entry.get("sparse", {}).values():
                if isinstance(part, dict) and "bufferView" in part:
                    part["bufferView"] = self.view(source, part["bufferView"])

        return self._carry(source, "accessors", number, edit)

    def view(self, source: GltfDocument, number: int) -> int:
        """The number of the same buffer view in the new document; its bytes are copied once."""

        def edit(entry: Json) -> None:
            data, _ = source.view(number, "an accessor")
            # Bytes are appended as a throw-away accessor would be; only the view is kept.
            made = self.document.append(np.frombuffer(data, dtype=np.uint8), "SCALAR")
            made_view = self.document.json["accessors"].pop()["bufferView"]
            assert made == len(self.document.json["accessors"])
            fresh = self.document.json["bufferViews"].pop(made_view)
            entry.update({"buffer": 0, "byteOffset": fresh["byteOffset"], "byteLength": fresh["byteLength"]})

        return self._carry(source, "bufferViews", number, edit)

    def texture(self, source: GltfDocument, number: int) -> int:
        """The number of the same texture in the new document, with its image and sampler."""

        def edit(entry: Json) -> None:
            if "source" in entry:
                entry["source"] = self._carry(
                    source, "images", entry["source"], lambda image: self._image(source, image)
                )
            if "sampler" in entry:
                entry["sampler"] = self._carry(source, "samplers", entry["sampler"], lambda sampler: None)
            entry.pop("extensions", None)

        return self._carry(source, "textures", number, edit)

    def _image(self, source: GltfDocument, image: Json) -> None:
        if "bufferView" in image:
            image["bufferView"] = self.view(source, image["bufferView"])

    def material(self, source: GltfDocument, number: int) -> int:
        """The number of the same material in the new document, with all its textures."""

        def edit(value: Any) -> None:
            if isinstance(value, dict):
                for key, inner in value.items():
                    if key.endswith("Texture") and isinstance(inner, dict) and isinstance(inner.get("index"), int):
                        inner["index"] = self.texture(source, inner["index"])
                    edit(inner)

        return self._carry(source, "materials", number, edit)

    def mesh(self, source: GltfDocument, number: int) -> int:
        """The number of the same mesh in the new document. Extensions of its primitives are left behind."""

        def edit(entry: Json) -> None:
            for primitive in entry["primitives"]:
                primitive["attributes"] = {k: self.accessor(source, n) for k, n in primitive["attributes"].items()}
                if "indices" in primitive:
                    primitive["indices"] = self.accessor(source, primitive["indices"])
                if "material" in primitive:
                    primitive["material"] = self.material(source, primitive["material"])
                for target in primitive.get("targets", []):
                    target.update({k: self.accessor(source, n) for k, n in target.items()})
                primitive.pop("extensions", None)

        return self._carry(source, "meshes", number, edit)

    def subtree(self, source: GltfDocument, parts: Iterable[tuple[int, Vec]], name: str) -> list[Json]:
        """Child nodes drawing ``parts`` (mesh number, matrix in the body's frame)."""
        out = []
        for i, (mesh, matrix) in enumerate(parts):
            node: Json = {"name": f"{name} part {i + 1}", "mesh": self.mesh(source, mesh)}
            if not np.array_equal(matrix, np.eye(4)):
                node["matrix"] = [float(v) for v in matrix.T.ravel()]
            out.append(node)
        return out


def piece_extras(piece: Piece) -> Json:
    """What ``node.extras.brickseat`` carries of a piece; defaults are left out."""
    ours: Json = {"role": piece.role}
    if piece.direction == (0.0, 1.0, 0.0):
        ours["direction"] = "up"
    elif piece.direction != DOWN:
        ours["direction"] = list(piece.direction)
    if piece.sink:
        ours["sink"] = piece.sink
    if piece.stand_off:
        ours["stand_off"] = piece.stand_off
    if piece.spiked:
        ours["spiked"] = True
    if piece.group:
        ours["group"] = piece.group
    if piece.recipe:
        ours["recipe"] = piece.recipe
    if piece.number is not None:
        ours["number"] = piece.number
    return ours


def seat_extras(prop: Prop) -> Json:
    """The seats of a prop as the extras of a node; nothing where it has none."""
    return {"seats": [encode_seat(seat) for seat in prop.seats]} if prop.seats else {}


def cut_mesh_entry(document: GltfDocument, mesh: Mesh, local: Vec, whole: int) -> int:
    """A mesh that draws what is left of mesh number ``whole``, in the material of its first primitive.

    ``local``: (4, 4) from the coordinates of ``mesh`` into those of the node. Returns its number. Every triangle has
    corners of its own, so that the rim of the opening is sharp.
    """
    corners = mesh.vertices[mesh.faces].reshape(-1, 3) @ local[:3, :3].T + local[:3, 3]
    normals = np.cross(corners[1::3] - corners[::3], corners[2::3] - corners[::3])
    normals /= np.maximum(np.linalg.norm(normals, axis=1), 1e-300)[:, None]
    position = document.append(corners.astype("<f4"), "VEC3")
    entry = document.json["accessors"][position]
    entry["min"], entry["max"] = (
        corners.astype("<f4").min(axis=0).tolist(),
        corners.astype("<f4").max(axis=0).tolist(),
    )
    attributes = {"POSITION": position, "NORMAL": document.append(np.repeat(normals, 3, axis=0).astype("<f4"), "VEC3")}
    primitive: Json = {"attributes": attributes}
    drawn = document.item("meshes", whole, "a node")
    first: Json = next(iter(drawn.get("primitives") or []), {})
    if "material" in first:
        primitive["material"] = first["material"]
    meshes: list[Json] = document.json.setdefault("meshes", [])
    meshes.append({"name": f"{drawn.get('name') or 'mesh'}, cut", "primitives": [primitive]})
    return len(meshes) - 1


def set_document(dressed: Set, models: Mapping[str, GltfDocument]) -> GltfDocument:
    """A whole set: one node a piece and a region, meshes shared by all copies of a prop. ``models`` by prop key."""
    carrier = Carrier()
    nodes: list[Json] = carrier.document.json.setdefault("nodes", [])
    roots: list[int] = []
    derived = derived_meshes(dressed)
    standing: list[tuple[str, Pose, Prop, Json, Mesh | None]] = [
        (p.name, p.pose, p.prop, {**piece_extras(p), **seat_extras(p.prop)}, derived.get(p.key))
        for p in dressed.pieces.values()
    ]
    standing += [(r.name, r.pose, r.prop, {"role": "region"}, None) for r in dressed.regions.values()]
    for name, pose, prop, extras, cut in standing:
        source = models[prop.key]
        drawn = [n for n in source.items("nodes") if "mesh" in n]
        node: Json = {"name": name, **transform_of(pose), "extras": {"brickseat": extras}}
        number = len(nodes)
        nodes.append(node)
        roots.append(number)
        if len(drawn) == 1 and not any(k in drawn[0] for k in ("matrix", *TRANSFORM)):
            node["mesh"] = carrier.mesh(source, drawn[0]["mesh"])
            node.update({k: v for k, v in drawn[0].items() if k == "weights"})
            parts = [node]
        else:
            node["children"], parts = [], []
            for part in drawn:
                child = {k: v for k, v in part.items() if k in ("name", "weights", "matrix", *TRANSFORM)}
                child["mesh"] = carrier.mesh(source, part["mesh"])
                node["children"].append(len(nodes))
                nodes.append(child)
                parts.append(child)
        if cut is not None:
            locals_ = [np.eye(4) if p is node else np.asarray(np.linalg.inv(local_matrix(p, name))) for p in parts]
            draw_cut(carrier.document, parts, locals_, cut)
    scene: Json = {"nodes": roots}
    if related := relations_of(dressed):
        scene["extras"] = {"brickseat": related}
    carrier.document.json["scenes"] = [scene]
    carrier.document.json["scene"] = 0
    return carrier.document


def draw_cut(document: GltfDocument, parts: list[Json], locals_: list[Vec], mesh: Mesh) -> None:
    """Draw the nodes of a bearer by what is left of it, the first of them all of it, and keep what they were cut from.

    ``locals_``: (4, 4) from the bearer's coordinates into those of each node.
    """
    for number, (node, local) in enumerate(zip(parts, locals_, strict=True)):
        extras = node.setdefault("extras", {}).setdefault("brickseat", {})
        extras.setdefault("whole", node.pop("mesh", None))
        if number == 0:
            node["mesh"] = cut_mesh_entry(document, mesh, local, extras["whole"])


def transform_of(pose: Pose) -> Json:
    """A pose as the transform of a node."""
    return {"translation": list(pose.position), "rotation": list(pose.orientation), "scale": list(pose.scale)}
