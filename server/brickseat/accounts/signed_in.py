"""Whose session it is, asked of the database: for what is not a request that Django has seen to already."""

from importlib import import_module

from django.conf import settings
from django.contrib.auth import HASH_SESSION_KEY, SESSION_KEY
from django.contrib.auth.models import User
from django.utils.crypto import constant_time_compare


def user_of_session(key: str) -> User | None:
    """The user who signed in with a session; None where it ended or ran out, the account is closed, or its password is another one."""
    if not key:
        return None
    kept = import_module(settings.SESSION_ENGINE).SessionStore(key)
    number = kept.get(SESSION_KEY)
    user = User.objects.filter(pk=number, is_active=True).first() if number is not None else None
    if user is None or not constant_time_compare(kept.get(HASH_SESSION_KEY, ""), user.get_session_auth_hash()):
        return None
    return user
