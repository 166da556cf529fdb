"""A set as one immutable root, and the typed changes that lead from one set to the next."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, cast

from brickseat_core.scene.records import (
    KINDS,
    SETTINGS_KEY,
    CutOut,
    Kind,
    Piece,
    PropChange,
    Recipe,
    Record,
    Region,
    Settings,
    Tie,
)
from brickseat_core.tolerances import SEATED_TOLERANCE

FIELD_OF: dict[Kind, str] = {
    "piece": "pieces",
    "tie": "ties",
    "recipe": "recipes",
    "region": "regions",
    "cut_out": "cut_outs",
    "prop": "props",
}
"""Which field of a set holds the records of a kind, by key. Kind ``set`` is the field ``settings``."""


class OutOfStep(ValueError):
    """A set is not as a change expects it to be; says which record, and after which change."""


@dataclass(frozen=True)
class Set:
    """The place being dressed: records of every kind by key. It is never changed, only followed by another one."""

    settings: Settings
    pieces: Mapping[str, Piece] = field(default_factory=dict)
    ties: Mapping[str, Tie] = field(default_factory=dict)
    recipes: Mapping[str, Recipe] = field(default_factory=dict)
    regions: Mapping[str, Region] = field(default_factory=dict)
    cut_outs: Mapping[str, CutOut] = field(default_factory=dict)
    props: Mapping[str, PropChange] = field(default_factory=dict)

    @classmethod
    def of(
        cls,
        name: str,
        pieces: Iterable[Piece],
        tolerance: float = SEATED_TOLERANCE,
        regions: Iterable[Region] = (),
    ) -> "Set":
        """A set of pieces and regions. ``tolerance`` in metres."""
        return cls(Settings(name, tolerance), {p.key: p for p in pieces}, regions={r.key: r for r in regions})

    @property
    def name(self) -> str:
        """The set's own name."""
        return self.settings.name

    @property
    def tolerance(self) -> float:
        """Metres: within which a piece counts as touching."""
        return self.settings.tolerance

    def of_kind(self, kind: Kind) -> Mapping[str, Record]:
        """All records of one kind by key."""
        if kind == "set":
            return {SETTINGS_KEY: self.settings}
        return cast("Mapping[str, Record]", getattr(self, FIELD_OF[kind]))

    def deltas_from_nothing(self) -> "tuple[Delta, ...]":
        """Everything in this set as if it had just come, in an order in which nothing names what comes later."""
        return tuple(Delta(kind, key, None, record) for kind in KINDS for key, record in self.of_kind(kind).items())


@dataclass(frozen=True)
class Delta:
    """What one record was and what it became; None where it did not exist."""

    kind: Kind
    key: str
    before: Record | None
    after: Record | None

    def backwards(self) -> "Delta":
        """The delta that undoes this one."""
        return Delta(self.kind, self.key, self.after, self.before)


def piece_delta(before: Piece | None, after: Piece | None) -> Delta:
    """The delta of a piece, of which at least one of ``before`` and ``after`` is there."""
    known = after if after is not None else before
    assert known is not None
    return Delta("piece", known.key, before, after)


@dataclass(frozen=True)
class Change:
    """What a move does to a set: in words, and record by record."""

    words: str
    deltas: tuple[Delta, ...]

    def backwards(self) -> "Change":
        """The change that takes this one back; backwards twice is the same change again."""
        return Change(self.words, tuple(d.backwards() for d in reversed(self.deltas)))

    def on(self, dressed: Set) -> Set:
        """The set after this change. Raises OutOfStep when the set is not as the change expects."""
        fields: dict[str, Any] = {}
        for delta in self.deltas:
            if delta.kind == "set":
                held: Mapping[str, Record] = {SETTINGS_KEY: fields.get("settings", dressed.settings)}
            else:
                name = FIELD_OF[delta.kind]
                if name not in fields:
                    fields[name] = dict(dressed.of_kind(delta.kind))
                held = fields[name]
            if held.get(delta.key) != delta.before:
                raise OutOfStep(f"{delta.kind} {delta.key} is no longer as it was before “{self.words}”")
            if delta.kind == "set":
                if delta.key != SETTINGS_KEY or delta.after is None:
                    raise OutOfStep("a set always has its one record of settings")
                fields["settings"] = delta.after
            elif delta.after is None:
                del fields[name][delta.key]
            else:
                fields[name][delta.key] = delta.after
        return Set(**{**dressed.__dict__, **fields})

    def pieces(self) -> dict[str, Piece | None]:
        """What becomes of every piece that the change touches, by key; None: it goes."""
        return {d.key: cast("Piece | None", d.after) for d in self.deltas if d.kind == "piece"}


def merged(words: str, changes: Iterable[Change]) -> Change:
    """Several changes, one after the other, as one: a delta for each record that is not as it was in the end."""
    found: dict[tuple[Kind, str], Delta] = {}
    for change in changes:
        for delta in change.deltas:
            earlier = found.get((delta.kind, delta.key))
            before = earlier.before if earlier is not None else delta.before
            found[delta.kind, delta.key] = Delta(delta.kind, delta.key, before, delta.after)
    return Change(words, tuple(d for d in found.values() if d.before != d.after))
