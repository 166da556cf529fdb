"""Keep-outs, and volumes that pieces have to stand in: asked of the true shape of each piece, not of its place alone."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brickseat_core.contact.contacts import ManyContacts
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import some_at_a_time
from brickseat_core.geometry.lazy import lazy
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.nearest import distances
from brickseat_core.geometry.rays import points_inside_kernel
from brickseat_core.scene import Piece, Pose, Prop, Vec

Map = Callable[..., Iterator[Any]]


@dataclass(frozen=True)
class Shape:
    """A mesh at a pose, of which is asked how far points are, or whether they lie inside."""

    mesh: Mesh
    pose: Pose

    @lazy
    def _in_world(self) -> Mesh:
        """As it stands there: distances to what is sized unevenly are not those in its own coordinates."""
        return Mesh(self.pose.apply(self.mesh.vertices), self.mesh.faces)

    def distances(self, points: Vec) -> Vec:
        """(n,) metres from points (n, 3) of the world to the surface; 0 inside of what is closed."""
        scale = np.abs(self.pose.scale)
        if self.pose.sheared or np.ptp(scale) > 1e-9 * scale.max():
            found = distances(self._in_world.tree, points)
        else:
            found = distances(self.mesh.tree, self.pose.local(points)) * float(scale[0])
        if self.mesh.health.closed:
            found[self.holds(points)] = 0.0
        return np.asarray(found)

    def holds(self, points: Vec) -> NDArray[np.bool_]:
        """(n,) whether points (n, 3) of the world lie inside."""
        return np.asarray(points_inside_kernel(self.mesh.tree, np.ascontiguousarray(self.pose.local(points))))


def index_of_volumes(shapes: list[Shape]) -> SceneIndex:
    """Volumes as solids of an index of their own, in the order of its rows, whichever way their faces look."""
    pieces = []
    for number, shape in enumerate(shapes):
        mesh = shape.mesh
        if mesh.health.inward:
            mesh = Mesh(mesh.vertices, mesh.faces[:, ::-1])
        pieces.append(Piece(f"{number}", f"{number}", Prop(f"{number}", f"{number}", mesh), shape.pose, "bearer"))
    return SceneIndex(pieces)


class Volumes:
    """What a recipe keeps its pieces out of, and what it keeps them in."""

    def __init__(self, keep_out: list[Shape], only_inside: list[Shape]) -> None:
        self._out = index_of_volumes(keep_out) if keep_out else None
        self._inside = index_of_volumes(only_inside) if only_inside else None

    def allow(self, pieces: list[Piece], each: Map) -> list[bool]:
        """Whether each of ``pieces``, where it stands, reaches into no keep-out and lies wholly in one of the other volumes."""
        allowed = [True] * len(pieces)
        if not pieces:
            return allowed
        plain = [piece.plain for piece in pieces]
        for index, inside in ((self._out, False), (self._inside, True)):
            if index is None:
                continue
            many = ManyContacts(index, plain)

            def looked(span: tuple[int, int], many: ManyContacts = many) -> Any:
                return many.of(*span, 0.0, (0.0, -1.0))

            found = [contacts for some in each(looked, some_at_a_time(index, plain)) for contacts in some]
            for number, contacts in enumerate(found):
                if inside:
                    held = set(contacts.containers) - set(contacts.initially_intersecting)
                    allowed[number] = allowed[number] and bool(held)
                else:
                    reaches = contacts.initially_intersecting or contacts.containers
                    allowed[number] = allowed[number] and not reaches
        return allowed
