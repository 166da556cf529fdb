"""Who may do what: every address of the published API, and every message of the socket."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.contrib.sessions.models import Session
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from test_live import closed_with, heard, opened, question, stage

from brickseat.accounts.models import AccessToken
from brickseat.accounts.signed_in import user_of_session
from brickseat.api import api
from brickseat.live import consumer
from brickseat.live.rate import MOST_AT_ONCE, Rate
from brickseat.sets.listening import MOST_OF_USER
from brickseat.sets.models import DressedSet
from brickseat.store.models import StoredProp
from brickseat.store.shelving import shelve
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube

OPEN_TO_ALL = {"/api/visitor", "/api/sign-in"}
POSE = {"position": [0, 0, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
TURN = {"kind": "turn", "pieces": ["sits"], "angle_deg": 30}
FILL = {"bay": "niche", "props": [{"prop": "crate"}]}
BODIES: dict[str, Any] = {
    "BayAsked": {"point": [0, 0, 0], "normal": [0, 1, 0]},
    "Adoption": {"trial": 0},
    "PageError": {"words": "it broke", "where": "/", "at": "2026-12-02T09:00:00Z"},
    "BearerAsked": {"kind": "floor"},
    "CatchAsked": {"origin": [0, 3, 0], "direction": [0, -1, 0], "pixel": 0.01},
    "ChosenKeys": {"keys": {"ledger": {"press": "KeyQ", "shown": "Q"}}},
    "Credentials": {"username": "wren", "password": "wrong"},
    "DotsAsked": {"recipe": {"props": [{"prop": "crate"}], "on": ["floor"], "count": 3}},
    "Dresser": {"username": "somebody else"},
    "FillTrialsAsked": {"recipe": FILL, "trials": 2},
    "ListAsked": {"text": "prop\n", "props": {}},
    "ListToWrite": {"props": [], "names": {}},
    "MoveRequest": {"move": TURN},
    "NewSet": {"name": "yard"},
    "PieceTurns": {"turns": []},
    "PoseAsked": {"name": "bent", "turns": [{"joint": "arm", "axis": "x", "degrees": 10}]},
    "PourAsked": {"props": ["crate"], "count": 1, "at": [0, 1, 0]},
    "PropChanges": {"name": "mine now"},
    "SetLook": {"look": {"eye": [1, 1, 1], "target": [0, 0, 0]}},
    "SetPicture": {"picture": ""},
    "SettleAsked": {"keys": ["floats"]},
}
"""A body that is understood, for each form of the API: what is refused is refused because of who asks."""


def operations() -> list[tuple[str, str, str | None]]:
    """(method, path, name of its form) of all that is published; files are forms without a name."""
    found = []
    for path, entry in api.get_openapi_schema(path_prefix="/api/")["paths"].items():
        for method, operation in entry.items():
            content = operation.get("requestBody", {}).get("content", {})
            form = next((kind["schema"].get("$ref", "").split("/")[-1] for kind in content.values()), None)
            found.append((method.upper(), path, form))
    return found


@pytest.fixture
def private(wren: User) -> StoredProp:
    grey = Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)
    return shelve("secret", "secret", prop_document("secret", [grey]), owner=wren)


def ask(client: Client, method: str, path: str, form: str | None, dressed: DressedSet, prop: str) -> Any:
    """One operation with everything filled in that it wants to know."""
    key = str(dressed.key) if path.startswith("/api/sets/") else prop
    filled = {
        "key": key, "digest": "0" * 16, "kind": "best", "item": "ewer", "username": "wren", "number": "0", "piece": "sits",
        "job": "none", "prop": "none", "ask": "none", "recipe": "none", "look": "front",
    }  # fmt: skip
    address = path.format(**filled)
    if path == "/api/sets/{key}/props":
        address += "?keys=crate"
    if path.endswith("/limb"):
        address += "?x=0&y=0&z=0"
    if form == "":
        field = "files" if path == "/api/props" else "file"
        return client.post(address, {field: SimpleUploadedFile("a.obj", b"v 0 0 0")})
    body = json.dumps(BODIES[form]) if form else ""
    return client.generic(method, address, body, content_type="application/json")


@pytest.mark.django_db
@pytest.mark.parametrize("kind", ["nobody", "no token", "ended session"])
def test_strangers_are_refused_everywhere(kind: str, dressed: DressedSet, wren: User, private: StoredProp) -> None:
    client = Client()
    if kind == "no token":
        AccessToken.make(wren)
        client = Client(headers={"Authorization": "Bearer of bad news"})
    if kind == "ended session":
        client.force_login(wren)
        client.session.flush()
    for method, path, form in operations():
        if path in OPEN_TO_ALL:
            continue
        answer = ask(client, method, path, form, dressed, private.key)
        assert answer.status_code == 401, (method, path, answer.content[:200])
        assert answer.json() == {"error": "sign in first", "code": "sign_in", "ties": [], "pieces": []}


@pytest.mark.django_db
@pytest.mark.parametrize("token", [False, True])
def test_somebody_else_finds_nothing_of_a_set_and_a_prop_that_are_not_theirs(
    token: bool, dressed: DressedSet, other: User, private: StoredProp, as_user: Callable[[User], Client]
) -> None:
    client = Client(headers={"Authorization": f"Bearer {AccessToken.make(other)}"}) if token else as_user(other)
    asked = 0
    for method, path, form in operations():
        if "{key}" not in path:
            continue
        asked += 1
        answer = ask(client, method, path, form, dressed, private.key)
        assert answer.status_code == 404, (method, path, answer.status_code, answer.content[:200])
        assert "secret" not in answer.content.decode()
        assert "Test yard" not in answer.content.decode()
    assert asked > 35
    dressed.refresh_from_db()
    private.refresh_from_db()
    assert (dressed.revision, dressed.look, private.name) == (0, {}, "secret")


@pytest.mark.django_db
def test_a_prop_is_changed_by_its_owner_only_and_everybodys_by_who_keeps_the_store(
    client: Client,
    dressed: DressedSet,
    other: User,
    crate: StoredProp,
    private: StoredProp,
    as_user: Callable[[User], Client],
) -> None:
    dressed.dressers.add(other)
    theirs = as_user(other)
    body = {"move": {"kind": "stand", "prop": "secret", "pose": POSE}}
    assert client.post(f"/api/sets/{dressed.key}/moves", body, content_type="application/json").status_code == 200
    for key, may_see in (("crate", True), ("secret", True)):
        found = theirs.get(f"/api/props/{key}")
        assert (found.status_code == 200) is may_see
        assert found.json()["prop"]["mine"] is False
        for change in ({"name": "another"}, {"unit": "mm"}, {"material": "wood"}, {"mass": 3.0}, {"seats": []}):
            answer = theirs.patch(f"/api/props/{key}", change, content_type="application/json")
            assert answer.status_code == 403, (key, change)
        assert theirs.delete(f"/api/props/{key}").status_code == 403
    assert StoredProp.objects.get(key="crate").name == "crate"
    for key in ("crate", "secret"):
        assert client.get(f"/api/props/{key}").json()["prop"]["mine"] is (key == "secret")
        assert (
            client.patch(f"/api/props/{key}", {"name": "another"}, content_type="application/json").status_code == 200
        )


@pytest.mark.django_db
@pytest.mark.parametrize(
    "move",
    [
        {"kind": "stand", "prop": "secret", "pose": POSE},
        {"kind": "swap", "pieces": ["sits"], "prop": "secret"},
        {"kind": "scatter", "recipe": {"props": [{"prop": "secret"}], "on": ["floor"], "count": 3}},
    ],
)
def test_no_move_brings_in_somebody_elses_private_prop(
    move: dict[str, Any], dressed: DressedSet, wren: User, other: User, as_user: Callable[[User], Client]
) -> None:
    grey = Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)
    shelve("secret", "secret", prop_document("secret", [grey]), owner=other)
    for user in (wren, other):
        dressed.dressers.add(other)
        answer = as_user(user).post(f"/api/sets/{dressed.key}/moves", {"move": move}, content_type="application/json")
        assert (answer.status_code == 409) is (user == wren), answer.content[:200]


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_a_prop_that_another_stage_points_with_stays_private(
    dressed: DressedSet, wren: User, other: User
) -> None:
    grey = Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)
    await sync_to_async(shelve)("secret", "secret", prop_document("secret", [grey]), owner=other)
    await sync_to_async(dressed.dressers.add)(other)
    theirs, mine = await opened(dressed, other), await opened(dressed, wren)
    await theirs.send_json_to(question(1, prop="secret"))
    assert (await heard(theirs, 20))["kind"] == "pointed"
    # The set has it in memory now; neither pointing, nor a piece that is not there, nor a preview gets at it.
    stand = {"kind": "preview", "move": {"kind": "place", "piece": "sits", "pose": POSE}}
    swap = {"kind": "preview", "move": {"kind": "swap", "pieces": ["sits"], "prop": "secret"}}
    for n, asked in enumerate(
        (question(2, prop="secret"), question(3, prop="secret", piece="gone"), {**swap, "n": 4}), 2
    ):
        await mine.send_json_to(asked)
        answer = await heard(mine, 20)
        assert (answer["kind"], answer["n"]) == ("refused", n), answer
    await mine.send_json_to({**stand, "n": 5})
    assert (await heard(mine, 20))["kind"] in ("previewed", "refused")
    for socket in (theirs, mine):
        await socket.disconnect()


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_a_user_has_so_many_stages_open_and_no_more(dressed: DressedSet, wren: User, other: User) -> None:
    await sync_to_async(dressed.dressers.add)(other)
    sockets = [await opened(dressed, wren) for _ in range(MOST_OF_USER)]
    one_more = await stage(dressed, wren)
    assert (await one_more.connect(timeout=20))[0]
    assert await closed_with(one_more) == 4429
    # It counts for each user by themselves, and one that is closed makes room.
    sockets.append(await opened(dressed, other))
    await sockets.pop(0).disconnect()
    sockets.append(await opened(dressed, wren))
    for socket in sockets:
        await socket.disconnect()


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_a_flood_of_messages_is_answered_by_closing(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    for n in range(int(MOST_AT_ONCE) * 3):
        await socket.send_to(json.dumps({"kind": "drawn", "job": f"job {n}"}))
    assert await closed_with(socket) == 4429
    await socket.disconnect()


def test_as_much_as_a_hand_can_say_is_no_flood(monkeypatch: pytest.MonkeyPatch) -> None:
    now = [0.0]
    monkeypatch.setattr("brickseat.live.rate.time.monotonic", lambda: now[0])
    rate = Rate()
    for n in range(20_000):
        now[0] = n / 300.0
        assert not rate.is_flood()
    assert sum(rate.is_flood() for _ in range(2_000)) == pytest.approx(800, abs=5)


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
@pytest.mark.parametrize("what", ["closed", "password", "ended", "unshared"])
async def test_what_another_process_takes_away_ends_a_stage(
    what: str, dressed: DressedSet, other: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(consumer, "WATCH_SECONDS", 0.2)
    await sync_to_async(dressed.dressers.add)(other)
    socket = await opened(dressed, other)

    def take_away() -> None:
        if what == "closed":
            User.objects.filter(pk=other.pk).update(is_active=False)
        elif what == "password":
            other.set_password("quite another password")
            other.save()
        elif what == "ended":
            Session.objects.all().delete()
        else:
            DressedSet.dressers.through.objects.all().delete()

    await sync_to_async(take_away)()
    assert await closed_with(socket) == 4401
    await socket.disconnect()


@pytest.mark.django_db
def test_whose_session_it_is(wren: User, as_user: Callable[[User], Client]) -> None:
    client = as_user(wren)
    key = client.cookies["sessionid"].value
    assert user_of_session(key) == wren
    assert user_of_session("") is None
    assert user_of_session("x" * 32) is None
    wren.set_password("quite another password")
    wren.save()
    assert user_of_session(key) is None


@pytest.mark.django_db
def test_a_dresser_keeps_so_much_and_no_more(
    client: Client, private: StoredProp, monkeypatch: pytest.MonkeyPatch
) -> None:
    def send() -> Any:
        file = SimpleUploadedFile("leaf.obj", b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n")
        return client.post("/api/props", {"files": file})

    monkeypatch.setattr("brickseat.store.quota.MOST_PROPS", 2)
    assert send().status_code == 201
    refused = [send(), client.post("/api/bearers", {"kind": "floor"}, content_type="application/json")]
    refused.append(client.post("/api/prop-house/ewer"))
    for answer in refused:
        assert answer.status_code == 422
        assert "more than 2 props" in answer.json()["error"]
    monkeypatch.setattr("brickseat.store.quota.MOST_PROPS", 50)
    monkeypatch.setattr("brickseat.store.quota.MOST_BYTES", 1)
    assert send().status_code == 422


@pytest.mark.django_db
def test_of_a_refused_file_nothing_is_kept(client: Client, tmp_path: Path) -> None:
    def send(*, wrong: bool) -> Any:
        text = b"v 0 0 0\nv 1 0 0\nv 0 0 1\n" + (b"f 1 2 900\n" if wrong else b"f 1 2 3\n")
        return client.post("/api/props", {"files": SimpleUploadedFile("leaf.obj", text)})

    def kept() -> list[Path]:
        return sorted(path for path in tmp_path.rglob("*") if path.is_file())

    assert send(wrong=True).status_code == 422
    assert kept() == []
    assert send(wrong=False).status_code == 201
    there = kept()
    assert len(there) == 2  # what was sent, and the prop
    assert send(wrong=True).status_code == 422
    assert kept() == there


def test_every_form_has_a_body_here() -> None:
    """A new operation is not left out of the tables above."""
    assert {form for _, _, form in operations() if form} == set(BODIES)


def test_errors_of_pages_are_in_the_log_a_line_each_and_not_without_end(
    client: Client, caplog: pytest.LogCaptureFixture
) -> None:
    error = {"words": "it broke\nERROR nothing", "stack": "at draw", "where": "/sets/1", "at": "2026-12-02T09:00:00Z"}
    answers = [client.post("/api/page-errors", error, content_type="application/json") for _ in range(62)]
    assert [a.status_code for a in answers[-2:]] == [429, 429]
    said = [r.getMessage() for r in caplog.records if "failed at" in r.getMessage()]
    assert len(said) <= 60
    assert r"it broke\nERROR nothing" in said[0], "nobody writes lines of their own into it"
    assert "2026-12-02 09:00" in said[0]
