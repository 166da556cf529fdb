"""How much one dresser may keep in the store, what of it the store does not show, and how that is freed."""

from typing import Any, NamedTuple

from django.contrib.auth.models import User
from django.db.models import Count, Sum

from brickseat.store.models import StoredProp, unnamed_props
from brickseat_core.formats.errors import FileError

MOST_PROPS = 5_000
MOST_BYTES = 20 << 30


class Used(NamedTuple):
    """``size`` in bytes."""

    props: int
    size: int


def used_by(owner: User) -> Used:
    """What a dresser keeps in the store."""
    kept = StoredProp.objects.filter(owner=owner).aggregate(props=Count("pk"), size=Sum("size"))
    return Used(kept["props"], kept["size"] or 0)


def refuse_beyond_quota(owner: User, more: int = 1) -> None:
    """Raises FileError where a dresser would keep more than that with so many ``more`` props."""
    used = used_by(owner)
    if used.props + more > MOST_PROPS:
        raise FileError(f"you would keep more than {MOST_PROPS} props in the store; free some of its space")
    if used.size > MOST_BYTES:
        raise FileError(f"you keep more than {MOST_BYTES >> 30} GB in the store; free some of its space")


def unlisted_of(owner: User) -> list[dict[str, Any]]:
    """What a dresser keeps and the store does not show: shards, poses, built bearers, what was deleted and can come back by an undo.

    As JSON values: ``of``: the name of what it came of; ``standing``: its copies on sets; ``undoable``: whether a history names it.
    """
    standing, changes = Count("records", distinct=True), Count("named_in_history", distinct=True)
    found = StoredProp.objects.filter(owner=owner, listed=False).order_by("name", "pk")
    rows = found.values("key", "name", "size", "came_of__name", "posed_from__name", standing=standing, changes=changes)
    return [
        {
            **{name: row[name] for name in ("key", "name", "size", "standing")},
            "of": row["came_of__name"] or row["posed_from__name"],
            "undoable": row["changes"] > 0,
        }
        for row in rows
    ]


def free_unused_of(owner: User) -> int:
    """Delete those that stand nowhere and that no history names; how many. One that was just made for a change is left."""
    _, of_kind = unnamed_props().filter(owner=owner, listed=False).delete()
    return of_kind.get(StoredProp._meta.label, 0)
