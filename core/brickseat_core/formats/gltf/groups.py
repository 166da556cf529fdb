"""Groups of a glTF document: named nodes that draw nothing themselves, and hold several pieces.

A chair and a group of thirty cups look alike in a file, so that nothing is guessed: whoever reads it says which are one piece.
"""

import shlex
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from fnmatch import fnmatchcase

import numpy as np

from brickseat_core.formats.gltf.bodies import Body, NodeTree
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.nodes import our_extras, scene_nodes
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.scene import Names, Set

SAME_MOTION = 1e-9
"""Part of a motion, and metres, by which two pieces that were moved alike may differ."""


@dataclass(frozen=True)
class Group:
    """``node``: its number. ``pieces``: keys of those below it."""

    node: int
    name: str
    pieces: tuple[str, ...]


def with_wholes(document: GltfDocument, wholes: Iterable[str], parts: Iterable[str]) -> None:
    """Write into ``document`` what is one piece: every node whose name is one of ``wholes`` (patterns), with all below it; and each drawing
    node at or below one of ``parts`` by itself. Raises FileError where the hierarchy is a circle."""
    whole, apart = tuple(wholes), tuple(parts)
    if not whole and not apart:
        return
    worlds, parents = scene_nodes(document)
    nodes = document.items("nodes")
    names = Names()

    def below(patterns: tuple[str, ...]) -> dict[int, int]:
        """Each node at or below one that a pattern names, with the topmost such node."""
        found: dict[int, int] = {}
        for number in worlds:
            above = parents.get(number, -1)
            if above in found:
                found[number] = found[above]
            elif any(fnmatchcase(name_of(nodes[number]), pattern) for pattern in patterns):
                found[number] = number
        return found

    for number, top in below(whole).items():
        ours = own_extras(nodes[number])
        ours.pop("body", None)
        if number == top:
            ours.update({"role": "prop", "body": names.of(name_of(nodes[number]))})
    for number in below(apart):
        ours = own_extras(nodes[number])
        ours.pop("body", None)
        if "mesh" in nodes[number]:
            ours["body"] = names.of(name_of(nodes[number]) or f"node {number}")
        elif ours.get("role") == "prop":
            del ours["role"]


def own_extras(node: Json) -> Json:
    """What Brick Seat wrote on a node, to be written on."""
    extras = node["extras"] if isinstance(node.get("extras"), dict) else {}
    ours = our_extras(node)
    node["extras"], extras["brickseat"] = extras, ours
    return ours


def name_of(node: Json) -> str:
    """The name of a node; empty where it has none."""
    name = node.get("name")
    return name if isinstance(name, str) else ""


def groups_of(document: GltfDocument, tree: NodeTree, bodies: Mapping[str, Body]) -> list[Group]:
    """The groups that hold two props or more right below them, and no bearer: those that may be one thing."""
    nodes = document.items("nodes")
    key_at = {body.lead.node: body.key for body in bodies.values() if body.lead.instance is None}
    keys_at: dict[int, list[str]] = {}
    for number, key in key_at.items():
        above = tree.parents.get(number)
        while above is not None:
            keys_at.setdefault(above, []).append(key)
            above = tree.parents.get(above)
    found = []
    for number in tree.worlds:
        keys, ours = keys_at.get(number, []), our_extras(nodes[number])
        drawn = [child for child in nodes[number].get("children", []) if child in key_at]
        plain = name_of(nodes[number]) and "mesh" not in nodes[number] and "role" not in ours and "body" not in ours
        if plain and len(drawn) > 1 and not any(bodies[key].extras.get("role") == "bearer" for key in keys):
            found.append(Group(number, name_of(nodes[number]), tuple(keys)))
    return found


def moved_apart(groups: Iterable[Group], before: Set, after: Set) -> list[Group]:
    """Those of ``groups`` whose pieces do not stand to each other as they did; what was taken away moved nothing."""

    def differs(group: Group) -> bool:
        keys = [key for key in group.pieces if key in before.pieces and key in after.pieces]
        motions = [
            after.pieces[key].pose.matrix @ np.linalg.inv(before.pieces[key].pose.matrix)
            for key in keys
            if before.pieces[key].role == "prop"
        ]
        return any(np.abs(motion - motions[0]).max() > SAME_MOTION for motion in motions[1:])

    return [group for group in groups if differs(group)]


def in_words(group: Group) -> str:
    """What to do where a group that is one thing was moved apart."""
    return f"{group.name}: its {len(group.pieces)} parts moved apart; --whole {shlex.quote(group.name)} keeps them together"
