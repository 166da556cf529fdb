"""A prop was made anew: the sets it stands on are measured again, and stages that show it load it again."""

import uuid

from django.contrib.auth.models import User
from django.db import transaction

from brickseat.sets.changing import undo_words
from brickseat.sets.models import DressedSet, StoredRecord
from brickseat.sets.news import ChangeNews, broadcast_change, broadcast_prop
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.storing import write_elsewhere
from brickseat.sets.storing_fits import write_fits
from brickseat.sets.summary import summarise
from brickseat.store.models import StoredProp


def refresh_prop(prop: StoredProp, words: str, actor: User) -> None:
    """Bring every set and every session up to a prop that was made anew, and note it in their histories. ``words``: what was done."""
    sessions.forget_prop(prop.key)
    # The usual order would make every copy distinct.
    for key in StoredRecord.objects.filter(prop=prop).order_by().values_list("dressed", flat=True).distinct():
        refresh(key, words, actor.pk)
    broadcast_prop(prop.key)


def refresh(key: uuid.UUID, words: str, actor: int) -> None:
    """Drop the session, measure again, and move the revision on by two: a stage that misses one loads the whole set."""
    sessions.drop(key)
    measured = LiveSet.load(DressedSet.objects.get(key=key)).whole()
    with transaction.atomic():
        dressed = DressedSet.objects.select_for_update().get(key=key)
        if dressed.revision == measured.revision:
            write_fits(dressed, None, measured.dressed, measured.fits, {})
            summarise(dressed, measured.index, measured.fits)
        write_elsewhere(dressed, words, actor)
        dressed.revision += 2
        dressed.save(update_fields=["revision", "counts", "plan", "measured_by", "changed"])
        news = ChangeNews(key, dressed.revision, words, (), {}, measured, (), *undo_words(dressed))
        transaction.on_commit(lambda: broadcast_change(news))
    sessions.drop(key)
