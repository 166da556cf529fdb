"""The one way to change a set: a move is computed, stored with its history row, and news to every stage."""

import hashlib
import uuid
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from brickseat.sets.models import DressedSet, HistoryDeltas, HistoryEntry
from brickseat.sets.news import ChangeNews, broadcast_change
from brickseat.sets.presence import presence
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.storing import write_deltas, write_history
from brickseat.sets.storing_fits import write_fits
from brickseat.sets.summary import summarise
from brickseat.sets.under_way import moves_under_way
from brickseat.store.facts import STORED
from brickseat.store.models import StoredProp
from brickseat.workers import workers
from brickseat_core.budget import Budget
from brickseat_core.fit.repair import Left
from brickseat_core.moves import MoveRefused, compute_move, keys_of
from brickseat_core.scene import Change, OutOfStep, Prop, Set, merged
from brickseat_core.scene.encoding import decode_change

MOVE_SECONDS = 120.0
"""How long a move may compute before it is given up."""


def fresh_key() -> str:
    """A key that no record has."""
    return uuid.uuid4().hex


def undo_words(dressed: DressedSet) -> tuple[str | None, str | None]:
    """What undo would take back and what redo would do again, in words."""
    words = dressed.history.filter(elsewhere=False).values_list("words", flat=True)
    last = words.filter(undone=False).order_by("-number").first()
    following = words.filter(undone=True).order_by("number").first()
    return last, following


class OutOfDate(MoveRefused):
    """The set is not at the revision that whoever asks has seen."""


class AskedOtherwise(MoveRefused):
    """Something else was asked for by that name before."""


@dataclass(frozen=True)
class Asking:
    """How a change is asked for. ``stage``: the open stage that asks; what another stage holds is refused. ``ask``: the name by which it
    hears how far the move is, and by which it may be stopped. ``once``: a name by which it is made only once, however often it is asked
    for. ``revision``: of the set as whoever asks has seen it."""

    stage: str = ""
    ask: str = ""
    once: str = ""
    revision: int | None = None


ANYHOW = Asking()


def make_move(
    dressed_key: uuid.UUID,
    user: User,
    build: Callable[[LiveSet], Any],
    find_prop: Callable[[LiveSet, str], Prop] = lambda live, key: live.prop(key),
    asking: Asking = ANYHOW,
) -> ChangeNews:
    """Compute the move that ``build`` makes for the live set, and carry it out. Raises MoveRefused.

    ``find_prop``: the prop of a key that the move names. One set changes one move at a time; nothing is computed while the database is
    being written.
    """
    live = sessions.of(DressedSet.objects.get(key=dressed_key))
    with moves_under_way.asked(dressed_key, asking.ask) as under_way, live.writing:
        move = build(live)
        asked = digest_of(move) if asking.once else ""
        made = made_before(live, user, asking.once, asked)
        if made is not None:
            return made
        refuse_stale(live, asking)
        refuse_held(dressed_key, asking.stage, keys_of(move))
        now, budget = live.snapshot, Budget(MOVE_SECONDS, under_way.on_progress, under_way.show, under_way.enough)
        outcome = compute_move(
            now.dressed,
            now.index,
            now.fits,
            move,
            lambda key: find_prop(live, key),
            fresh_key,
            budget,
            STORED,
            workers.cluster,
        )

        def store(dressed: DressedSet) -> None:
            write_history(dressed, outcome.change, user.pk, asking.once, asked)

        return carry_out(live, outcome.change, store, left=outcome.left)


def digest_of(move: Any) -> str:
    """What tells one move from another."""
    return hashlib.sha256(repr(move).encode()).hexdigest()[:32]


def made_before(live: LiveSet, user: User, once: str, asked: str) -> ChangeNews | None:
    """The change that a user asked for by a name before, and how that is now; None where there is none. Raises AskedOtherwise."""
    if not once:
        return None
    dressed = DressedSet.objects.get(key=live.key)
    entry = dressed.history.filter(actor=user, once=once).first()
    if entry is None:
        return None
    if entry.asked != asked:
        raise AskedOtherwise("something else was asked for by that name before; give every move a name of its own")
    change, now = change_of(live, entry), live.snapshot
    fits = {key: now.fits.get(key) for key in change.pieces()}
    return ChangeNews(live.key, dressed.revision, change.words, change.deltas, fits, now, (), *undo_words(dressed))


def refuse_stale(live: LiveSet, asking: Asking) -> None:
    """Raises OutOfDate where the set is at another revision than whoever asks has seen."""
    now = live.snapshot.revision
    if asking.revision is not None and asking.revision != now:
        raise OutOfDate(
            f"the set is at revision {now} by now, not {asking.revision}; look at it again, then ask once more"
        )


def refuse_held(dressed_key: uuid.UUID, stage: str, keys: Iterable[str]) -> None:
    """Raises MoveRefused when another stage than ``stage`` holds one of these pieces."""
    if holder := presence.holder(dressed_key, stage, keys):
        raise MoveRefused(f"{holder} is moving that just now; wait until it is let go")


def undo(dressed_key: uuid.UUID, back: bool, asking: Asking = ANYHOW) -> ChangeNews:
    """Take back the last change, or do the next one again. Raises MoveRefused when there is none, or when another stage
    holds what it would move."""
    dressed = DressedSet.objects.get(key=dressed_key)
    live = sessions.of(dressed)
    with live.writing:
        refuse_stale(live, asking)
        entry = (
            dressed.history.filter(undone=not back, elsewhere=False).order_by("-number" if back else "number").first()
        )
        if entry is None:
            raise MoveRefused("there is nothing to undo" if back else "there is nothing to do again")
        change = change_of(live, entry)
        refuse_held(dressed_key, asking.stage, change.pieces())

        def store(_: DressedSet) -> None:
            HistoryEntry.objects.filter(pk=entry.pk).update(undone=back)

        words = f"{'undid' if back else 'did again'}: {entry.words}"
        return carry_out(live, Change(words, (change.backwards() if back else change).deltas), store, stepped=True)


def change_of(live: LiveSet, entry: HistoryEntry) -> Change:
    """The change of a history entry. Raises MoveRefused where a prop it needs is gone for good."""
    try:
        return decode_change(entry.words, HistoryDeltas.objects.get(entry=entry).deltas, live.prop)
    except StoredProp.DoesNotExist:
        raise MoveRefused(f"“{entry.words}” needs a prop that is gone from the store") from None


def steps_to(dressed: DressedSet, number: int) -> tuple[list[HistoryEntry], list[HistoryEntry]]:
    """The entries to take back, and those to do again, in order, that lead to the set as it was after ``number``."""
    back = list(dressed.history.filter(undone=False, elsewhere=False, number__gt=number).order_by("-number"))
    again = list(dressed.history.filter(undone=True, number__lte=number).order_by("number"))
    return back, again


def change_to(live: LiveSet, back: list[HistoryEntry], again: list[HistoryEntry]) -> Change:
    """All steps back and on again as one change."""
    words = f"went back {len(back)} steps" if back else f"did {len(again)} steps again"
    return merged(words, [*(change_of(live, e).backwards() for e in back), *(change_of(live, e) for e in again)])


def set_at(dressed: DressedSet, number: int) -> Set:
    """The set as it was after step ``number`` of the history; 0 for the beginning."""
    live = sessions.of(dressed)
    return change_to(live, *steps_to(dressed, number)).on(live.snapshot.dressed)


def go_to(dressed_key: uuid.UUID, number: int, asking: Asking = ANYHOW) -> ChangeNews:
    """Undo or redo, all in one, until the set is as it was after step ``number``. Raises MoveRefused."""
    dressed = DressedSet.objects.get(key=dressed_key)
    live = sessions.of(dressed)
    with live.writing:
        refuse_stale(live, asking)
        back, again = steps_to(dressed, number)
        if not back and not again:
            raise MoveRefused("the set is at that step already")
        change = change_to(live, back, again)
        refuse_held(dressed_key, asking.stage, change.pieces())

        def store(_: DressedSet) -> None:
            HistoryEntry.objects.filter(pk__in=[e.pk for e in back]).update(undone=True)
            HistoryEntry.objects.filter(pk__in=[e.pk for e in again]).update(undone=False)

        return carry_out(live, change, store, stepped=True)


def carry_out(
    live: LiveSet,
    change: Change,
    store: Callable[[DressedSet], None],
    left: tuple[Left, ...] = (),
    stepped: bool = False,
) -> ChangeNews:
    """Store a change, bring the session up to it and, once the transaction is safe, send it to every stage.

    Runs with ``live.writing`` held. Everything is measured before the transaction begins, so that others wait for the
    database only while rows are written. ``store``: what else is written. ``stepped``: the history moves even where no
    record does. Raises MoveRefused where the stored set is not the one in memory.
    """
    if not change.deltas and not stepped:
        dressed = DressedSet.objects.get(key=live.key)
        return ChangeNews(live.key, dressed.revision, change.words, (), {}, live.snapshot, left, *undo_words(dressed))
    now = live.snapshot
    try:
        after, fits = now.after(change, now.revision + 1)
    except OutOfStep:
        sessions.drop(live.key)
        raise MoveRefused("the set is not as it was then; load the page again") from None
    try:
        with transaction.atomic():
            dressed = DressedSet.objects.select_for_update().get(key=live.key)
            if dressed.revision != now.revision:
                sessions.drop(live.key)
                raise MoveRefused("the set was changed by another server meanwhile; try once more")
            store(dressed)
            write_deltas(dressed, change.deltas)
            dressed.revision = after.revision
            write_fits(dressed, now.dressed, after.dressed, after.fits, fits)
            summarise(dressed, after.index, after.fits)
            dressed.save()
            news = ChangeNews(
                live.key, dressed.revision, change.words, change.deltas, fits, after, left, *undo_words(dressed)
            )
            transaction.on_commit(lambda: broadcast_change(news))
            live.snapshot = after
    except BaseException:
        live.snapshot = now
        raise
    return news
