"""How much a request may bring along, asked before it is read: little for most, more where files are sent, and nothing much from a stranger."""

import re
from collections.abc import Awaitable, Callable
from typing import Any

from channels.db import database_sync_to_async
from django.conf import settings
from django.http.cookie import parse_cookie

from brickseat.accounts.models import AccessToken
from brickseat.accounts.signed_in import user_of_session
from brickseat.api.access import LARGEST_UPLOAD

App = Callable[[dict[str, Any], Any, Any], Awaitable[None]]
LARGEST_TEXT = 4 << 20
"""Bytes of a body that is no file: a long move, a table of props, a picture of a set."""
LARGEST_OF_STRANGER = 16 << 10
LARGEST_FORM = LARGEST_UPLOAD + (1 << 20)
TAKES_FILES = re.compile(r"/api/(props|sets/open|sets/groups|bearers/terrain)")


class Admission:
    """Refuses a body that is too large: by its stated length before any of it is read, else as soon as more than that has come."""

    def __init__(self, inner: App) -> None:
        self.inner = inner

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http" or scope["method"] in ("GET", "HEAD", "OPTIONS"):
            await self.inner(scope, receive, send)
            return
        most = LARGEST_FORM if TAKES_FILES.fullmatch(scope["path"]) else LARGEST_TEXT
        stated = header(scope, b"content-length")
        # Whoever is signed in is looked up only where it matters.
        length = int(stated) if stated.isdigit() else None
        if (length is None or length > LARGEST_OF_STRANGER) and not await is_known(scope):
            most = LARGEST_OF_STRANGER
        if length is not None and length > most:
            await refuse(send, most)
            return
        counted = Counted(receive, send, most)
        await self.inner(scope, counted.receive, counted.send)


class Counted:
    """A request whose body is counted as it comes."""

    def __init__(self, receive: Any, send: Any, most: int) -> None:
        self._receive, self._send, self.most = receive, send, most
        self.come = 0
        self.refused = False
        self.answered = False

    async def receive(self) -> Any:
        message = await self._receive()
        if message["type"] != "http.request" or self.refused:
            return message
        self.come += len(message.get("body", b""))
        if self.come <= self.most:
            return message
        self.refused = True
        if not self.answered:
            await refuse(self._send, self.most)
        # What is behind takes it for a visitor who left, and keeps nothing.
        return {"type": "http.disconnect"}

    async def send(self, message: Any) -> None:
        self.answered = True
        if not self.refused:
            await self._send(message)


async def refuse(send: Any, most: int) -> None:
    """413 in the one shape of all errors."""
    size = f"{most >> 20} MB" if most >= 1 << 20 else f"{most >> 10} KB; sign in first"
    body = b'{"error": "that is larger than %s", "code": "too_large", "ties": []}' % size.encode()
    headers = [
        (b"content-type", b"application/json"),
        (b"content-length", b"%d" % len(body)),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": body})


def header(scope: dict[str, Any], name: bytes) -> str:
    """A header of a request; empty where it has none."""
    return next((value.decode("latin-1") for key, value in scope["headers"] if key == name), "")


@database_sync_to_async  # type: ignore[untyped-decorator]
def is_known(scope: dict[str, Any]) -> bool:
    """Whether whoever asks is signed in, or has a token. The views ask again: this only says how much is read."""
    kind, _, token = header(scope, b"authorization").partition(" ")
    if kind.lower() == "bearer":
        return AccessToken.user_of(token.strip()) is not None
    key = parse_cookie(header(scope, b"cookie")).get(settings.SESSION_COOKIE_NAME, "")
    return user_of_session(key) is not None
