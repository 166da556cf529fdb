"""For pipelines: a move is made for the revision that was seen, only once however often it is asked for, and lists come in parts."""

from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from brickseat.sets.models import DressedSet

MOVES: dict[str, dict[str, Any]] = {
    "slide": {"kind": "slide", "pieces": ["sits"], "by": [0.1, 0, 0]},
    "turn": {"kind": "turn", "pieces": ["sits"], "angle_deg": 30},
}


def make(client: Client, dressed: DressedSet, move: str = "turn", **headers: str) -> Any:
    body = {"move": MOVES[move]}
    return client.post(f"/api/sets/{dressed.key}/moves", body, content_type="application/json", headers=headers)


def piece_of(client: Client, dressed: DressedSet, key: str = "sits") -> dict[str, Any]:
    pieces = client.get(f"/api/sets/{dressed.key}").json()["pieces"]
    return next(p for p in pieces if p["key"] == key)


def test_a_move_is_made_for_the_revision_that_was_seen(client: Client, dressed: DressedSet) -> None:
    url = f"/api/sets/{dressed.key}"
    seen = client.get(url)["ETag"]
    assert seen == '"0"'
    first = make(client, dressed, **{"If-Match": seen})
    assert (first.status_code, first["ETag"]) == (200, '"1"')
    for value in (seen, f"W/{seen}", "7"):
        stale = make(client, dressed, **{"If-Match": value})
        assert stale.status_code == 412
        assert stale.json()["code"] == "out_of_date"
        assert "revision 1" in stale.json()["error"]
    for method, path in (("undo", f"{url}/undo"), ("history", f"{url}/history/0"), ("redo", f"{url}/redo")):
        assert client.post(path, headers={"If-Match": seen}).status_code == 412, method
    assert client.get(url).json()["revision"] == 1
    assert make(client, dressed, **{"If-Match": "*"}).status_code == 200
    assert client.post(f"{url}/undo", headers={"If-Match": '"2"'}).status_code == 200
    for value in ("latest", "-1", "1.5", "9" * 40):
        assert make(client, dressed, **{"If-Match": value}).status_code == 422, value


def test_a_move_that_is_asked_for_twice_by_one_name_is_made_once(
    client: Client, dressed: DressedSet, other: User, as_user: Callable[[User], Client]
) -> None:
    first = make(client, dressed, **{"Idempotency-Key": "night build 7"})
    stands = piece_of(client, dressed)
    assert first.status_code == 200
    again = make(client, dressed, **{"Idempotency-Key": "night build 7"})
    assert again.status_code == 200
    assert piece_of(client, dressed) == stands
    repeated, before = again.json(), first.json()
    for name in ("revision", "words", "deltas", "fits", "can_undo", "can_redo"):
        assert repeated[name] == before[name], name
    # Also when others have gone on meanwhile, and although what was seen then is out of date.
    assert make(client, dressed, "slide").status_code == 200
    late = make(client, dressed, **{"Idempotency-Key": "night build 7", "If-Match": "0"})
    assert late.status_code == 200
    assert late.json()["revision"] == 2
    assert dressed.history.count() == 2
    # Something else by that name is refused, another name and another user are not.
    wrong = make(client, dressed, "slide", **{"Idempotency-Key": "night build 7"})
    assert (wrong.status_code, wrong.json()["code"]) == (422, "asked_otherwise")
    assert make(client, dressed, **{"Idempotency-Key": "night build 8"}).json()["revision"] == 3
    dressed.dressers.add(other)
    assert make(as_user(other), dressed, **{"Idempotency-Key": "night build 7"}).json()["revision"] == 4
    assert make(client, dressed, **{"Idempotency-Key": "x" * 65}).status_code == 422


def test_a_refused_move_leaves_its_name_free(client: Client, dressed: DressedSet) -> None:
    refused = make(client, dressed, **{"Idempotency-Key": "a name", "If-Match": "5"})
    assert refused.status_code == 412
    assert make(client, dressed, **{"Idempotency-Key": "a name"}).json()["revision"] == 1


def test_lists_come_in_parts(client: Client, dressed: DressedSet) -> None:
    for name in ("b", "c", "d"):
        client.post("/api/sets", {"name": name}, content_type="application/json")
    whole = client.get("/api/sets")
    names = [card["name"] for card in whole.json()]
    assert whole["X-Total"] == "4"
    parts = [client.get(f"/api/sets?limit=2&offset={k}") for k in (0, 2, 4)]
    assert [card["name"] for part in parts for card in part.json()] == names
    assert {part["X-Total"] for part in parts} == {"4"}
    for _ in range(3):
        make(client, dressed)
    history = client.get(f"/api/sets/{dressed.key}/history?limit=1&offset=1")
    assert [entry["number"] for entry in history.json()] == [2]
    assert history["X-Total"] == "3"
    assert client.get("/api/props?limit=1").json()[0]["key"] == "crate"
    for query in ("limit=0", "limit=-1", "offset=-1", "limit=x"):
        assert client.get(f"/api/sets?{query}").status_code == 422


@pytest.mark.parametrize(
    ("method", "path", "status", "code"),
    [
        ("GET", "/api/sets/00000000-0000-0000-0000-000000000000", 404, "not_found"),
        ("GET", "/api/nothing", 404, "not_found"),
        ("DELETE", "/api/sets", 405, "not_understood"),
        ("POST", "/api/sets", 422, "not_understood"),
        ("POST", "/api/sets/{key}/undo", 409, "refused"),
    ],
)
def test_every_error_has_a_code(
    method: str, path: str, status: int, code: str, client: Client, dressed: DressedSet
) -> None:
    body = "{}" if method == "POST" else ""
    answer = client.generic(method, path.format(key=dressed.key), body, content_type="application/json")
    assert answer.status_code == status
    found = answer.json()
    assert set(found) == {"error", "code", "ties", "pieces"}
    assert (found["code"], found["ties"]) == (code, [])
    assert found["error"]


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/api/sign-in", '{"username": "\\ud800", "password": "x"}'),
        ("/api/sign-in", '{"username": "x", "password": "\\uDFFF"}'),
        ("/api/sets", '{"name": "\\ud800"}'),
        ("/api/prop-lists/read", '{"text": "prop\\n\\ud800", "props": {"\\ud800": "a"}}'),
        ("/api/sets", "{" * 100_000),
        ("/api/sets", "\x00"),
    ],
)
def test_text_that_is_no_unicode_and_json_that_is_none_are_refused(client: Client, path: str, body: str) -> None:
    answer = client.post(path, body, content_type="application/json")
    assert answer.status_code in (400, 422)
    assert answer.json()["code"] == "not_understood"
    whole = client.post("/api/sets", '{"name": "\\ud83c\\udffa jar"}', content_type="application/json")
    assert whole.json()["name"] == "🏺 jar"


@pytest.mark.parametrize("far", ["1e7", "-1e16", "1e308", "nan", "inf"])
def test_a_place_that_is_nowhere_is_refused(far: str, client: Client, dressed: DressedSet) -> None:
    url = f"/api/sets/{dressed.key}/pieces/sits/limb?y=1&z=1"
    answer = client.get(f"{url}&x={far}")
    assert answer.status_code == 422
    assert client.get(f"{url}&x=1").json()["joint"] is None
