"""What the names of a recipe stand for on a set."""

from collections.abc import Callable
from dataclasses import dataclass

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.painting import Painting
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.recipes.volumes import Shape
from brickseat_core.scene import Prop, Set

Painted = Callable[[Prop], Painting | None]


def unpainted(prop: Prop) -> None:
    """Of props of which no more is known than their meshes."""


@dataclass
class Places:
    """What the names of a recipe stand for on a set. ``index``: in which its pieces stand. ``without``: keys of pieces there
    that are laid anew, and count for nothing. ``painted``: the vertex colours of a prop, None where it has none.
    ``budget``: asked while distances to many things are measured."""

    dressed: Set
    index: SceneIndex
    without: frozenset[str] = frozenset()
    painted: Painted = unpainted
    budget: Budget = UNLIMITED

    def shape(self, name: str, where: str) -> Shape:
        """The region or piece of that key. Raises BadRecipe, saying where it is named."""
        region = self.dressed.regions.get(name)
        if region is not None:
            return Shape(region.prop.mesh, region.pose)
        piece = self.index.pieces.get(name)
        if piece is None:
            raise BadRecipe(f"{where}: there is no piece and no region {name!r} on the set; choose another one")
        return Shape(self.index.mesh_of(piece), piece.pose)

    def volume(self, name: str, where: str) -> Shape:
        """As ``shape``, of a closed one. Raises BadRecipe."""
        found = self.shape(name, where)
        if not found.mesh.health.closed:
            raise BadRecipe(f"{where}: {name} is not closed, so that nothing is inside of it; close its mesh")
        return found

    def copies(self, prop: str) -> list[Shape]:
        """All pieces of a prop."""
        return [
            Shape(self.index.mesh_of(p), p.pose)
            for p in self.index.pieces.values()
            if p.prop.key == prop and p.key not in self.without
        ]
