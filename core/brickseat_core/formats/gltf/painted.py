"""Vertex colours of models: what they say of where pieces may lie, and chalk written as them."""

import copy
from collections.abc import Callable, Iterable

import numpy as np

from brickseat_core.formats.gltf.building import Surface
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.meshes import drawn_primitives
from brickseat_core.formats.gltf.reading import GltfSet, read_set
from brickseat_core.formats.gltf.surfaces import body_surfaces
from brickseat_core.geometry.painting import Painting
from brickseat_core.scene import Prop, Vec


def painting_of(surfaces: Iterable[Surface]) -> Painting | None:
    """What surfaces are painted like; what has no colours is black. None where none of them has any."""
    listed = [s for s in surfaces if len(s.faces)]
    if all(s.colours is None for s in listed):
        return None
    colours = [np.zeros((len(s.vertices), 3)) if s.colours is None else s.colours for s in listed]
    return Painting(
        np.concatenate([s.vertices[s.faces] for s in listed]),
        np.clip(np.concatenate([c[s.faces] for s, c in zip(listed, colours, strict=True)]), 0.0, 1.0),
    )


def painted_prop(document: GltfDocument) -> Painting | None:
    """The vertex colours of all that a document draws, in the coordinates of the prop that it is. Raises FileError."""
    return painting_of(s for body in read_set(document).bodies.values() for s in body_surfaces(document, body))


def painted_in(found: GltfSet) -> Callable[[Prop], Painting | None]:
    """The same of the props of a set, by the first piece of each. What it returns raises FileError."""

    def painted(prop: Prop) -> Painting | None:
        piece = next((p for p in found.dressed.pieces.values() if p.prop.key == prop.key), None)
        if piece is None or piece.key not in found.bodies:
            return None
        placed = body_surfaces(found.document, found.bodies[piece.key])
        return painting_of(Surface(s.paint, piece.pose.local(s.vertices), s.faces, s.colours) for s in placed)

    return painted


def with_chalk(document: GltfDocument, weight: Callable[[Vec], Vec]) -> GltfDocument:
    """A copy of a prop's document in which every corner has its chalk as its colour: black where there is none, white where
    all of it. ``weight``: (n,) from 0 to 1 of points (n, 3) of the prop. Raises FileError.
    """
    made = GltfDocument.parse(document.to_glb())
    drawn: set[int] = set()
    for body in read_set(made).bodies.values():
        for part in body.parts:
            if part.instance:
                # All instances of a node are drawn by one mesh: it has the chalk of the first.
                continue
            entry = made.item("meshes", part.mesh, "a node")
            if part.mesh in drawn:
                # Drawn twice, it has other chalk at each place.
                entry = copy.deepcopy(entry)
                made.json["meshes"].append(entry)
                made.json["nodes"][part.node]["mesh"] = len(made.json["meshes"]) - 1
            drawn.add(part.mesh)
            for number in drawn_primitives(made, part.mesh):
                primitive = entry["primitives"][number]
                points = made.accessor(primitive["attributes"]["POSITION"], "a primitive").astype(np.float64)
                chalk = weight(points @ part.world[:3, :3].T + part.world[:3, 3])
                colours = np.repeat(chalk[:, None], 3, axis=1).astype("<f4")
                primitive["attributes"]["COLOR_0"] = made.append(colours, "VEC3")
    return made
