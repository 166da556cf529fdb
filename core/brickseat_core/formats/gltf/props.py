"""The props of a glTF document: what its bodies draw, each shared by all that draw the same."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.bodies import Body, Placement
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.instances import is_instanced
from brickseat_core.formats.gltf.meshes import MeshCache, drawn_primitives, mesh_name, read_mesh
from brickseat_core.formats.gltf.nodes import inverse_of, our_extras
from brickseat_core.formats.gltf.skin import skinned
from brickseat_core.geometry.mesh import Mesh, MeshError
from brickseat_core.scene import Pose, Prop, Seat, Vec, carried, named_apart
from brickseat_core.scene.encoding import BadRecord, decode_seats

SAME_PLACE = 12
"""Decimals of a metre to which two bodies have their parts in the same places: they are copies of one prop then."""


class Props:
    """The props read so far. ``worlds``: (4, 4) matrices of the nodes."""

    def __init__(self, document: GltfDocument, worlds: Mapping[int, Vec]) -> None:
        self._document, self._worlds = document, worlds
        self._made: dict[tuple[Any, ...], Prop] = {}
        self._triangles: MeshCache = {}

    def of(self, body: Body) -> Prop:
        """The prop that a body draws. Raises FileError."""
        where = f"nodes[{body.lead.node}] “{body.name}”"
        inverse = inverse_of(body.lead.world, where)
        placed = [(part, self._from_part(body, part, inverse)) for part in body.parts]
        seats = self._seats_of(body, inverse)
        # A skinned mesh is as its own joints bend it: it is shared with no other node.
        alike = (
            seats,
            *(
                (p.mesh, p.weights, p.node if p.skinned else None, tuple(np.round(m, SAME_PLACE).ravel()))
                for p, m in placed
            ),
        )
        if alike not in self._made:
            try:
                mesh = self._joined(placed)
            except MeshError as error:
                raise FileError(f"{where}: {error}; mend the model and export it again") from None
            own_name = mesh_name(self._document, body.parts[0].mesh) if len(body.parts) == 1 else None
            self._made[alike] = Prop(f"p{len(self._made)}", own_name or body.name, mesh, seats)
        return self._made[alike]

    def _from_part(self, body: Body, part: Placement, inverse: Vec) -> Vec:
        """(4, 4) from what a part draws into the coordinates of its body's lead. The identity where they are the same."""
        if part.skinned:
            return inverse
        return np.eye(4) if part.world is body.lead.world else inverse @ part.world

    def _joined(self, placed: list[tuple[Placement, Vec]]) -> Mesh:
        """One mesh of all parts, in the coordinates of the lead. Raises FileError and MeshError."""
        vertices, faces, base = [], [], 0
        for part, matrix in placed:
            v, f = read_mesh(self._document, part.mesh, self._triangles, part.weights)
            if part.skinned:
                v = skinned(self._document, part.node, v, drawn_primitives(self._document, part.mesh), self._worlds)
            vertices.append(v if np.array_equal(matrix, np.eye(4)) else v @ matrix[:3, :3].T + matrix[:3, 3])
            faces.append((f[:, ::-1] if np.linalg.det(matrix[:3, :3]) < 0 else f) + base)
            base += len(v)
        return Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32))

    def _seats_of(self, body: Body, inverse: Vec) -> tuple[Seat, ...]:
        """The seats that the nodes of a body carry, in the coordinates of its lead. Raises FileError.

        ``inverse``: (4, 4) from the world into those.
        """
        found: list[Seat] = []
        nodes = self._document.items("nodes")
        for node in dict.fromkeys([body.lead.node, *(p.node for p in body.parts)]):
            listed = our_extras(nodes[node]).get("seats")
            if listed is None:
                continue
            try:
                seats = decode_seats(listed)
            except BadRecord as problem:
                raise FileError(f"nodes[{node}].extras.brickseat.seats: {problem}; correct its extras") from None
            own = node == body.lead.node or is_instanced(nodes[node])
            local = Pose((0.0, 0.0, 0.0)) if own else Pose.from_matrix(inverse @ self._worlds[node])
            found += [carried(seat, local) for seat in seats]
        return named_apart(found)
