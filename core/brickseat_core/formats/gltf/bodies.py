"""What moves as one piece in a glTF document: the nodes of its scene, gathered into bodies and regions."""

from collections.abc import Container, Mapping
from dataclasses import dataclass

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.instances import instance_matrices, is_instanced
from brickseat_core.formats.gltf.meshes import draws_lines, mesh_name
from brickseat_core.formats.gltf.morph import Weights, weights_of
from brickseat_core.formats.gltf.nodes import our_extras, scene_nodes
from brickseat_core.formats.gltf.shape import Json, is_whole
from brickseat_core.formats.gltf.skin import skin_joints
from brickseat_core.scene import Names, Vec

FILE_ROLES = ("bearer", "prop", "region")


@dataclass(frozen=True)
class Placement:
    """One drawing of one mesh: a node, or one of its instances (``instance`` is None without instancing).

    ``skinned``: its corners stand where the joints of its skin put them. ``weights``: of its morph targets.
    """

    node: int
    instance: int | None
    mesh: int
    world: Vec
    skinned: bool = False
    weights: Weights = ()


@dataclass
class Body:
    """What moves as one piece. ``lead``: the node whose transform is its pose."""

    key: str
    name: str
    lead: Placement
    parts: list[Placement]
    extras: Json


@dataclass(frozen=True)
class NodeTree:
    """The nodes of the default scene. ``worlds``: (4, 4) matrix of each, parents before children. ``parents``: parent of each."""

    document: GltfDocument
    worlds: dict[int, Vec]
    parents: dict[int, int]

    @classmethod
    def of(cls, document: GltfDocument) -> "NodeTree":
        """Raises FileError where the hierarchy is a circle, or a role is none that there is."""
        tree = cls(document, *scene_nodes(document))
        for number in tree.worlds:
            role = tree.extras(number).get("role", "prop")
            if role not in FILE_ROLES:
                raise FileError(
                    f"nodes[{number}]: role {role!r} is not one of {', '.join(FILE_ROLES)}; correct its extras"
                )
        return tree

    def node(self, number: int) -> Json:
        found: Json = self.document.json["nodes"][number]
        return found

    def extras(self, number: int) -> Json:
        return our_extras(self.node(number))

    def is_prop(self, number: int) -> bool:
        return bool(self.extras(number).get("role", "prop") == "prop")

    def body_name(self, number: int) -> str | None:
        """The name that all nodes of one body share, where a node has one."""
        name = self.extras(number).get("body")
        return name if isinstance(name, str) else None

    def placements(self, number: int) -> list[Placement]:
        """What a node draws: nothing where it has no mesh, or one of lines alone. Raises FileError."""
        node = self.node(number)
        whole = self.extras(number).get("whole")
        if is_whole(whole):
            # Drawn with what was cut out of it: the piece is what it was cut from.
            self.document.item("meshes", whole, f"nodes[{number}].extras.brickseat.whole")
            return [Placement(number, None, whole, self.worlds[number])]
        if "mesh" not in node:
            return []
        drawn = self.document.item("meshes", node["mesh"], f"nodes[{number}].mesh")["primitives"]
        if drawn and all(draws_lines(primitive) for primitive in drawn):
            return []
        weights = weights_of(self.document, number)
        if is_instanced(node):
            return [
                Placement(number, i, node["mesh"], self.worlds[number] @ m, False, weights)
                for i, m in enumerate(instance_matrices(self.document, number))
            ]
        return [Placement(number, None, node["mesh"], self.worlds[number], "skin" in node, weights)]

    def lead_of(self, number: int) -> int:
        """The topmost prop node above: one that draws, or that says it is a prop. A body's name ends the climb."""
        lead, named_body = number, self.body_name(number)
        above = self.parents.get(number)
        while above is not None and self.is_prop(number):
            if named_body is not None and self.body_name(above) != named_body:
                break
            if self.is_prop(above) and ("mesh" in self.node(above) or self.extras(above).get("role") == "prop"):
                lead = above
                named_body = self.body_name(above)
            above = self.parents.get(above)
        return lead

    def region_nodes(self) -> dict[int, int]:
        """The nodes that are regions, or stand below one, each with the topmost region above it (or itself)."""
        found: dict[int, int] = {}
        for number in self.worlds:
            above = self.parents.get(number)
            if above is not None and above in found:
                found[number] = found[above]
            elif self.extras(number).get("role") == "region":
                found[number] = number
        return found


def bodies_of(tree: NodeTree, left_out: Container[int]) -> tuple[dict[str, Body], dict[int, str]]:
    """The bodies by key, and the key of the body that each node belongs to. ``left_out``: nodes that are no bodies.

    Raises FileError.
    """
    bodies: dict[str, Body] = {}
    body_of_node: dict[int, str] = {}
    shared_keys: dict[str, str] = {}
    names = Names()
    for number in tree.worlds:
        if number in left_out:
            continue
        lead = tree.lead_of(number)
        shared = tree.body_name(number) or tree.body_name(lead)
        for part in tree.placements(number):
            if part.instance is not None:
                key = f"{number}:{part.instance}"
            elif shared is not None:
                key = shared_keys.setdefault(shared, f"{lead}")
            else:
                key = f"{lead}"
            if key not in bodies:
                name = shared or tree.node(lead).get("name") or mesh_name(tree.document, part.mesh) or f"node {lead}"
                if part.instance is None:
                    unique, first = names.of(str(name)), Placement(lead, None, part.mesh, tree.worlds[lead])
                else:
                    unique, first = names.of(f"{name} {part.instance + 1}"), part
                bodies[key] = Body(key, unique, first, [], {**tree.extras(lead), **tree.extras(number)})
            bodies[key].parts.append(part)
            if part.instance is None:
                body_of_node[number] = key
                body_of_node.setdefault(lead, key)
            if part.skinned:
                joints = skin_joints(tree.document, tree.node(number)["skin"], f"nodes[{number}]")
                body_of_node.update(dict.fromkeys(joints, key))
    return bodies, body_of_node


def regions_of(tree: NodeTree, lead_of: Mapping[int, int]) -> dict[str, Body]:
    """What each region is drawn by. ``lead_of``: its nodes, as ``region_nodes`` finds them.

    Raises FileError where a region has no mesh.
    """
    below: dict[int, list[int]] = {}
    for number, lead in lead_of.items():
        below.setdefault(lead, []).append(number)
    found = {}
    for lead, numbers in below.items():
        parts = [part for number in numbers for part in tree.placements(number)]
        name = str(tree.node(lead).get("name") or f"region {lead}")
        if not parts:
            raise FileError(
                f"nodes[{lead}] “{name}” is a region but has no mesh; give it a closed one, or remove its role"
            )
        first = next((part for part in parts if part.node == lead), None)
        first = first or Placement(lead, None, parts[0].mesh, tree.worlds[lead])
        found[f"{lead}"] = Body(f"{lead}", name, first, parts, {})
    return found
