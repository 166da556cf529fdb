"""The one way to change a set: a move is computed, stored with its history row, and told to every stage."""

import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.contrib.auth.models import User
from django.db import transaction

from brickseat.live.presence import presence
from brickseat.live.session import LiveSet, sessions
from brickseat.live.telling import Told, tell
from brickseat.sets.models import DressedSet, HistoryEntry, StandingPiece
from brickseat.sets.records import DeltaRecord, PieceRecord, piece_record, row_record
from brickseat.sets.requests import keys_of
from brickseat.sets.summary import summarise
from brickseat.store.models import StoredProp
from brickseat_core.fit.check import Fit
from brickseat_core.fit.repair import Left
from brickseat_core.placing.making import compute
from brickseat_core.placing.moves import Move, MoveRefused
from brickseat_core.scene import Change


def change_records(change: Change) -> list[DeltaRecord]:
    return [
        {
            "key": d.key,
            "before": piece_record(d.before) if d.before else None,
            "after": piece_record(d.after) if d.after else None,
        }
        for d in change.deltas
    ]


def store_deltas(dressed: DressedSet, deltas: list[DeltaRecord]) -> None:
    """Write the pieces after a change. Runs inside the caller's transaction."""
    wanted = {d["after"]["prop"] for d in deltas if d["after"]}
    props = {p.key: p for p in StoredProp.objects.filter(key__in=wanted)}
    for delta in deltas:
        after = delta["after"]
        if after is None:
            StandingPiece.objects.filter(dressed=dressed, key=delta["key"]).delete()
            continue
        StandingPiece.objects.update_or_create(
            dressed=dressed, key=delta["key"], defaults=columns(after, props[after["prop"]])
        )


def columns(record: PieceRecord, prop: StoredProp) -> dict[str, object]:
    return {
        "name": record["name"],
        "prop": prop,
        "role": record["role"],
        "pose": record["pose"],
        "direction": list(record["direction"]),
        "sink": record["sink"],
        "stand_off": record["stand_off"],
        "spiked": record["spiked"],
        "group": record.get("group", ""),
    }


def undo_words(dressed: DressedSet) -> tuple[str | None, str | None]:
    """What undo would take back and what redo would do again, in words."""
    last = dressed.history.filter(undone=False).order_by("-number").first()
    following = dressed.history.filter(undone=True).order_by("number").first()
    return (last.words if last else None, following.words if following else None)


def make_move(dressed_key: uuid.UUID, user: User, build: Callable[[LiveSet], Move], stage: str = "") -> Told:
    """Compute the move that ``build`` makes for the live set, and carry it out. Raises MoveRefused.

    The computing is done before the transaction begins; one set changes one move at a time. ``stage``: the open
    stage that asks; what another stage holds is refused.
    """
    live = sessions.of(DressedSet.objects.get(key=dressed_key))
    with live.lock:
        move = build(live)
        if holder := presence.holder(dressed_key, stage, keys_of(move)):
            raise MoveRefused(f"{holder} is moving that just now; wait until it is let go")
        outcome = compute(live.index, move, live.tolerance, live.fits)
        deltas = change_records(outcome.change)
        with in_step(dressed_key):
            dressed = unchanged(dressed_key, live)
            if deltas:
                dressed.history.filter(undone=True).delete()
                last = dressed.history.order_by("-number").first()
                HistoryEntry.objects.create(
                    dressed=dressed,
                    number=last.number + 1 if last else 1,
                    words=outcome.change.words[:300],
                    actor=user,
                    deltas=deltas,
                )
            return carry_out(dressed, live, deltas, outcome.change.words, outcome.left)


def undo(dressed_key: uuid.UUID, back: bool) -> Told:
    """Take back the last change, or do the next one again. Raises MoveRefused when there is none."""
    live = sessions.of(DressedSet.objects.get(key=dressed_key))
    with live.lock, in_step(dressed_key):
        dressed = unchanged(dressed_key, live)
        entry = dressed.history.filter(undone=not back).order_by("-number" if back else "number").first()
        if entry is None:
            raise MoveRefused("there is nothing to undo" if back else "there is nothing to do again")
        deltas: list[DeltaRecord] = entry.deltas
        if back:
            deltas = backwards(deltas)
        entry.undone = back
        entry.save(update_fields=["undone"])
        return carry_out(dressed, live, deltas, f"{'undid' if back else 'did again'}: {entry.words}", ())


def backwards(deltas: list[DeltaRecord]) -> list[DeltaRecord]:
    return [{"key": d["key"], "before": d["after"], "after": d["before"]} for d in reversed(deltas)]


def steps_to(dressed: DressedSet, number: int) -> tuple[list[HistoryEntry], list[HistoryEntry]]:
    """The entries to take back, and those to do again, in order, that lead to the set as it was after ``number``."""
    back = list(dressed.history.filter(undone=False, number__gt=number).order_by("-number"))
    again = list(dressed.history.filter(undone=True, number__lte=number).order_by("number"))
    return back, again


def pieces_at(dressed: DressedSet, number: int) -> list[PieceRecord]:
    """The pieces as they stood after step ``number`` of the history; 0 for the beginning."""
    back, again = steps_to(dressed, number)
    pieces = {row.key: row_record(row) for row in dressed.pieces.select_related("prop")}
    for deltas in [backwards(e.deltas) for e in back] + [e.deltas for e in again]:
        for delta in deltas:
            if delta["after"] is None:
                pieces.pop(delta["key"], None)
            else:
                pieces[delta["key"]] = delta["after"]
    return list(pieces.values())


def go_to(dressed_key: uuid.UUID, number: int) -> Told:
    """Undo or redo, all in one, until the set is as it was after step ``number``. Raises MoveRefused."""
    live = sessions.of(DressedSet.objects.get(key=dressed_key))
    with live.lock, in_step(dressed_key):
        dressed = unchanged(dressed_key, live)
        back, again = steps_to(dressed, number)
        if not back and not again:
            raise MoveRefused("the set is at that step already")
        merged: dict[str, DeltaRecord] = {}
        for deltas in [backwards(e.deltas) for e in back] + [e.deltas for e in again]:
            for delta in deltas:
                before = merged[delta["key"]]["before"] if delta["key"] in merged else delta["before"]
                merged[delta["key"]] = {"key": delta["key"], "before": before, "after": delta["after"]}
        HistoryEntry.objects.filter(pk__in=[e.pk for e in back]).update(undone=True)
        HistoryEntry.objects.filter(pk__in=[e.pk for e in again]).update(undone=False)
        words = f"went back {len(back)} steps" if back else f"did {len(again)} steps again"
        changed = [d for d in merged.values() if d["before"] != d["after"]]
        return carry_out(dressed, live, changed, words, (), stepped=True)


@contextmanager
def in_step(dressed_key: uuid.UUID) -> Iterator[None]:
    """One transaction; when it fails, the session in memory, which may be ahead by then, is dropped."""
    try:
        with transaction.atomic():
            yield
    except MoveRefused:
        raise
    except BaseException:
        sessions.drop(dressed_key)
        raise


def unchanged(dressed_key: uuid.UUID, live: LiveSet) -> DressedSet:
    """The stored set, still at the revision the session knows. Raises MoveRefused otherwise."""
    dressed = DressedSet.objects.select_for_update().get(key=dressed_key)
    if dressed.revision != live.revision:
        sessions.drop(dressed_key)
        raise MoveRefused("the set was changed by another server meanwhile; try once more")
    return dressed


def carry_out(
    dressed: DressedSet,
    live: LiveSet,
    deltas: list[DeltaRecord],
    words: str,
    left: tuple[Left, ...],
    stepped: bool = False,
) -> Told:
    """Store deltas, bring the session up to date and, once the transaction is safe, tell every stage.

    Runs inside a transaction, with the session's lock held. ``stepped``: the history moved even where no piece did.
    """
    fits: dict[str, Fit | None] = {}
    if deltas or stepped:
        store_deltas(dressed, deltas)
        dressed.revision += 1
        fits = live.take(deltas, dressed.revision)
        summarise(dressed, live.index, live.fits)
        dressed.save(update_fields=["revision", "counts", "plan", "changed"])
    back, again = undo_words(dressed)
    told = Told(dressed.revision, words, deltas, fits, left, back, again)
    if deltas or stepped:
        transaction.on_commit(lambda: tell(dressed.key, told))
    return told
