"""A set between the database and the core: one reader, and one writer that takes a few statements however much changed."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice
from typing import TypeVar

from brickseat.sets.models import DressedSet, HistoryDeltas, HistoryEntry, HistoryProp, StoredRecord
from brickseat.store.models import StoredProp, unnamed_props
from brickseat.store.shelving import prop_of
from brickseat_core.scene import KINDS, Change, Delta, Kind, Prop, Record, Set, Settings
from brickseat_core.scene.changes import FIELD_OF
from brickseat_core.scene.encoding import decode, encode, encode_change, one_of, props_named

T = TypeVar("T")
BATCH = 500
"""Rows a statement: SQLite takes a bounded number of parameters."""


def settings_of(dressed: DressedSet) -> Settings:
    """The settings of a stored set."""
    return Settings(dressed.name, dressed.tolerance, tuple(dressed.trolley))


def read_set(dressed: DressedSet) -> tuple[Set, dict[str, Prop]]:
    """The stored set as the core knows it, and the props it is made of by key."""
    rows = list(dressed.records.values_list("kind", "key", "data", "prop_id"))
    stored = {p.pk: p for p in StoredProp.objects.filter(pk__in={prop for *_, prop in rows if prop is not None})}
    props = {p.key: prop_of(p) for p in stored.values()}
    fields: dict[str, dict[str, Record]] = {field: {} for field in FIELD_OF.values()}
    for name, key, data, _ in rows:
        kind = one_of(name, KINDS, "kind")
        fields[FIELD_OF[kind]][key] = decode(kind, data, props.__getitem__)
    return Set(settings_of(dressed), **fields), props  # type: ignore[arg-type]


def batches(items: Iterable[T]) -> Iterator[list[T]]:
    """``items`` in lists of at most ``BATCH``."""
    iterator = iter(items)
    while batch := list(islice(iterator, BATCH)):
        yield batch


def write_deltas(dressed: DressedSet, deltas: Sequence[Delta]) -> None:
    """Bring the stored records up to ``deltas``. Runs inside the caller's transaction; the caller saves ``dressed``."""
    gone: dict[Kind, list[str]] = {}
    written: list[tuple[Kind, str, Record]] = []
    for delta in deltas:
        if delta.after is None:
            gone.setdefault(delta.kind, []).append(delta.key)
        elif isinstance(delta.after, Settings):
            dressed.name, dressed.tolerance = delta.after.name[:200], delta.after.tolerance
            dressed.trolley = list(delta.after.trolley)
        else:
            written.append((delta.kind, delta.key, delta.after))
    for kind, keys in gone.items():
        for some in batches(keys):
            StoredRecord.objects.filter(dressed=dressed, kind=kind, key__in=some).delete()
    encoded = [(kind, key, encode(record)) for kind, key, record in written]
    ids = prop_ids(name for *_, data in encoded for name in props_named(data))
    StoredRecord.objects.bulk_create(
        (
            StoredRecord(
                dressed=dressed,
                kind=kind,
                key=key,
                data=data,
                prop_id=next((ids[name] for name in props_named(data)), None),
            )
            for kind, key, data in encoded
        ),
        batch_size=BATCH,
        update_conflicts=True,
        unique_fields=["dressed", "kind", "key"],
        update_fields=["data", "prop"],
    )


def prop_ids(keys: Iterable[str]) -> dict[str, int]:
    """Primary keys of stored props by key."""
    return {key: pk for some in batches(set(keys)) for key, pk in stored_props(some)}


def stored_props(keys: list[str]) -> Iterable[tuple[str, int]]:
    return StoredProp.objects.filter(key__in=keys).values_list("key", "pk")


def drop_unnamed_props() -> None:
    """Delete retired props that no set and no history names any more."""
    unnamed_props().filter(retired=True).delete()


def next_number(dressed: DressedSet) -> int:
    """Of the next entry of its history."""
    last = dressed.history.order_by("-number").values_list("number", flat=True).first()
    return (last or 0) + 1


def write_elsewhere(dressed: DressedSet, words: str, actor: int) -> None:
    """Something that happened to a prop of the set, as an entry of its history. Runs inside the caller's transaction."""
    HistoryEntry.objects.create(
        dressed=dressed, number=next_number(dressed), words=words[:300], actor_id=actor, elsewhere=True
    )


def write_history(dressed: DressedSet, change: Change, actor: int, once: str = "", asked: str = "") -> HistoryEntry:
    """One more entry; what was undone before can no longer be done again. Runs inside the caller's transaction.

    ``once``, ``asked``: as in HistoryEntry.
    """
    forgotten, _ = dressed.history.filter(undone=True).delete()
    entry = HistoryEntry.objects.create(
        dressed=dressed,
        number=next_number(dressed),
        words=change.words[:300],
        actor_id=actor,
        once=once,
        asked=asked,
    )
    deltas = encode_change(change)
    stored = HistoryDeltas.objects.create(entry=entry, deltas=deltas)
    named = {name for d in deltas for side in ("before", "after") if d[side] for name in props_named(d[side])}
    HistoryProp.objects.bulk_create(
        (HistoryProp(change=stored, prop_id=pk) for pk in prop_ids(named).values()), batch_size=BATCH
    )
    # Last of all: what only an undone step named may be named by this one.
    if forgotten:
        drop_unnamed_props()
    return entry
