"""Who may see what. To everybody else a thing does not exist (404)."""

import uuid
from typing import Any

from django.contrib.auth.models import User
from django.db.models import F, Q, QuerySet
from django.http import HttpRequest
from django.utils import timezone
from ninja.errors import HttpError
from ninja.security import HttpBearer

from brickseat.accounts.models import AccessToken
from brickseat.api.errors import NOT_FOUND, Problem
from brickseat.sets.models import DressedSet
from brickseat.store.models import StoredProp

PROBLEMS: Any = {400: Problem, 401: Problem, 403: Problem, 404: Problem, 409: Problem, 422: Problem, 429: Problem}
LARGEST_UPLOAD = 200 * 1024 * 1024


class BearerToken(HttpBearer):
    """Authorization: Bearer TOKEN, for pipelines: no cookie, so that there is nothing to forge."""

    def authenticate(self, request: HttpRequest, token: str) -> User | None:
        """Whose token it is."""
        user = AccessToken.user_of(token)
        if user is not None:
            request.user = user
        return user


def user_of(request: HttpRequest) -> User:
    """The visitor, whom the API has seen to be signed in."""
    user = request.user
    assert user.is_authenticated  # the API's auth has seen to it
    return user


def open_set_of(request: HttpRequest, key: uuid.UUID) -> DressedSet:
    """A set that the visitor may dress. Raises HttpError."""
    found = DressedSet.open_to(user_of(request).pk).filter(key=key).first()
    if found is None:
        raise HttpError(404, NOT_FOUND)
    return found


def own_set(request: HttpRequest, key: uuid.UUID) -> DressedSet:
    """A set that belongs to the visitor. Raises HttpError."""
    found = open_set_of(request, key)
    if found.owner_id != user_of(request).pk:
        raise HttpError(403, f"“{found.name}” belongs to somebody else; only its owner can do that")
    return found


def visible_props(request: HttpRequest, dressed: DressedSet | None = None) -> "QuerySet[StoredProp]":
    """Everybody's props and the visitor's own; on a shared set, also its owner's."""
    owners = Q(owner=None) | Q(owner_id=user_of(request).pk)
    owners = owners | Q(owner_id=dressed.owner_id) if dressed else owners
    return StoredProp.objects.filter(owners, retired=False).filter(Q(due=None) | Q(due__lte=timezone.now()))


def visible_prop(request: HttpRequest, key: str) -> StoredProp:
    """A prop that the visitor may see, also one that only stands, or stood, on a set of theirs. Raises HttpError."""
    found = visible_props(request).filter(key=key).first()
    # On a shared set everybody sees what its owner and its other dressers have put there.
    if found is None:
        sets = DressedSet.open_to(user_of(request).pk)
        theirs = Q(records__dressed__owner=F("owner")) | Q(records__dressed__dressers=F("owner"))
        found = StoredProp.objects.filter(theirs, key=key, records__dressed__in=sets).first()
        # What was taken away can come back by an undo, and is shown while an earlier step is looked at.
        found = found or StoredProp.objects.filter(key=key, named_in_history__change__entry__dressed__in=sets).first()
    if found is None:
        raise HttpError(404, NOT_FOUND)
    return found


def own_prop(request: HttpRequest, key: str) -> StoredProp:
    """A prop that the visitor may change: their own, and in the demo everybody's. Raises HttpError."""
    found = visible_prop(request, key)
    if found.owner_id not in (None, user_of(request).pk):
        raise HttpError(403, f"“{found.name}” belongs to somebody else; copy it to your own store first")
    return found
