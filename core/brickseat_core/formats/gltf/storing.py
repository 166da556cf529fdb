"""Write a changed set back into the glTF document it was read from. What did not change comes out as it went in."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from brickseat_core.constraints.cutting import derived_meshes
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.bodies import Body, Placement
from brickseat_core.formats.gltf.building import Carrier, draw_cut, piece_extras, seat_extras
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.instances import instance_matrices, is_instanced, write_instances
from brickseat_core.formats.gltf.nodes import our_extras, write_local
from brickseat_core.formats.gltf.reading import GltfSet, read_set, written
from brickseat_core.formats.gltf.relations import FIELDS, relations_of
from brickseat_core.formats.gltf.shape import INSTANCING, Json
from brickseat_core.scene import Piece, Pose, Prop, Set, Vec


def store_set(found: GltfSet, after: Set, models: Mapping[str, GltfDocument] | None = None) -> None:
    """Bring the document of ``found`` up to the set ``after``. Raises FileError before anything is written.

    ``models``: what draws the props that the file does not, by their keys. Moved pieces change the transforms of their nodes, others their extras and names; new pieces get nodes of their own,
    and the nodes of what was taken away are taken out of the scene.
    """
    found = replace(found, dressed=written(found, found.dressed))
    before, after = found.dressed, written(found, after)
    # A piece of another prop, or of an instance whose words changed, is drawn by nodes of its own from now on.
    redrawn = {
        key
        for key, piece in after.pieces.items()
        if key in before.pieces
        and (
            piece.prop != before.pieces[key].prop
            or (is_instance(found, key) and words_of(piece) != words_of(before.pieces[key]))
        )
    }
    gone = (before.pieces.keys() - after.pieces.keys()) | redrawn
    new = [p for key, p in after.pieces.items() if key not in before.pieces or key in redrawn]
    carried = Bodies(found, models or {})
    bodies = {p.key: carried.body_of(p.prop, p.name) for p in new}
    marked = [r for key, r in after.regions.items() if key not in before.regions]
    volumes = {r.key: carried.body_of(r.prop, r.name) for r in marked}
    moved = store_poses(found, {k: p for k, p in after.pieces.items() if k in before.pieces and k not in redrawn})
    for key, piece in after.pieces.items():
        if key in before.pieces and key not in redrawn:
            store_words(found, before.pieces[key], piece)
    dropped = [found.bodies[key] for key in gone]
    dropped += [found.volumes[key] for key in before.regions.keys() - after.regions.keys()]
    store_instances(found, moved, remove_bodies(found, dropped))
    for piece in new:
        ours = {"role": piece.role, **piece_extras(piece), **seat_extras(piece.prop)}
        add_body(found, piece.name, piece.pose, ours, bodies[piece.key])
    for region in marked:
        add_body(found, region.name, region.pose, {"role": "region"}, volumes[region.key])
    if any(after.of_kind(kind) != before.of_kind(kind) for kind in FIELDS):
        store_relations(found, after)
    store_cuts(found, after)


ByInstance = dict[int, dict[int, Vec]]
"""By node and instance, a local (4, 4) matrix."""


def store_poses(found: GltfSet, pieces: Mapping[str, Piece]) -> ByInstance:
    """Write the poses of moved pieces into the document; only transforms of moved nodes change. Returns where instances come to be."""
    shift: dict[str, Vec] = {}
    for key, piece in pieces.items():
        old, new = found.dressed.pieces[key].pose, piece.pose
        if new != old:
            shift[key] = new.matrix @ np.linalg.inv(old.matrix)
    by_node: ByInstance = {}
    if not shift:
        return by_node
    after: dict[int, Vec] = {}
    carried: dict[int, Vec | None] = {}
    nodes = found.document.json["nodes"]
    # Parents come before their children.
    for node in found.worlds:
        parent = found.parents.get(node)
        inherited = carried.get(parent) if parent is not None else None
        own = found.body_of_node.get(node)
        # A node of a body goes where the body goes; instances stay put and are moved one by one;
        # all else (cameras, lights, empty groups) follows its parent.
        stays = own is None and is_instanced(nodes[node])
        move = shift.get(own) if own is not None else None if stays else inherited
        carried[node] = move
        after[node] = found.worlds[node] if move is None else move @ found.worlds[node]
        if move is not inherited:
            above = after[parent] if parent is not None else np.eye(4)
            write_local(nodes[node], np.linalg.inv(above) @ after[node])
    for key, move in shift.items():
        for part in found.bodies[key].parts:
            if part.instance is not None:
                by_node.setdefault(part.node, {})[part.instance] = np.linalg.inv(after[part.node]) @ move @ part.world
    return by_node


def store_instances(found: GltfSet, moved: ByInstance, dropped: Mapping[int, set[int]]) -> None:
    """Write the instances of nodes where they come to be, without those that are ``dropped``, of which every node keeps one at least."""
    for node in moved.keys() | dropped.keys():
        places, gone = moved.get(node, {}), dropped.get(node, set())
        kept = [
            places.get(number, local)
            for number, local in enumerate(instance_matrices(found.document, node))
            if number not in gone
        ]
        write_instances(found.document, node, kept)


def is_instance(found: GltfSet, key: str) -> bool:
    """Whether a piece is drawn as an instance of a node."""
    return any(part.instance is not None for part in found.bodies[key].parts)


def words_of(piece: Piece) -> tuple[Any, ...]:
    """Everything about a piece that its extras and its name say."""
    return (piece.name, piece_extras(piece))


def store_words(found: GltfSet, before: Piece, after: Piece) -> None:
    """Write what changed of a piece beside its pose into the extras and the name of its node."""
    if words_of(before) == words_of(after):
        return
    node = found.document.json["nodes"][found.bodies[after.key].lead.node]
    if after.name != before.name:
        node["name"] = after.name
    old, new = piece_extras(before), piece_extras(after)
    extras = node["extras"] if isinstance(node.get("extras"), dict) else {}
    node["extras"] = extras
    ours = dict(our_extras(node))
    for name in old.keys() - new.keys():
        ours.pop(name, None)
    ours.update({name: value for name, value in new.items() if old.get(name) != value})
    extras["brickseat"] = ours
    # What a part says for itself would otherwise win over what its body says now.
    for part in found.bodies[after.key].parts:
        its = our_extras(found.document.json["nodes"][part.node])
        if its is not ours:
            for name in {*old, *new}:
                if old.get(name) != new.get(name):
                    its.pop(name, None)


class Bodies:
    """What draws each prop: a body of the file, or one that is carried into it when it is first asked for."""

    def __init__(self, found: GltfSet, models: Mapping[str, GltfDocument]) -> None:
        self._found, self._models = found, models
        self._carrier = Carrier(found.document)
        self._of: dict[str, Body] = {}
        for key, piece in found.dressed.pieces.items():
            self._of.setdefault(piece.prop.key, found.bodies[key])

    def body_of(self, prop: Prop, name: str) -> Body:
        """The body that draws a prop, for a new place of that ``name``. Raises FileError where it cannot be drawn once more."""
        body = self._of.get(prop.key)
        if body is None:
            model = self._models.get(prop.key)
            if model is None:
                raise FileError(f"no piece of the file draws {prop.name}, so that “{name}” cannot be drawn")
            body = self._of[prop.key] = self._carried(prop.name, model)
        if any(part.skinned for part in body.parts):
            raise FileError(f"“{body.name}” is bent by joints and cannot be drawn once more; convert it first")
        return body

    def _carried(self, name: str, model: GltfDocument) -> Body:
        """All that another document draws, its meshes carried over. No node of this one draws it yet."""
        read = read_set(model)
        parts = [
            Placement(
                part.node, part.instance, self._carrier.mesh(model, part.mesh), part.world, part.skinned, part.weights
            )
            for body in read.bodies.values()
            for part in body.parts
        ]
        return Body("", name, Placement(parts[0].node, None, parts[0].mesh, np.eye(4)), parts, {})


def add_body(found: GltfSet, name: str, pose: Pose, ours: Json, body: Body) -> None:
    """A node for a new piece or region, and one below it for each further part, drawn as ``body`` draws them.

    ``ours``: its extras.
    """
    nodes = found.document.json["nodes"]
    back = np.linalg.inv(body.lead.world)
    lead: Json = {"name": name, "matrix": [float(v) for v in pose.matrix.T.ravel()], "extras": {"brickseat": ours}}
    number = len(nodes)
    nodes.append(lead)
    for part in body.parts:
        local = back @ part.world
        if len(body.parts) == 1 and np.allclose(local, np.eye(4), rtol=0.0, atol=1e-12):
            lead.update(drawn_by(part))
            continue
        lead.setdefault("children", []).append(len(nodes))
        nodes.append({**drawn_by(part), "matrix": [float(v) for v in local.T.ravel()]})
    scene_of(found).setdefault("nodes", []).append(number)


def drawn_by(part: Placement) -> Json:
    """What a node has that draws what ``part`` does."""
    return {"mesh": part.mesh, **({"weights": list(part.weights)} if part.weights else {})}


def scene_of(found: GltfSet) -> Json:
    """The scene that is shown, made where there is none."""
    document = found.document.json
    if not document.get("scenes"):
        roots = [n for n in found.worlds if n not in found.parents]
        document["scenes"], document["scene"] = [{"nodes": roots}], 0
    scene: Json = document["scenes"][document.get("scene", 0)]
    return scene


def remove_bodies(found: GltfSet, bodies: Iterable[Body]) -> dict[int, set[int]]:
    """Take bodies out of the scene: their nodes draw nothing any more, and those that hold nothing else are let go.

    Returns the instances that are to go, by node, of nodes of which others stay.
    """
    nodes = found.document.json["nodes"]
    dropped: dict[int, set[int]] = {}
    cleared: set[int] = set()
    for body in bodies:
        for part in body.parts:
            if part.instance is not None:
                dropped.setdefault(part.node, set()).add(part.instance)
            else:
                cleared.add(part.node)
        cleared.update(n for n, own in found.body_of_node.items() if own == body.key)
        if body.lead.instance is None:
            cleared.add(body.lead.node)
    for node, instances in list(dropped.items()):
        if len(instances) == len(instance_matrices(found.document, node)):
            cleared.add(node)
            del dropped[node]
    for node in cleared:
        for name in ("mesh", "skin", "weights"):
            nodes[node].pop(name, None)
        nodes[node].get("extensions", {}).pop(INSTANCING, None)
        if isinstance(nodes[node].get("extras"), dict):
            nodes[node]["extras"].pop("brickseat", None)
    # From the leaves up: a node that drew only what is gone, and has nothing below it, leaves its parent.
    for node in reversed(list(found.worlds)):
        if node in cleared and not nodes[node].get("children") and not nodes[node].keys() & {"camera", "light"}:
            detach(found, node)
    return dropped


def detach(found: GltfSet, node: int) -> None:
    """Take a node out of its parent, or out of the scene."""
    parent = found.parents.get(node)
    holder, name = (scene_of(found), "nodes") if parent is None else (found.document.json["nodes"][parent], "children")
    holder[name] = [n for n in holder.get(name, []) if n != node]
    if not holder[name]:
        del holder[name]


def store_relations(found: GltfSet, after: Set) -> None:
    """Write the ties, recipes and cut-outs into the extras of the scene."""
    scene = scene_of(found)
    extras = scene["extras"] if isinstance(scene.get("extras"), dict) else {}
    scene["extras"] = extras
    ours = {k: v for k, v in (extras.get("brickseat") or {}).items() if k not in FIELDS.values()}
    extras["brickseat"] = {**ours, **relations_of(after)}


def store_cuts(found: GltfSet, after: Set) -> None:
    """Draw every bearer by what is left of it, and those that are whole again by their own mesh."""
    derived, before = derived_meshes(after), derived_meshes(found.dressed)
    nodes = found.document.json["nodes"]
    for key, body in found.bodies.items():
        if key not in after.pieces or any(part.instance is not None for part in body.parts):
            continue
        if derived.get(key) is before.get(key) and all("whole" in our_extras(nodes[p.node]) for p in body.parts):
            continue
        parts = [nodes[part.node] for part in body.parts]
        for node, part in zip(parts, body.parts, strict=True):
            if our_extras(node).pop("whole", None) is not None:
                node["mesh"] = part.mesh
        if key in derived:
            # In the coordinates of each node, which need not be those of its body.
            draw_cut(
                found.document,
                parts,
                [np.linalg.inv(part.world) @ body.lead.world for part in body.parts],
                derived[key],
            )
