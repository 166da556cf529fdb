"""Headers that every answer carries, whoever gives it: what a page may load, and that nobody may frame it or guess at its types."""

from collections.abc import Awaitable, Callable
from typing import Any

from django.conf import settings

App = Callable[[dict[str, Any], Any, Any], Awaitable[None]]
POLICY = {
    "default-src": "'self'",
    "script-src": "'self'",
    # The parts of the interface place themselves by style attributes and sheets that they bring along.
    "style-src": "'self' 'unsafe-inline'",
    # Models bring their textures inside: the page makes addresses of its own for them.
    "img-src": "'self' data: blob:",
    "connect-src": "'self' data: blob:",
    "worker-src": "'self' blob:",
    "object-src": "'none'",
    "base-uri": "'none'",
    "form-action": "'self'",
    "frame-ancestors": "'none'",
}
"""What a page may load, and from where (Content Security Policy Level 3)."""
ALWAYS = {
    b"content-security-policy": "; ".join(f"{name} {what}" for name, what in POLICY.items()).encode(),
    b"x-content-type-options": b"nosniff",
    b"x-frame-options": b"DENY",
    b"referrer-policy": b"same-origin",
    b"cross-origin-opener-policy": b"same-origin",
    b"cross-origin-resource-policy": b"same-origin",
    b"permissions-policy": b"camera=(), geolocation=(), microphone=(), payment=(), usb=()",
}


class SafeHeaders:
    """Adds them where an answer has none of that name."""

    def __init__(self, inner: App) -> None:
        self.inner = inner

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        if scope["type"] != "http":
            await self.inner(scope, receive, send)
            return

        async def send_safely(message: dict[str, Any]) -> None:
            if message["type"] == "http.response.start":
                there = {name.lower() for name, _ in message.get("headers", [])}
                more = dict(ALWAYS)
                if settings.BEHIND_PROXY:
                    more[b"strict-transport-security"] = b"max-age=%d" % settings.SECURE_HSTS_SECONDS
                added = [(name, value) for name, value in more.items() if name not in there]
                message = {**message, "headers": [*message.get("headers", []), *added]}
            await send(message)

        await self.inner(scope, receive, send_safely)
