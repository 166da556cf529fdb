"""Who may see and change what. Pages, API and sockets all ask here; to everybody else a thing does not exist."""

from collections.abc import Sequence

from django.contrib.auth.models import AbstractBaseUser, User
from django.db.models import F, Q, QuerySet
from django.utils import timezone

from brickseat.sets.models import DressedSet
from brickseat.store.models import StoredProp


def visible_props(user: int, dressed: DressedSet | None = None) -> "QuerySet[StoredProp]":
    """Everybody's props and the user's own; on a shared set, also its owner's."""
    owners = Q(owner=None) | Q(owner_id=user)
    owners = owners | Q(owner_id=dressed.owner_id) if dressed else owners
    return StoredProp.objects.filter(owners, retired=False).filter(Q(due=None) | Q(due__lte=timezone.now()))


def visible_prop(user: int, key: str) -> StoredProp | None:
    """A prop that a user may see, also one that only stands, or stood, on a set of theirs."""
    found = visible_props(user).filter(key=key).first()
    # On a shared set everybody sees what its owner and its other dressers have put there.
    if found is None:
        sets = DressedSet.open_to(user)
        theirs = Q(records__dressed__owner=F("owner")) | Q(records__dressed__dressers=F("owner"))
        found = StoredProp.objects.filter(theirs, key=key, records__dressed__in=sets).first()
        # What was taken away can come back by an undo, and is shown while an earlier step is looked at.
        found = found or StoredProp.objects.filter(key=key, named_in_history__change__entry__dressed__in=sets).first()
    return found


def visible_among(user: int, dressed: DressedSet, keys: Sequence[str]) -> "QuerySet[StoredProp]":
    """The props of these keys that a user may see on a set open to them: what may be set down there, stands there or did."""
    here = visible_props(user, dressed).filter(key__in=keys)
    stood = Q(records__dressed=dressed) | Q(named_in_history__change__entry__dressed=dressed)
    others = StoredProp.objects.filter(stood, key__in=keys)
    return StoredProp.objects.filter(Q(pk__in=here.values("pk")) | Q(pk__in=others.values("pk")))


def may_use(user: int, dressed: DressedSet, key: str) -> bool:
    """Whether a user may bring a prop onto a set that is open to them, or ask where it would stand there."""
    return visible_props(user, dressed).filter(key=key).exists() or visible_prop(user, key) is not None


def may_change(user: AbstractBaseUser, prop: StoredProp) -> bool:
    """Whether a user may change a prop: their own; and everybody's, if they keep the store."""
    keeps_store = isinstance(user, User) and user.is_staff
    return prop.owner_id == user.pk or (prop.owner_id is None and keeps_store)
