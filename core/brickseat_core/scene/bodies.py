"""Bodies: the pieces that joins keep together, and that move as one."""

from collections.abc import Iterable, Mapping

from brickseat_core.scene.records import Tie

Bodies = Mapping[str, tuple[str, ...]]
"""For the key of every joined piece, the sorted keys of all that it is joined to, itself among them."""


def bodies_of(ties: Iterable[Tie]) -> dict[str, tuple[str, ...]]:
    """The bodies that the joins among ``ties`` make."""
    return connected((tie.piece, tie.to) for tie in ties if tie.tie == "join")


def connected(pairs: Iterable[tuple[str, str]]) -> dict[str, tuple[str, ...]]:
    """For every key that is in ``pairs``, the sorted keys that these connect it to, itself among them (union-find: Tarjan, 1975)."""
    parent: dict[str, str] = {}

    def root(key: str) -> str:
        parent.setdefault(key, key)
        while parent[key] != key:
            parent[key] = parent[parent[key]]
            key = parent[key]
        return key

    for one, other in pairs:
        a, b = root(one), root(other)
        parent[max(a, b)] = min(a, b)
    members: dict[str, list[str]] = {}
    for key in parent:
        members.setdefault(root(key), []).append(key)
    return {key: body for found in members.values() if (body := tuple(sorted(found))) for key in body}
