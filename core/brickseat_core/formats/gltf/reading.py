"""Read a set from glTF 2.0: nodes become bodies, and bodies become pieces; nodes of role region become regions."""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase
from typing import Any

import numpy as np

from brickseat_core.contact.index import world_box
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.bodies import Body, NodeTree, bodies_of, regions_of
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.groups import Group, groups_of, with_wholes
from brickseat_core.formats.gltf.props import Props
from brickseat_core.formats.gltf.relations import with_relations
from brickseat_core.formats.gltf.shape import Json, is_whole
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import DOWN, Names, Piece, Pose, Prop, Region, Role, Set, Triple, Vec
from brickseat_core.tolerances import SEATED_TOLERANCE

LARGEST_NUMBER = 2**53
"""Of a piece in its recipe."""
FLOOR_KEY = "floor plane"
FLOOR_BEYOND, FLOOR_WIDER = 100.0, 4.0
"""Metres that the plane of a floor reaches beyond everything, and times as far as everything does."""


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
    groups: tuple[Group, ...] = ()
    """What may be one thing although each of its parts is a piece."""
    undrawn: frozenset[str] = frozenset()
    """Keys of pieces that stand there and that the file does not draw: they are not written."""


def read_set(
    document: GltfDocument,
    bearers: Iterable[str] = (),
    tolerance: float = SEATED_TOLERANCE,
    whole: Iterable[str] = (),
    parts: Iterable[str] = (),
) -> GltfSet:
    """Bodies and pieces of a document. ``bearers``: name patterns of bodies that carry but do not move. ``whole``, ``parts``: of nodes that
    are one piece with all below them, and of those whose parts are pieces by themselves; that is written into the document.

    Raises FileError.
    """
    document.check_resources()
    with_wholes(document, whole, parts)
    tree = NodeTree.of(document)
    region_leads = tree.region_nodes()
    bodies, body_of_node = bodies_of(tree, region_leads)
    if not bodies:
        raise FileError("draws nothing: no node of its scene has a mesh; export the models with it")
    volumes = regions_of(tree, region_leads)
    patterns = tuple(bearers)
    props = Props(document, tree.worlds)
    pieces = [
        piece_of(body, any(fnmatchcase(body.name, pattern) for pattern in patterns), props) for body in bodies.values()
    ]
    regions = [
        Region(body.key, body.name, props.of(body), Pose.from_matrix(body.lead.world)) for body in volumes.values()
    ]
    dressed = Set.of("set", pieces, tolerance, regions)
    return GltfSet(
        document,
        with_relations(document, dressed),
        bodies,
        tree.worlds,
        tree.parents,
        body_of_node,
        volumes,
        tuple(groups_of(document, tree, bodies)),
    )


def with_floor(found: GltfSet, height: float) -> GltfSet:
    """The same set with an endless plane at ``height`` metres that bears, besides what the file has. It is not written into the file."""
    boxes = [np.array(world_box(p.prop.mesh, p.pose)) for p in found.dressed.pieces.values()]
    reach = max((float(np.abs(box[:, [0, 2]]).max()) for box in boxes), default=0.0)
    half = FLOOR_BEYOND + FLOOR_WIDER * reach
    corners = np.array([[-half, 0.0, -half], [-half, 0.0, half], [half, 0.0, half], [half, 0.0, -half]])
    plane = Mesh(corners, np.array([[0, 1, 2], [0, 2, 3]], np.int32))
    names = Names()
    for piece in found.dressed.pieces.values():
        names.of(piece.name)
    floor = Piece(FLOOR_KEY, names.of("floor"), Prop(FLOOR_KEY, "floor", plane), Pose((0.0, height, 0.0)), "bearer")
    dressed = replace(found.dressed, pieces={**found.dressed.pieces, floor.key: floor})
    return replace(found, dressed=dressed, undrawn=frozenset([floor.key]))


def written(found: GltfSet, dressed: Set) -> Set:
    """``dressed`` without what the file of ``found`` does not draw."""
    if not found.undrawn:
        return dressed
    return replace(dressed, pieces={k: p for k, p in dressed.pieces.items() if k not in found.undrawn})


def piece_of(body: Body, marked_bearer: bool, props: Props) -> Piece:
    """The piece of a body, as its extras say. Raises FileError."""
    where = f"nodes[{body.lead.node}] “{body.name}”"
    extras = body.extras
    role: Role = "bearer" if marked_bearer or extras.get("role") == "bearer" else "prop"
    number = extras.get("number")
    return Piece(
        key=body.key,
        name=body.name,
        prop=props.of(body),
        pose=Pose.from_matrix(body.lead.world),
        role=role,
        direction=read_direction(extras.get("direction", "down"), where),
        sink=read_number(extras, "sink", where),
        stand_off=read_number(extras, "stand_off", where),
        spiked=extras.get("spiked") is True,
        group=str(extras.get("group") or ""),
        recipe=str(extras.get("recipe") or ""),
        number=number if is_whole(number) and 0 < number <= LARGEST_NUMBER else None,
    )


def read_direction(value: Any, where: str) -> Triple:
    """A unit direction out of extras: “down”, “up” or three numbers. Raises FileError, with ``where`` in it."""
    if value == "down":
        return DOWN
    if value == "up":
        return (0.0, 1.0, 0.0)
    try:
        vector = np.array(value, dtype=np.float64).reshape(3)
        length = math.hypot(*vector)
        if not 1e-9 <= length < math.inf:
            raise ValueError
    except (TypeError, ValueError, OverflowError):
        raise FileError(f"{where}: direction {value!r} is not “down”, “up” or [x, y, z]; correct its extras") from None
    vector = vector / length
    return (float(vector[0]), float(vector[1]), float(vector[2]))


def read_number(extras: Json, name: str, where: str) -> float:
    """A length in metres out of extras, 0 when it is not there. Raises FileError, with ``where`` in it."""
    value = extras.get(name, 0.0)
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value < 1e6:
        raise FileError(f"{where}: {name} {value!r} is not a length in metres from 0; correct its extras")
    return float(value)
