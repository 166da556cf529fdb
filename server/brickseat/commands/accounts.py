"""Accounts of the web application: made, listed, and given passwords and tokens from the command line of the server."""

import getpass
import sys
from typing import TYPE_CHECKING

from brickseat.commands.output import complain
from brickseat.exit_codes import DONE
from brickseat.serving import open_database
from brickseat_core.formats.errors import FileError

if TYPE_CHECKING:
    from django.contrib.auth.models import User


def asked_password() -> str:
    """A password typed twice on a terminal; the first line of standard input elsewhere. Raises FileError."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\r\n")
    first = getpass.getpass("password: ")
    if getpass.getpass("once more: ") != first:
        raise FileError("the two passwords differ; try again")
    return first


def run_add(name: str, keeps_store: bool) -> int:
    """A new account. ``keeps_store``: it may change the props of everybody. Raises FileError."""
    open_database()
    from django.contrib.auth.models import User
    from django.core.exceptions import ValidationError

    if User.objects.filter(username=name).exists():
        raise FileError(f"there is an account named {name!r} already; choose another name")
    user = User(username=name, is_staff=keeps_store)
    try:
        user.clean_fields(exclude=["password"])
    except ValidationError as problem:
        raise FileError(f"{name!r} is no name for an account: {problem.messages[0]}") from None
    give_password(user, asked_password())
    complain([f"made the account {name}"], False)
    return DONE


def run_password(name: str) -> int:
    """Another password; whoever is signed in with the old one is signed out. Raises FileError."""
    open_database()
    give_password(account(name), asked_password())
    complain([f"changed the password of {name}"], False)
    return DONE


def run_token(name: str) -> int:
    """A new token on standard output; the one before it is no longer good. Raises FileError."""
    open_database()
    from brickseat.accounts.models import AccessToken

    print(AccessToken.make(account(name)))
    complain([f"this is the only time that the token of {name} is shown; the one before it is no longer good"], False)
    return DONE


def run_list() -> int:
    """Every account on a line of its own: name, whether it may sign in, whether it keeps the store and has a token."""
    open_database()
    from django.contrib.auth.models import User

    for user in User.objects.select_related("access_token").order_by("username"):
        words = [user.get_username(), "active" if user.is_active else "closed"]
        words += ["keeps the store"] if user.is_staff else []
        words += ["token"] if hasattr(user, "access_token") else []
        print("\t".join(words))
    return DONE


def account(name: str) -> "User":
    """The account of that name. Raises FileError."""
    from django.contrib.auth.models import User

    found = User.objects.filter(username=name).first()
    if found is None:
        raise FileError(f"there is no account named {name!r}; see brickseat user list")
    return found


def give_password(user: "User", password: str) -> None:
    """Keep a password, if it is a good one. Raises FileError."""
    from django.contrib.auth.password_validation import validate_password
    from django.core.exceptions import ValidationError

    try:
        validate_password(password, user)
    except ValidationError as problem:
        raise FileError(f"that password is not good enough: {' '.join(problem.messages)}") from None
    user.set_password(password)
    user.save()
