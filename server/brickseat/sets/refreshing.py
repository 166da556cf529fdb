"""A prop was made anew: the sets it stands on are measured again, and their stages load them again."""

import uuid

from django.db import transaction

from brickseat.live.session import sessions
from brickseat.live.telling import Told, tell
from brickseat.sets.changing import undo_words
from brickseat.sets.models import DressedSet
from brickseat.sets.summary import summarise


def refresh(key: uuid.UUID) -> None:
    """Drop the session, measure again, and move the revision on by two: a stage that misses one loads the whole set."""
    sessions.drop(key)
    with transaction.atomic():
        dressed = DressedSet.objects.select_for_update().get(key=key)
        dressed.revision += 2
        live = sessions.of(dressed)
        summarise(dressed, live.index, live.fits)
        dressed.save(update_fields=["revision", "counts", "plan", "changed"])
        told = Told(dressed.revision, "a prop was made anew", [], {}, (), *undo_words(dressed))
        transaction.on_commit(lambda: tell(key, told))
