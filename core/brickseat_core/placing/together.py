"""Several pieces moved as one body: a group, a set table, a stack of bowls keeps its arrangement.

Their true meshes are joined into one mesh for as long as the move is computed, so that everything a single piece can
do (slide over steps, stop at walls, rest on three contacts) a formation can do as exactly.
"""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop

LEAD = "together:"


@dataclass(frozen=True)
class Formation:
    """``body``: the one piece that stands for all of ``members``. It touches as the lowest member is meant to."""

    body: Piece
    members: tuple[Piece, ...]

    def after(self, body: Piece) -> list[Piece]:
        """The members where they are when the body has come to ``body``."""
        if body.pose.basis == self.body.pose.basis:
            by = body.pose.origin - self.body.pose.origin
            return [m.at(m.pose.moved(by)) for m in self.members]
        turn = body.pose.matrix @ np.linalg.inv(self.body.pose.matrix)
        return [m.at(Pose.from_matrix(turn @ m.pose.matrix)) for m in self.members]


def formation(pieces: list[Piece]) -> Formation:
    """All of ``pieces`` as one body, its origin at the lowest one's."""
    direction = np.asarray(pieces[0].direction)

    def reach(piece: Piece) -> tuple[float, str]:
        lo, hi = piece.world_box()
        return float(0.5 * (lo + hi) @ direction + np.abs(direction) @ (0.5 * (hi - lo))), piece.key

    lead = max(pieces, key=reach)
    vertices, faces, count = [], [], 0
    for piece in pieces:
        mesh = piece.prop.mesh
        vertices.append(piece.pose.apply(mesh.vertices) - lead.pose.origin)
        mirrored = np.linalg.det(piece.pose.linear) < 0.0
        faces.append((mesh.faces[:, ::-1] if mirrored else mesh.faces) + count)
        count += len(mesh.vertices)
    mesh = Mesh(np.concatenate(vertices), np.concatenate(faces).astype(np.int32))
    prop = Prop(LEAD + lead.prop.key, f"{len(pieces)} pieces", mesh)
    pose = Pose(lead.pose.position)
    body = Piece(
        LEAD + lead.key, prop.name, prop, pose, "prop", lead.direction, sink=lead.sink, stand_off=lead.stand_off
    )
    return Formation(body, tuple(pieces))


@contextmanager
def lifted_out(index: SceneIndex, formed: Formation) -> Iterator[None]:
    """The index without the members, and with room for the body's mesh; as it was, afterwards."""
    rows = [(m, index.placed.sense[index.row[m.key]]) for m in formed.members]
    for member, _ in rows:
        index.remove(member.key)
    try:
        with index.visiting(formed.body.prop.mesh):
            yield
    finally:
        # In reverse, so that each comes back into its own row; and with the sense that was judged.
        for member, sense in reversed(rows):
            index.placed.sense[index.put(member)] = sense


def moved_together(index: SceneIndex, pieces: list[Piece], run: Callable[[Piece], Piece | None]) -> list[Piece] | None:
    """``pieces`` after ``run`` has moved them as one body among all others; None when it gives up."""
    formed = formation(pieces)
    with lifted_out(index, formed):
        body = run(formed.body)
    return None if body is None else formed.after(body)
