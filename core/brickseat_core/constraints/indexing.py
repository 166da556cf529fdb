"""The index of a whole set: its pieces, the bodies that joins make of them, and the meshes that cut-outs make."""

from collections.abc import Iterable

from brickseat_core.constraints.cutting import derived_meshes
from brickseat_core.contact.index import SceneIndex
from brickseat_core.scene import Change, Set, Tie, Vec, bodies_of


def index_of(dressed: Set) -> SceneIndex:
    """The index of a set."""
    ties = dressed.ties.values()
    return SceneIndex(dressed.pieces.values(), None, bodies_of(ties), derived_meshes(dressed), held_by(ties))


def held_by(ties: Iterable[Tie]) -> frozenset[str]:
    """Keys of the pieces that are stuck to what they cling to: those that follow its slope."""
    return frozenset(tie.piece for tie in ties if tie.tie == "cling" and tie.lean > 0.0)


def follow(index: SceneIndex, change: Change, after: Set) -> list[tuple[Vec, Vec]]:
    """Bring ``index`` up to a ``change`` that leads to the set ``after``; returns the boxes in which fits may be others now."""
    tied = any(d.kind == "tie" for d in change.deltas)
    bodies = bodies_of(after.ties.values()) if tied else None
    held = held_by(after.ties.values()) if tied else None
    derived = derived_meshes(after) if after.cut_outs or index.derived else None
    return index.follow(change.pieces(), bodies, derived, held)
