"""What a request may bring along is asked before it is read; and what every answer carries."""

import asyncio
from collections.abc import Callable
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.test import Client

from brickseat.accounts.models import AccessToken
from brickseat.admission import LARGEST_FORM, LARGEST_OF_STRANGER, LARGEST_TEXT, TAKES_FILES, Admission
from brickseat.api.routes import api
from brickseat.asgi import application
from brickseat.headers import POLICY

pytestmark = pytest.mark.django_db(transaction=True)
CHUNK = 64 << 10


class Request:
    """One request to the whole application, its body as long as declared; and how much of it was taken."""

    def __init__(self, method: str, path: str, length: int, declared: bool = True, **headers: str) -> None:
        self.left, self.taken, self.done = length, 0, False
        self.sent: list[dict[str, Any]] = []
        known = {"host": "localhost", "content-type": "application/json", **headers}
        if declared:
            known["content-length"] = str(length)
        self.scope = {
            "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": method, "scheme": "http", "path": path,
            "raw_path": path.encode(), "query_string": b"", "root_path": "", "client": ("127.0.0.1", 5), "server": ("localhost", 80),
            "headers": [(name.encode(), value.encode()) for name, value in known.items()],
        }  # fmt: skip

    async def receive(self) -> dict[str, Any]:
        if self.done:
            # It stays until it has its answer.
            await asyncio.Event().wait()
        size = min(CHUNK, self.left)
        self.left -= size
        self.taken += size
        self.done = not self.left
        return {"type": "http.request", "body": b" " * size, "more_body": self.left > 0}

    async def send(self, message: dict[str, Any]) -> None:
        self.sent.append(message)

    async def run(self, app: Any = application) -> int:
        await app(self.scope, self.receive, self.send)
        starts = [m for m in self.sent if m["type"] == "http.response.start"]
        assert len(starts) == 1
        return int(starts[0]["status"])

    @property
    def headers(self) -> dict[str, str]:
        return {name.decode().lower(): value.decode() for name, value in self.sent[0]["headers"]}


@pytest.mark.parametrize("declared", [True, False])
@pytest.mark.parametrize("path", ["/api/sign-in", "/api/props", "/api/sets/open", "/api/bearers/terrain", "/nowhere"])
def test_a_stranger_brings_little(path: str, declared: bool) -> None:
    request = Request("POST", path, 600 << 20, declared)
    assert asyncio.run(request.run()) == 413
    assert request.taken <= LARGEST_OF_STRANGER + CHUNK
    assert b'{"error": "that is larger than 16 KB' in request.sent[1]["body"]


@pytest.mark.parametrize("declared", [True, False])
@pytest.mark.parametrize(
    ("path", "length", "status"),
    [
        ("/api/sets", LARGEST_TEXT + 1, 413),
        ("/api/props", LARGEST_FORM + 1, 413),
        ("/api/sets/open/", LARGEST_TEXT + 1, 413),  # another address
        ("/api/sets", 100_000, 422),
    ],
)
def test_who_is_known_brings_as_much_as_there_is_use_for(
    path: str, length: int, status: int, declared: bool, wren: User
) -> None:
    async def ask() -> Request:
        token = await sync_to_async(AccessToken.make)(wren)
        request = Request("POST", path, length, declared, authorization=f"Bearer {token}")
        assert await request.run() in (status, 400)
        return request

    request = asyncio.run(ask())
    if status == 413 and declared:
        assert request.taken == 0
    assert request.taken <= length


def test_every_address_that_takes_a_file_takes_a_large_one() -> None:
    forms = {
        path
        for path, methods in api.get_openapi_schema()["paths"].items()
        for asked in methods.values()
        if "multipart/form-data" in asked.get("requestBody", {}).get("content", {})
    }
    assert len(forms) > 3
    assert [path for path in forms if not TAKES_FILES.fullmatch(path)] == []


@pytest.mark.parametrize("kind", ["session", "token", "wrong token", "wrong session"])
def test_who_is_known(kind: str, wren: User, as_user: Callable[[User], Client]) -> None:
    """Behind the check stands one who reads all there is."""
    read = []

    async def reader(scope: Any, receive: Any, send: Any) -> None:
        more = True
        while more:
            message = await receive()
            if message["type"] == "http.disconnect":
                return
            read.append(len(message["body"]))
            more = message["more_body"]
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b""})

    cookie = f"sessionid={as_user(wren).cookies['sessionid'].value}"
    headers = {
        "session": {"cookie": cookie},
        "token": {"authorization": f"Bearer {AccessToken.make(wren)}"},
        "wrong token": {"authorization": "Bearer of bad news"},
        "wrong session": {"cookie": f"{cookie}x"},
    }[kind]
    request = Request("POST", "/api/props", 1 << 20, **headers)
    status = asyncio.run(request.run(Admission(reader)))
    assert (status, sum(read)) == ((413, 0) if kind.startswith("wrong") else (200, 1 << 20))


@pytest.mark.parametrize("path", ["/", "/api/visitor", "/api/nothing", "/sets/1", "/assets/nothing.js", "/mark.svg"])
def test_every_answer_carries_the_safe_headers(path: str) -> None:
    request = Request("GET", path, 0)
    asyncio.run(request.run())
    found = request.headers
    assert found["x-content-type-options"] == "nosniff"
    assert found["x-frame-options"] == "DENY"
    assert found["referrer-policy"] == "same-origin"
    for name, what in POLICY.items():
        assert f"{name} {what}" in found["content-security-policy"]
    assert "strict-transport-security" not in found
    assert len(request.sent[0]["headers"]) == len({name for name, _ in request.sent[0]["headers"]})
    assert found["content-type"]


def test_so_does_a_foreign_host() -> None:
    request = Request("GET", "/", 0, host="elsewhere.example")
    assert asyncio.run(request.run()) == 400
    assert request.headers["x-content-type-options"] == "nosniff"
