"""Only known hosts are answered, whatever is asked for and however."""

import asyncio
from typing import Any

import pytest
from pytest_django import Settings

from brickseat.hosts import KnownHosts, is_known


@pytest.mark.parametrize(
    ("host", "known"),
    [
        ("localhost", True), ("localhost:8460", True), ("127.0.0.1:8460", True), ("[::1]:8460", True), ("LOCALHOST", True),
        ("studio.example", False), ("localhost.studio.example", False), ("127.0.0.1.studio.example:8460", False),
        ("", False), ("localhost:8460@studio.example", False), ("127.0.0.2", False), ("[::2]", False),
    ],
)  # fmt: skip
def test_which_hosts_are_known(settings: Settings, host: str, known: bool) -> None:
    settings.ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]"]
    assert is_known(host) is known


def asked(kind: str, *hosts: str) -> tuple[bool, list[dict[str, Any]]]:
    """Whether what is behind the check was reached, and what was answered."""
    reached, sent = [], []

    async def inner(scope: Any, receive: Any, send: Any) -> None:
        reached.append(scope)

    coming = [{"type": f"{kind}.connect"}, {"type": f"{kind}.disconnect", "code": 1000}]

    async def receive() -> dict[str, Any]:
        return coming.pop(0)

    async def send(message: dict[str, Any]) -> None:
        sent.append(message)

    headers = [(b"host", host.encode()) for host in hosts]
    scope = {"type": kind, "path": "/api/visitor", "headers": headers, "subprotocols": []}
    asyncio.run(KnownHosts(inner)(scope, receive, send))
    return bool(reached), sent


@pytest.mark.django_db
@pytest.mark.parametrize("kind", ["http", "websocket"])
def test_pages_and_sockets_alike(settings: Settings, kind: str) -> None:
    settings.ALLOWED_HOSTS = ["localhost"]
    assert asked(kind, "localhost:8460") == (True, [])
    for hosts in (("rebound.example",), (), ("localhost", "rebound.example")):
        reached, sent = asked(kind, *hosts)
        assert not reached
        assert sent[0] == {"type": "websocket.close"} if kind == "websocket" else sent[0]["status"] == 400


def test_a_server_may_begin_and_end_without_a_host() -> None:
    assert asked("lifespan") == (True, [])
