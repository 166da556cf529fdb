"""Who may see what. To everybody else a thing does not exist (404)."""

import uuid
from typing import Any

from django.contrib.auth.models import User
from django.db.models import QuerySet
from django.http import HttpRequest
from ninja.errors import HttpError
from ninja.security import HttpBearer

from brickseat.accounts.models import AccessToken
from brickseat.api.errors import NOT_FOUND, Problem
from brickseat.sets import rights
from brickseat.sets.models import DressedSet
from brickseat.store.models import StoredProp

PROBLEMS: Any = dict.fromkeys((400, 401, 403, 404, 409, 412, 413, 422, 429, 500, 503, 507), Problem)
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
    return rights.visible_props(user_of(request).pk, dressed)


def visible_prop(request: HttpRequest, key: str) -> StoredProp:
    """A prop that the visitor may see, also one that only stands, or stood, on a set of theirs. Raises HttpError."""
    found = rights.visible_prop(user_of(request).pk, key)
    if found is None:
        raise HttpError(404, NOT_FOUND)
    return found


def own_prop(request: HttpRequest, key: str) -> StoredProp:
    """A prop that the visitor may change. Raises HttpError."""
    found = visible_prop(request, key)
    if not rights.may_change(user_of(request), found):
        whose = "everybody, and only who keeps the store changes it" if found.owner_id is None else "somebody else"
        raise HttpError(403, f"“{found.name}” belongs to {whose}; set down a prop of your own, or ask them")
    return found
