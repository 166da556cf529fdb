"""Keep-outs, and volumes that pieces have to stand in: asked of the true shape of each piece, not of its place alone."""

from collections.abc import Callable, Iterator
from typing import Any

from brickseat_core.contact.contact_query import ManyContacts
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import some_at_a_time
from brickseat_core.many.weights import Shape
from brickseat_core.meshes.mesh import Mesh
from brickseat_core.scene import Piece, Prop

Map = Callable[..., Iterator[Any]]


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
