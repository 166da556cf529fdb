"""A WebSocket is only opened by a page of this very server."""

from collections.abc import Awaitable, Callable
from typing import Any
from urllib.parse import urlsplit

from channels.security.websocket import WebsocketDenier

App = Callable[[dict[str, Any], Any, Any], Awaitable[None]]


class SameOrigin:
    """Refuses WebSockets whose Origin is not the host (and port) they are opened to."""

    def __init__(self, inner: App) -> None:
        self.inner = inner

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        headers = dict(scope.get("headers", []))
        origin = urlsplit(headers.get(b"origin", b"").decode("latin-1"))
        host = headers.get(b"host", b"").decode("latin-1")
        if origin.scheme in ("http", "https") and origin.netloc and origin.netloc == host:
            await self.inner(scope, receive, send)
        else:
            await WebsocketDenier()(scope, receive, send)
