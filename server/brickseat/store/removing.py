"""Files of props that were deleted: removed as soon as no other prop is made of them."""

import shutil
from functools import partial
from pathlib import Path

from django.conf import settings
from django.db import transaction
from django.db.models import Q

from brickseat.store.models import StoredProp, file_of


def remove_with(prop: StoredProp) -> None:
    """Remove the files of a prop once its deletion is safe in the database. What cannot be removed is logged, and stays."""
    transaction.on_commit(partial(remove_model, prop.digest), robust=True)
    if prop.original:
        transaction.on_commit(partial(remove_original, prop.original), robust=True)


def remove_model(digest: str) -> None:
    """Remove the model of this digest with its display copies and contact shapes, unless a prop is made of it. Raises OSError."""
    path = file_of(digest)
    own_original = str(path.relative_to(settings.DATA))
    made_of_it = list(path.parent.glob(f"{digest}-*"))
    # A transaction that may write: nobody shelves the same contents between the question and the removal.
    with transaction.atomic():
        if not StoredProp.objects.filter(Q(digest=digest) | Q(original=own_original)).exists():
            for each in (path, *made_of_it):
                each.unlink(missing_ok=True)


def remove_original(original: str) -> None:
    """Remove files as they were sent, unless a prop is made from them. ``original``: the model among them, below the data folder.

    Raises OSError.
    """
    path = Path(settings.DATA) / original
    if path.parent == file_of("").parent:
        remove_model(path.stem)
        return
    with transaction.atomic():
        if not StoredProp.objects.filter(original__startswith=f"{Path(original).parent}/").exists():
            shutil.rmtree(path.parent, ignore_errors=True)
