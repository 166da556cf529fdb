"""Only hosts that this server is meant to have are answered: pages, API and WebSockets alike, before anything else is asked.

A foreign name that is made to resolve to this machine would otherwise be let in by a visitor's own browser (DNS rebinding).
"""

from collections.abc import Awaitable, Callable
from typing import Any

from channels.security.websocket import WebsocketDenier
from django.conf import settings
from django.http.request import split_domain_port, validate_host

App = Callable[[dict[str, Any], Any, Any], Awaitable[None]]
REFUSED = b"this server does not answer to that host name; see BRICKSEAT_HOSTS\n"


class KnownHosts:
    """Refuses what is asked of a host that is not among the allowed ones."""

    def __init__(self, inner: App) -> None:
        self.inner = inner

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        named = [value.decode("latin-1") for name, value in scope.get("headers", []) if name == b"host"]
        if scope["type"] == "lifespan" or (len(named) == 1 and is_known(named[0])):
            await self.inner(scope, receive, send)
        elif scope["type"] == "websocket":
            await WebsocketDenier()(scope, receive, send)
        else:
            headers = [(b"content-type", b"text/plain; charset=utf-8"), (b"content-length", b"%d" % len(REFUSED))]
            await send({"type": "http.response.start", "status": 400, "headers": headers})
            await send({"type": "http.response.body", "body": REFUSED})


def is_known(host: str) -> bool:
    """Whether a Host header, a port with it or not, is of one of the allowed hosts."""
    domain, _ = split_domain_port(host)
    return bool(domain) and validate_host(domain, settings.ALLOWED_HOSTS)
