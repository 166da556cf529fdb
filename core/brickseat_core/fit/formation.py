"""Several pieces moved as one body: a group, a set table, a stack of bowls keeps its arrangement.

Their true meshes are joined into one mesh for as long as the move is computed, so that everything a single piece can
do (slide over steps, stop at walls, rest on three contacts) a formation can do as exactly.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop, Triple

FORMATION = "formation:"
"""What the keys of bodies begin with that stand for several pieces."""


@dataclass(frozen=True)
class Formation:
    """``body``: the one piece that stands for all of ``members``. It touches as the lowest member is meant to."""

    body: Piece
    members: tuple[Piece, ...]

    def after(self, body: Piece) -> list[Piece]:
        """The members where they are when the body has come to ``body``."""
        if body.pose.basis == self.body.pose.basis:
            offset = body.pose.origin - self.body.pose.origin
            return [m.at(m.pose.moved(offset)) for m in self.members]
        turn = body.pose.matrix @ np.linalg.inv(self.body.pose.matrix)
        return [m.at(Pose.from_matrix(turn @ m.pose.matrix)) for m in self.members]


def formation(index: SceneIndex, pieces: list[Piece], toward: Triple | None = None) -> Formation:
    """All of ``pieces``, at least one, as one body, its origin at the one that is foremost in its direction.

    ``toward``: unit direction in which the body is seated, that of the first piece by default.
    """
    seated = pieces[0].direction if toward is None else toward
    direction = np.asarray(seated)

    def foremost(piece: Piece) -> tuple[float, str]:
        lo, hi = index.box_of(piece)
        return float(0.5 * (lo + hi) @ direction + np.abs(direction) @ (0.5 * (hi - lo))), piece.key

    lead = max(pieces, key=foremost)
    vertices, faces, count = [], [], 0
    for piece in pieces:
        mesh = index.mesh_of(piece)
        vertices.append(piece.pose.apply(mesh.vertices) - lead.pose.origin)
        mirrored = np.linalg.det(piece.pose.linear) < 0.0
        faces.append((mesh.faces[:, ::-1] if mirrored else mesh.faces) + count)
        count += len(mesh.vertices)
    mesh = Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32))
    prop = Prop(FORMATION + lead.prop.key, f"{len(pieces)} pieces", mesh)
    pose = Pose(lead.pose.position)
    sink, stand_off = (lead.sink, lead.stand_off) if lead.direction == seated else (0.0, 0.0)
    body = Piece(FORMATION + lead.key, prop.name, prop, pose, "prop", seated, sink=sink, stand_off=stand_off)
    return Formation(body, tuple(pieces))


def moved_together(
    index: SceneIndex, pieces: list[Piece], move: Callable[[SceneIndex, Piece], Piece | None]
) -> list[Piece] | None:
    """``pieces`` after ``move`` has moved them as one body among all others; None when it gives up.

    ``move`` is given an index without the pieces, and their body. ``index`` stays as it is.
    """
    formed = formation(index, pieces)
    others = index.fork()
    for piece in pieces:
        others.remove(piece.key)
    body = move(others, formed.body)
    return None if body is None else formed.after(body)
