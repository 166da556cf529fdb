"""What comes of a job: a change of the set that is proposed, and made when somebody adopts it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from typing import Any

Record = dict[str, Any]


@dataclass(frozen=True)
class Outcome:
    """One trial as JSON values: where everything came to lie, its figures, and what is still wrong. Lengths in metres, ``seconds`` that it took.

    ``score``: the smaller the better. ``named``: key and reason of what is not right. ``poses``: key and pose of each piece.
    ``boxes``: axis-aligned box of each of them by key, as x, y, z of its least and of its greatest corner. ``born``: pieces that are
    new, poured or shards; ``files``: models of props that are not in the store yet, by key; ``gone``: keys of what broke or makes
    room, and ``broke``: which of them each shard is of; ``whole``: name and reason of what would have broken, but cannot.
    ``recipe``: of a filling, the one that places it so, and ``words``: how much that is.
    """

    seed: int
    score: float
    seconds: float
    poses: list[Record]
    spread: float = 0.0
    height: float = 0.0
    named: list[Record] = field(default_factory=list)
    boxes: Mapping[str, list[float]] = field(default_factory=dict)
    born: list[Record] = field(default_factory=list)
    files: Mapping[str, str] = field(default_factory=dict)
    broke: Mapping[str, str] = field(default_factory=dict)
    gone: list[str] = field(default_factory=list)
    whole: list[Record] = field(default_factory=list)
    recipe: Record | None = None
    words: str = ""

    def record(self) -> Record:
        """As JSON values, from which ``Outcome(**record)`` makes it again."""
        return {each.name: getattr(self, each.name) for each in fields(self)}

    def told(self) -> Record:
        """The same without what a stage has no use for."""
        return {name: value for name, value in self.record().items() if name != "boxes"}
