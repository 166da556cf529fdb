"""Read a set from glTF 2.0: nodes become bodies, and bodies become pieces; nodes of role region become regions."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf_document import GltfDocument, Json
from brickseat_core.formats.gltf_nodes import local_matrix
from brickseat_core.formats.gltf_relations import with_relations
from brickseat_core.formats.gltf_skin import skin_joints, skinned
from brickseat_core.meshes.mesh import Mesh, MeshError
from brickseat_core.scene import (
    DOWN,
    Names,
    Piece,
    Pose,
    Prop,
    Region,
    Role,
    Seat,
    Set,
    Triple,
    Vec,
    carried,
    named_apart,
)
from brickseat_core.scene.encoding import BadRecord, decode_seats
from brickseat_core.tolerances import SEATED_TOLERANCE

INSTANCING = "EXT_mesh_gpu_instancing"
TRIANGLES, STRIP, FAN = 4, 5, 6
NODE_DEPTH = 512
MOST_INSTANCES = 50_000
"""Of one node."""
FILE_ROLES = ("bearer", "prop", "region")


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
    volumes: dict[str, Body] = field(default_factory=dict)
    """What each region is drawn by."""


def split_matrix(matrix: Vec) -> tuple[Triple, tuple[float, ...], Triple]:
    """Translation (m), quaternion (x, y, z, w) and scale of a (4, 4) matrix."""
    pose = Pose.from_matrix(matrix)
    return pose.position, pose.orientation, pose.scale


def instance_matrices(document: GltfDocument, node: int) -> list[Vec]:
    """Local (4, 4) matrices of a node's instances. Raises FileError."""
    where = f"nodes[{node}].{INSTANCING}"
    extension = document.json["nodes"][node]["extensions"][INSTANCING]
    attributes = extension.get("attributes") if isinstance(extension, dict) else None
    if not isinstance(attributes, dict):
        raise FileError(f"{where} has no attributes; export it again")
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
    out = []
    for i in range(count):
        t = read["TRANSLATION"][i] if "TRANSLATION" in read else np.zeros(3)
        r = read["ROTATION"][i] if "ROTATION" in read else np.array([0.0, 0.0, 0.0, 1.0])
        s = read["SCALE"][i] if "SCALE" in read else np.ones(3)
        out.append(Pose.from_parts((t[0], t[1], t[2]), (r[0], r[1], r[2], r[3]), (s[0], s[1], s[2])).matrix)
    return out


def read_mesh(document: GltfDocument, number: int, cache: dict[int, tuple[Vec, Any]]) -> tuple[Vec, Any]:
    """(vertices (n, 3) float64, faces (m, 3) int32) of all triangle primitives of a mesh, joined.

    Raises FileError.
    """
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


def draws_lines(primitive: Any) -> bool:
    """Whether a primitive draws points or lines: something to follow, not something that stands."""
    return isinstance(primitive, dict) and primitive.get("mode", TRIANGLES) not in (TRIANGLES, STRIP, FAN)


def drawn_primitives(document: GltfDocument, number: int) -> list[int]:
    """Which primitives of a mesh are made of triangles."""
    primitives = document.item("meshes", number, "a node")["primitives"]
    return [i for i, p in enumerate(primitives) if p.get("mode", TRIANGLES) in (TRIANGLES, STRIP, FAN)]


def read_primitive(document: GltfDocument, primitive: Any, where: str) -> tuple[Vec, Any] | None:
    """(points (n, 3) float64, triangles (m, 3)) of a primitive; None when it draws points or lines.

    Raises FileError.
    """
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
    """World matrices of every node of the default scene, parents before children, and each one's parent.

    Raises FileError.
    """
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
    """What Brick Seat wrote on a node; empty when it wrote nothing."""
    extras = node.get("extras")
    ours = extras.get("brickseat") if isinstance(extras, dict) else None
    return ours if isinstance(ours, dict) else {}


def read_set(document: GltfDocument, bearers: Iterable[str] = (), tolerance: float = SEATED_TOLERANCE) -> GltfSet:
    """Bodies and pieces of a document. ``bearers``: name patterns of bodies that carry but do not move.

    Raises FileError.
    """
    document.check_resources()
    worlds, parents = scene_nodes(document)
    nodes = document.items("nodes")
    patterns = tuple(bearers)

    def placements(number: int) -> list[Placement]:
        node = nodes[number]
        whole = our_extras(node).get("whole")
        if isinstance(whole, int) and not isinstance(whole, bool):
            # Drawn with what was cut out of it: the piece is what it was cut from.
            document.item("meshes", whole, f"nodes[{number}].extras.brickseat.whole")
            return [Placement(number, None, whole, worlds[number])]
        if "mesh" not in node:
            return []
        drawn = document.item("meshes", node["mesh"], f"nodes[{number}].mesh").get("primitives")
        if isinstance(drawn, list) and drawn and all(draws_lines(primitive) for primitive in drawn):
            return []
        if INSTANCING in (node.get("extensions") or {}):
            return [
                Placement(number, i, node["mesh"], worlds[number] @ m)
                for i, m in enumerate(instance_matrices(document, number))
            ]
        return [Placement(number, None, node["mesh"], worlds[number], "skin" in node)]

    for number in worlds:
        read_role(our_extras(nodes[number]), f"nodes[{number}]")

    def is_prop(number: int) -> bool:
        return bool(our_extras(nodes[number]).get("role", "prop") == "prop")

    regions_below = region_nodes(nodes, worlds, parents)

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
    names = Names()
    for number in worlds:
        drawn = placements(number) if number not in regions_below else []
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
                name = names.of(base)
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
    volumes = {
        f"{lead}": volume_of(document, lead, [p for n in below for p in placements(n)], worlds)
        for lead, below in by_region(regions_below).items()
    }
    regions = [
        Region(
            body.key,
            body.name,
            prop_of(document, body, f"nodes[{body.lead.node}] “{body.name}”", meshes, raw, worlds),
            Pose.from_matrix(body.lead.world),
        )
        for body in volumes.values()
    ]
    dressed = Set.of("set", pieces, tolerance, regions)
    return GltfSet(document, with_relations(document, dressed), bodies, worlds, parents, body_of_node, volumes)


def region_nodes(nodes: list[Json], worlds: Mapping[int, Vec], parents: Mapping[int, int]) -> dict[int, int]:
    """The nodes that are regions, or stand below one, each with the topmost region above it (or itself)."""
    found: dict[int, int] = {}
    for number in worlds:
        above = parents.get(number)
        if above is not None and above in found:
            found[number] = found[above]
        elif our_extras(nodes[number]).get("role") == "region":
            found[number] = number
    return found


def by_region(lead_of: Mapping[int, int]) -> dict[int, list[int]]:
    """Regions by their lead node, with all nodes that belong to each."""
    found: dict[int, list[int]] = {}
    for number, lead in lead_of.items():
        found.setdefault(lead, []).append(number)
    return found


def volume_of(document: GltfDocument, lead: int, parts: list[Placement], worlds: Mapping[int, Vec]) -> Body:
    """What a region is drawn by. Raises FileError where that is nothing."""
    name = str(document.items("nodes")[lead].get("name") or f"region {lead}")
    if not parts:
        raise FileError(f"nodes[{lead}] “{name}” is a region but has no mesh; give it a closed one, or remove its role")
    first = next((p for p in parts if p.node == lead), None)
    return Body(f"{lead}", name, first or Placement(lead, None, parts[0].mesh, worlds[lead]), parts, {})


def mesh_name(document: GltfDocument, number: int) -> str | None:
    """The name of a mesh, or None when the file gives it none."""
    name = document.items("meshes")[number].get("name")
    return name if isinstance(name, str) and name else None


def prop_of(
    document: GltfDocument,
    body: Body,
    where: str,
    meshes: dict[tuple[Any, ...], Prop],
    raw: dict[int, tuple[Vec, Any]],
    worlds: Mapping[int, Vec],
) -> Prop:
    """The prop that a body draws, shared by all that draw the same. Raises FileError."""
    if abs(float(np.linalg.det(body.lead.world[:3, :3]))) < 1e-30:
        raise FileError(f"{where} is scaled to nothing; give it a size and export it again")
    inverse: Vec = np.asarray(np.linalg.inv(body.lead.world), dtype=np.float64)
    single = len(body.parts) == 1 and body.parts[0].world is body.lead.world
    placed = [
        (p, inverse if p.skinned else np.eye(4) if single or p.world is body.lead.world else inverse @ p.world)
        for p in body.parts
    ]
    # A skinned mesh is as its own joints bend it: it is shared with no other node.
    seats = seats_of(document, body, inverse, worlds)
    recipe = (
        seats,
        *((p.mesh, p.node if p.skinned else None, tuple(np.round(m, 12).ravel())) for p, m in placed),
    )
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
        own_name = mesh_name(document, body.parts[0].mesh) if len(body.parts) == 1 else None
        meshes[recipe] = Prop(f"p{len(meshes)}", own_name or body.name, mesh_object, seats)
    return meshes[recipe]


def seats_of(document: GltfDocument, body: Body, inverse: Vec, worlds: Mapping[int, Vec]) -> tuple[Seat, ...]:
    """The seats that the nodes of a body carry, in the coordinates of its lead. Raises FileError.

    ``inverse``: (4, 4) from the world into those.
    """
    found: list[Seat] = []
    for node in dict.fromkeys([body.lead.node, *(p.node for p in body.parts)]):
        listed = our_extras(document.items("nodes")[node]).get("seats")
        if listed is None:
            continue
        try:
            seats = decode_seats(listed)
        except BadRecord as problem:
            raise FileError(f"nodes[{node}].extras.brickseat.seats: {problem}; correct its extras") from None
        instanced = INSTANCING in (document.items("nodes")[node].get("extensions") or {})
        own = instanced or node == body.lead.node
        local = Pose((0.0, 0.0, 0.0)) if own else Pose.from_matrix(inverse @ worlds[node])
        found += [carried(seat, local) for seat in seats]
    return named_apart(found)


def piece_of(
    document: GltfDocument,
    body: Body,
    marked_bearer: bool,
    meshes: dict[tuple[Any, ...], Prop],
    raw: dict[int, tuple[Vec, Any]],
    worlds: Mapping[int, Vec],
) -> Piece:
    """The piece of a body, as its extras say. Raises FileError."""
    where = f"nodes[{body.lead.node}] “{body.name}”"
    extras = body.extras
    role: Role = "bearer" if marked_bearer or extras.get("role") == "bearer" else "prop"
    number = extras.get("number")
    return Piece(
        key=body.key,
        name=body.name,
        prop=prop_of(document, body, where, meshes, raw, worlds),
        pose=Pose.from_matrix(body.lead.world),
        role=role,
        direction=read_direction(extras.get("direction", "down"), where),
        sink=read_number(extras, "sink", where),
        stand_off=read_number(extras, "stand_off", where),
        spiked=extras.get("spiked") is True,
        group=str(extras.get("group") or ""),
        recipe=str(extras.get("recipe") or ""),
        number=number if isinstance(number, int) and not isinstance(number, bool) else None,
    )


def read_role(extras: Json, where: str) -> None:
    """Raises FileError where the role of a node is none that there is."""
    role = extras.get("role", "prop")
    if role not in FILE_ROLES:
        raise FileError(f"{where}: role {role!r} is not one of {', '.join(FILE_ROLES)}; correct its extras")


def read_direction(value: Any, where: str) -> Triple:
    """A unit direction out of extras: “down”, “up” or three numbers. Raises FileError, with ``where`` in it."""
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
    """A length in metres out of extras, 0 when it is not there. Raises FileError, with ``where`` in it."""
    value = extras.get(name, 0.0)
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0.0 <= float(value) < 1e6:
        raise FileError(f"{where}: {name} {value!r} is not a length in metres from 0; correct its extras")
    return float(value)
