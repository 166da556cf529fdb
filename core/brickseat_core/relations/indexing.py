"""The index of a whole set: its pieces, the bodies that joins make of them, and the meshes that cut-outs make."""

from brickseat_core.contact.index import SceneIndex
from brickseat_core.relations.cutting import derived_meshes
from brickseat_core.scene import Change, Set, Vec, bodies_of


def index_of(dressed: Set) -> SceneIndex:
    """The index of a set."""
    return SceneIndex(dressed.pieces.values(), bodies=bodies_of(dressed.ties.values()), derived=derived_meshes(dressed))


def follow(index: SceneIndex, change: Change, after: Set) -> list[tuple[Vec, Vec]]:
    """Bring ``index`` up to a ``change`` that leads to the set ``after``; returns the boxes in which fits may be others now."""
    joins = any(d.kind == "tie" for d in change.deltas)
    bodies = bodies_of(after.ties.values()) if joins else None
    derived = derived_meshes(after) if after.cut_outs or index.derived else None
    return index.follow(change.pieces(), bodies, derived)
