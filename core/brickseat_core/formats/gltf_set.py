"""A set as glTF 2.0: nodes become bodies, bodies become pieces, and moved pieces go back into the nodes.

Everything else in the file comes out as it went in.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_document import GltfDocument, Json
from brickseat_core.formats.gltf_nodes import local_matrix, write_local
from brickseat_core.formats.gltf_skin import skin_joints, skinned
from brickseat_core.meshes.mesh import Mesh, MeshError
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Role, Set, Triple, Vec
from brickseat_core.tolerances import SEATED_TOLERANCE

INSTANCING = "EXT_mesh_gpu_instancing"
TRIANGLES, STRIP, FAN = 4, 5, 6
NODE_DEPTH = 512


@dataclass(frozen=True)
class Placement:
    """One drawing of one mesh: a node, or one of its instances (``instance`` is None without instancing).

    ``skinned``: its corners stand where the joints of its skin put them.
    """

    node: int
    instance: int | None
    mesh: int
    world: Vec
    skinned: bool = False


@dataclass
class Body:
    """What moves as one piece. ``lead``: the node whose transform is its pose."""

    key: str
    name: str
    lead: Placement
    parts: list[Placement]
    extras: Json


@dataclass
class GltfSet:
    """A set read from glTF, with the document it came from."""

    document: GltfDocument
    dressed: Set
    bodies: dict[str, Body]
    worlds: dict[int, Vec]
    parents: dict[int, int]
    body_of_node: dict[int, str] = field(default_factory=dict)

    def store(self, pieces: Mapping[str, Piece]) -> None:
        """Write the poses of moved pieces into the document; only transforms of moved nodes change."""
        shift: dict[str, Vec] = {}
        for key in self.bodies:
            old, new = self.dressed.pieces[key].pose, pieces[key].pose
            if new != old:
                shift[key] = new.matrix @ np.linalg.inv(old.matrix)
        if not shift:
            return
        after: dict[int, Vec] = {}
        carried: dict[int, Vec | None] = {}
        nodes = self.document.json["nodes"]
        for node in sorted(self.worlds, key=self._depth):
            parent = self.parents.get(node)
            inherited = carried.get(parent) if parent is not None else None
            own = self.body_of_node.get(node)
            # A node of a body goes where the body goes; instances stay put and are moved one by one;
            # all else (cameras, lights, empty groups) follows what it hangs on.
            stays = own is None and INSTANCING in (nodes[node].get("extensions") or {})
            move = shift.get(own) if own is not None else None if stays else inherited
            carried[node] = move
            after[node] = self.worlds[node] if move is None else move @ self.worlds[node]
            if move is not inherited:
                above = after[parent] if parent is not None else np.eye(4)
                write_local(nodes[node], np.linalg.inv(above) @ after[node])
        self._store_instances(shift, after)

    def _depth(self, node: int) -> int:
        depth = 0
        while (parent := self.parents.get(node)) is not None:
            node = parent
            depth += 1
        return depth

    def _store_instances(self, shift: dict[str, Vec], after: dict[int, Vec]) -> None:
        by_node: dict[int, dict[int, Vec]] = {}
        for key, move in shift.items():
            for part in self.bodies[key].parts:
                if part.instance is not None:
                    by_node.setdefault(part.node, {})[part.instance] = move @ part.world
        for node, moved in by_node.items():
            locals_ = instance_matrices(self.document, node)
            for instance, world in moved.items():
                locals_[instance] = np.linalg.inv(after[node]) @ world
            attributes = self.document.json["nodes"][node]["extensions"][INSTANCING]["attributes"]
            parts = [split_matrix(m) for m in locals_]
            attributes["TRANSLATION"] = self.document.append(np.array([p[0] for p in parts], dtype="<f4"), "VEC3")
            attributes["ROTATION"] = self.document.append(np.array([p[1] for p in parts], dtype="<f4"), "VEC4")
            attributes["SCALE"] = self.document.append(np.array([p[2] for p in parts], dtype="<f4"), "VEC3")


def split_matrix(matrix: Vec) -> tuple[Triple, tuple[float, ...], Triple]:
    pose = Pose.from_matrix(matrix)
    return pose.position, pose.orientation, pose.scale


def instance_matrices(document: GltfDocument, node: int) -> list[Vec]:
    """Local (4, 4) matrices of a node's instances."""
    where = f"nodes[{node}].{INSTANCING}"
    extension = document.json["nodes"][node]["extensions"][INSTANCING]
    attributes = extension.get("attributes", {}) if isinstance(extension, dict) else {}
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
    if any(v.ndim != 2 or v.shape[1] != widths[k] or not np.isfinite(v).all() for k, v in read.items()):
        raise FileError(f"{where} has values that are not finite vectors; export it again")
    out = []
    for i in range(count):
        t = read["TRANSLATION"][i] if "TRANSLATION" in read else np.zeros(3)
        r = read["ROTATION"][i] if "ROTATION" in read else np.array([0.0, 0.0, 0.0, 1.0])
        s = read["SCALE"][i] if "SCALE" in read else np.ones(3)
        out.append(Pose.from_parts((t[0], t[1], t[2]), (r[0], r[1], r[2], r[3]), (s[0], s[1], s[2])).matrix)
    return out


def read_mesh(document: GltfDocument, number: int, cache: dict[int, tuple[Vec, Any]]) -> tuple[Vec, Any]:
    """(vertices (n, 3) float64, faces (m, 3) int32) of all triangle primitives of a mesh, joined."""
    if number in cache:
        return cache[number]
    entry = document.item("meshes", number, "a node")
    primitives = entry.get("primitives")
    if not isinstance(primitives, list):
        raise FileError(f"meshes[{number}] has no list of primitives; export it again")
    vertices, faces, base = [], [], 0
    for i, primitive in enumerate(primitives):
        found = read_primitive(document, primitive, f"meshes[{number}].primitives[{i}]")
        if found is None:
            continue
        points, triangles = found
        vertices.append(points)
        faces.append(triangles + base)
        base += len(points)
    cache[number] = (
        np.concatenate(vertices) if vertices else np.zeros((0, 3)),
        np.concatenate(faces).astype(np.int32) if faces else np.zeros((0, 3), np.int32),
    )
    return cache[number]


def drawn_primitives(document: GltfDocument, number: int) -> list[int]:
    """Which primitives of a mesh are made of triangles."""
    primitives = document.item("meshes", number, "a node")["primitives"]
    return [i for i, p in enumerate(primitives) if p.get("mode", TRIANGLES) in (TRIANGLES, STRIP, FAN)]


def read_primitive(document: GltfDocument, primitive: Any, where: str) -> tuple[Vec, Any] | None:
    """(points (n, 3) float64, triangles (m, 3)) of a primitive; None when it draws points or lines."""
    if not isinstance(primitive, dict) or not isinstance(primitive.get("attributes"), dict):
        raise FileError(f"{where} has no attributes; export it again")
    mode = primitive.get("mode", TRIANGLES)
    if mode not in (TRIANGLES, STRIP, FAN):
        return None
    if "KHR_draco_mesh_compression" in primitive.get("extensions", {}):
        raise FileError(f"{where} is compressed, which is not read; export it without compression")
    points = document.accessor(primitive["attributes"].get("POSITION"), f"{where}.POSITION").astype(np.float64)
    if points.ndim != 2 or points.shape[1] != 3:
        raise FileError(f"{where}.POSITION is not made of 3D points; export it again")
    if not np.isfinite(points).all():
        row = int(np.flatnonzero(~np.isfinite(points).all(axis=1))[0])
        raise FileError(f"{where}.POSITION: vertex {row} is not a finite number; mend the model and export it again")
    if "indices" in primitive:
        indices = document.accessor(primitive["indices"], f"{where}.indices").astype(np.int64)
        if indices.ndim != 1:
            raise FileError(f"{where}.indices are not single numbers; export it again")
    else:
        indices = np.arange(len(points), dtype=np.int64)
    if len(indices) and int(indices.max()) >= len(points):
        raise FileError(
            f"{where}.indices: {int(indices.max())} is out of range (there are {len(points)} vertices); export it again"
        )
    if mode == TRIANGLES:
        if len(indices) % 3:
            raise FileError(f"{where}.indices: {len(indices)} is not a multiple of three; export it again")
        triangles = indices.reshape(-1, 3)
    elif mode == STRIP:
        runs = (
            np.stack([indices[:-2], indices[1:-1], indices[2:]], axis=1)
            if len(indices) > 2
            else np.zeros((0, 3), np.int64)
        )
        runs[1::2] = runs[1::2][:, [1, 0, 2]]
        triangles = runs
    else:
        triangles = np.stack(
            [np.full(max(0, len(indices) - 2), indices[0] if len(indices) else 0), indices[1:-1], indices[2:]],
            axis=1,
        )
    return points, triangles


def scene_nodes(document: GltfDocument) -> tuple[dict[int, Vec], dict[int, int]]:
    """World matrices of every node of the default scene, parents before children, and each one's parent."""
    nodes = document.items("nodes")
    scenes = document.items("scenes")
    if scenes:
        roots = document.item("scenes", document.json.get("scene", 0), "scene").get("nodes", [])
    else:
        children = {c for n in nodes for c in n.get("children", []) if isinstance(c, int)}
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
        if parent is not None:
            parents[number] = parent
        below = node.get("children", [])
        if not isinstance(below, list):
            raise FileError(f"nodes[{number}].children is not a list; export it again")
        todo += [(c, number, depth + 1) for c in reversed(below)]
    return worlds, parents


def our_extras(node: Json) -> Json:
    extras = node.get("extras")
    ours = extras.get("brickseat") if isinstance(extras, dict) else None
    return ours if isinstance(ours, dict) else {}


def read_set(document: GltfDocument, bearers: Iterable[str] = (), tolerance: float = SEATED_TOLERANCE) -> GltfSet:
    """Bodies and pieces of a document. ``bearers``: name patterns of bodies that carry but do not move."""
    document.check_resources()
    worlds, parents = scene_nodes(document)
    nodes = document.items("nodes")
    patterns = tuple(bearers)

    def placements(number: int) -> list[Placement]:
        node = nodes[number]
        if "mesh" not in node:
            return []
        document.item("meshes", node["mesh"], f"nodes[{number}].mesh")
        if INSTANCING in (node.get("extensions") or {}):
            return [
                Placement(number, i, node["mesh"], worlds[number] @ m)
                for i, m in enumerate(instance_matrices(document, number))
            ]
        return [Placement(number, None, node["mesh"], worlds[number], "skin" in node)]

    def is_prop(number: int) -> bool:
        return bool(our_extras(nodes[number]).get("role", "prop") != "bearer")

    def body_name(number: int) -> str | None:
        name = our_extras(nodes[number]).get("body")
        return name if isinstance(name, str) else None

    def lead_of(number: int) -> int:
        """The topmost prop node above: one that draws, or that says it is a prop. A body's name ends the climb."""
        lead, named_body = number, body_name(number)
        above = parents.get(number)
        while above is not None and is_prop(number):
            if named_body is not None and body_name(above) != named_body:
                break
            if is_prop(above) and ("mesh" in nodes[above] or our_extras(nodes[above]).get("role") == "prop"):
                lead = above
                named_body = body_name(above)
            above = parents.get(above)
        return lead

    bodies: dict[str, Body] = {}
    body_of_node: dict[int, str] = {}
    named: dict[str, str] = {}
    taken: set[str] = set()
    for number in worlds:
        drawn = placements(number)
        for part in drawn:
            own = our_extras(nodes[number])
            lead = lead_of(number)
            shared = body_name(number) or body_name(lead)
            if part.instance is not None:
                key = f"{number}:{part.instance}"
            elif shared is not None:
                key = named.setdefault(shared, f"{lead}")
            else:
                key = f"{lead}"
            if key not in bodies:
                base = str(shared or nodes[lead].get("name") or mesh_name(document, part.mesh) or f"node {lead}")
                if part.instance is not None:
                    base = f"{base} {part.instance + 1}"
                name = base
                again = 2
                while name in taken:
                    name = f"{base} ({again})"
                    again += 1
                taken.add(name)
                first = part if part.instance is not None else Placement(lead, None, part.mesh, worlds[lead])
                bodies[key] = Body(key, name, first, [], {**our_extras(nodes[lead]), **own})
            bodies[key].parts.append(part)
            if part.instance is None:
                body_of_node[number] = key
                body_of_node.setdefault(lead, key)
            if part.skinned:
                body_of_node.update({j: key for j in skin_joints(document, nodes[number]["skin"], f"nodes[{number}]")})
    if not bodies:
        raise FileError("draws nothing: no node of its scene has a mesh; export the models with it")

    meshes: dict[tuple[Any, ...], Prop] = {}
    raw: dict[int, tuple[Vec, Any]] = {}
    pieces = []
    for body in bodies.values():
        marked = any(fnmatchcase(body.name, p) for p in patterns)
        pieces.append(piece_of(document, body, marked, meshes, raw, worlds))
    dressed = Set.of("set", pieces, tolerance)
    return GltfSet(document, dressed, bodies, worlds, parents, body_of_node)


def mesh_name(document: GltfDocument, number: int) -> str | None:
    name = document.items("meshes")[number].get("name")
    return name if isinstance(name, str) and name else None


def piece_of(
    document: GltfDocument,
    body: Body,
    marked_bearer: bool,
    meshes: dict[tuple[Any, ...], Prop],
    raw: dict[int, tuple[Vec, Any]],
    worlds: Mapping[int, Vec],
) -> Piece:
    where = f"nodes[{body.lead.node}] “{body.name}”"
    if abs(float(np.linalg.det(body.lead.world[:3, :3]))) < 1e-30:
        raise FileError(f"{where} is scaled to nothing; give it a size and export it again")
    inverse = np.linalg.inv(body.lead.world)
    single = len(body.parts) == 1 and body.parts[0].world is body.lead.world
    placed = [
        (p, inverse if p.skinned else np.eye(4) if single or p.world is body.lead.world else inverse @ p.world)
        for p in body.parts
    ]
    # A skinned mesh is as its own joints bend it: it is shared with no other node.
    recipe = tuple((p.mesh, p.node if p.skinned else None, tuple(np.round(m, 12).ravel())) for p, m in placed)
    if recipe not in meshes:
        vertices, faces, base = [], [], 0
        for part, matrix in placed:
            v, f = read_mesh(document, part.mesh, raw)
            if part.skinned:
                v = skinned(document, part.node, v, drawn_primitives(document, part.mesh), worlds)
            vertices.append(v if np.array_equal(matrix, np.eye(4)) else v @ matrix[:3, :3].T + matrix[:3, 3])
            faces.append((f[:, ::-1] if np.linalg.det(matrix[:3, :3]) < 0 else f) + base)
            base += len(v)
        try:
            mesh_object = Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32))
        except MeshError as error:
            raise FileError(f"{where}: {error}; mend the model and export it again") from None
        meshes[recipe] = Prop(f"p{len(meshes)}", body.name, mesh_object)
    extras = body.extras
    role: Role = "bearer" if marked_bearer or extras.get("role") == "bearer" else "prop"
    return Piece(
        key=body.key,
        name=body.name,
        prop=meshes[recipe],
        pose=Pose.from_matrix(body.lead.world),
        role=role,
        direction=read_direction(extras.get("direction", "down"), where),
        sink=read_number(extras, "sink", where),
        stand_off=read_number(extras, "stand_off", where),
        spiked=extras.get("spiked") is True,
        group=str(extras.get("group") or ""),
    )


def read_direction(value: Any, where: str) -> Triple:
    if value == "down":
        return DOWN
    if value == "up":
        return (0.0, 1.0, 0.0)
    try:
        vector = np.array(value, dtype=np.float64).reshape(3)
        length = float(np.linalg.norm(vector))
        if not np.isfinite(length) or length < 1e-9:
            raise ValueError
    except (TypeError, ValueError):
        raise FileError(f"{where}: direction {value!r} is not “down”, “up” or [x, y, z]; correct its extras") from None
    vector = vector / length
    return (float(vector[0]), float(vector[1]), float(vector[2]))


def read_number(extras: Json, name: str, where: str) -> float:
    value = extras.get(name, 0.0)
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= float(value) < 1e6:
        raise FileError(f"{where}: {name} {value!r} is not a length in metres from 0; correct its extras")
    return float(value)
