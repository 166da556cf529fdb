"""The API: who may do what, every change with its history, undo across reloads, and files in and out."""

import base64
import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from PIL import Image
from pytest_django import Settings

from brickseat.accounts.demo_visitor import DRESSER
from brickseat.sets import opening
from brickseat.sets.models import DressedSet, HistoryEntry
from brickseat.sets.opening import open_set
from brickseat.sets.session import sessions
from brickseat.store import shelving
from brickseat.store.models import StoredProp
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set
from test_gltf import FLOOR_NODE, document

Move = Callable[..., Any]


def whole(client: Client, dressed: DressedSet) -> dict[str, Any]:
    found: dict[str, Any] = client.get(f"/api/sets/{dressed.key}").json()
    return found


def states(found: dict[str, Any]) -> dict[str, str]:
    return {f["key"]: f["state"] for f in found["fits"]}


def heights(found: dict[str, Any]) -> dict[str, float]:
    return {p["key"]: p["pose"]["position"][1] for p in found["pieces"]}


def test_a_set_comes_whole_with_its_fits(client: Client, dressed: DressedSet) -> None:
    found = whole(client, dressed)
    assert states(found) == {"sits": "seated", "floats": "floating", "spiked": "sunk"}
    assert found["props"][0]["height"] == pytest.approx(0.5)
    card = client.get("/api/sets").json()[0]
    assert card["pieces"] == 3
    assert card["counts"]["floating"] == 1
    assert len(card["plan"]) == 4


SETS = "/api/sets/{key}"


@pytest.mark.parametrize(
    ("method", "path"),
    [
        ("get", SETS),
        ("get", SETS + "/history"),
        ("get", SETS + "/feeler/sits"),
        ("get", SETS + "/hand-over.glb"),
        ("post", SETS + "/moves"),
        ("post", SETS + "/undo"),
        ("post", SETS + "/redo"),
        ("delete", SETS),
    ],
)
def test_a_set_does_not_exist_for_anybody_else(
    method: str, path: str, dressed: DressedSet, other: User, as_user: Callable[[User], Client]
) -> None:
    body = {"move": {"kind": "repair", "pieces": None}}
    url = path.format(key=dressed.key)
    assert getattr(as_user(other), method)(url, body, content_type="application/json").status_code == 404
    assert getattr(Client(), method)(url, body, content_type="application/json").status_code == 401
    assert DressedSet.objects.filter(key=dressed.key, revision=0).exists()


def test_props_of_somebody_else_are_not_seen_or_used(
    client: Client, other: User, crate: StoredProp, move: Move
) -> None:
    crate.owner = other
    crate.save()
    assert client.get("/api/props").json() == []
    assert client.get(f"/api/props/crate/{crate.digest[:16]}.glb").status_code == 404
    pose = {"position": [0, 1, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    assert "not in the store" in move(409, kind="set_down", prop="crate", pose=pose)["error"]


def test_changes_need_the_token_of_our_own_page(dressed: DressedSet, wren: User) -> None:
    strict = Client(enforce_csrf_checks=True)
    strict.force_login(wren)
    answer = strict.post(
        f"/api/sets/{dressed.key}/moves", {"move": {"kind": "repair"}}, content_type="application/json"
    )
    assert answer.status_code == 403
    assert "error" in answer.json()


def test_repair_undo_and_redo_survive_a_reload(client: Client, dressed: DressedSet, move: Move) -> None:
    change = move(kind="repair")
    assert [d["key"] for d in change["deltas"]] == ["floats"]
    assert "spiked" in change["left"][0]["reason"]
    assert change["can_undo"] == "repaired crate 2"
    sessions.clear()
    found = whole(client, dressed)
    assert heights(found)["floats"] == pytest.approx(0.25, abs=1e-9)
    assert states(found)["floats"] == "seated"

    undone = client.post(f"/api/sets/{dressed.key}/undo").json()
    assert undone["can_redo"] == "repaired crate 2"
    assert undone["can_undo"] is None
    sessions.clear()
    assert heights(whole(client, dressed))["floats"] == 0.3
    assert states(whole(client, dressed))["floats"] == "floating"
    assert client.post(f"/api/sets/{dressed.key}/redo").status_code == 200
    assert heights(whole(client, dressed))["floats"] == pytest.approx(0.25, abs=1e-9)
    assert client.post(f"/api/sets/{dressed.key}/redo").status_code == 409
    assert [h["words"] for h in client.get(f"/api/sets/{dressed.key}/history").json()] == ["repaired crate 2"]


def test_every_change_is_one_row_of_history_and_a_new_one_ends_redo(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    move(kind="slide", pieces=["sits"], by=[0, 0, 0.5])
    move(kind="turn", pieces=["sits"], angle_deg=30)
    client.post(f"/api/sets/{dressed.key}/undo")
    change = move(kind="spike", pieces=["sits"], spiked=True)
    assert change["revision"] == 4
    assert change["can_redo"] is None
    words = list(HistoryEntry.objects.filter(dressed=dressed).values_list("words", flat=True))
    assert words == ["slid crate 1", "spiked crate 1"]
    assert "spiked" in move(409, kind="slide", pieces=["sits"], by=[0, 0, 1])["error"]


def test_pushing_and_uneven_sizes_keep_a_piece_seated(client: Client, dressed: DressedSet, move: Move) -> None:
    pushed = move(kind="push", pieces=["sits"], by=[0, 0, 0.3])
    assert pushed["fits"][0]["gap"] == pytest.approx(0.0, abs=1e-9)
    sized = move(kind="size", pieces=["sits"], factor=[1.0, 0.5, 2.0])
    assert sized["fits"][0]["gap"] == pytest.approx(0.0, abs=1e-9)
    scale = sized["deltas"][0]["after"]["pose"]["scale"]
    assert scale[1] / scale[0] == pytest.approx(0.5)
    assert scale[2] / scale[0] == pytest.approx(2.0)


def test_set_down_copy_and_take_away(client: Client, dressed: DressedSet, move: Move) -> None:
    pose = {"position": [-1, 0.25, 1], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    made = move(kind="set_down", prop="crate", pose=pose)
    key = made["deltas"][0]["key"]
    assert made["deltas"][0]["after"]["name"] == "crate 4"
    assert made["fits"][0]["gap"] == pytest.approx(0.0, abs=1e-9)
    assert move(kind="copy", pieces=[key], by=[0, 0, 1])["fits"][0]["state"] == "seated"
    assert move(kind="remove", pieces=[key])["deltas"] == [{"kind": "piece", "key": key, "after": None}]
    assert len(whole(client, dressed)["pieces"]) == 5
    client.post(f"/api/sets/{dressed.key}/undo")
    assert key in heights(whole(client, dressed))


@pytest.mark.parametrize(
    "asked",
    [
        {"kind": "fly"},
        {"kind": "slide", "pieces": [], "by": [0, 0, 0]},
        {"kind": "slide", "pieces": ["sits"], "by": [0, 0]},
        {"kind": "slide", "pieces": ["sits"], "by": [0, 0, 1e300]},
        {"kind": "size", "pieces": ["sits"], "factor": 0},
        {"kind": "turn", "pieces": ["sits"], "angle_deg": "far"},
    ],
)
def test_requests_that_make_no_sense_are_refused_in_words(asked: dict[str, Any], move: Move) -> None:
    assert len(move(422, **asked)["error"]) > 5


def test_the_feeler_measures_the_gap(client: Client, dressed: DressedSet) -> None:
    found = client.get(f"/api/sets/{dressed.key}/feeler/floats").json()
    lowest = min(min(s[1], s[3]) for s in found["piece"]["segments"])
    highest = max(max(s[1], s[3]) for s in found["others"][0]["segments"])
    assert lowest - highest == pytest.approx(0.05, abs=1e-9)


def test_hand_over_opens_again_and_belongs_to_who_opened_it(client: Client, dressed: DressedSet, move: Move) -> None:
    move(kind="bed", pieces=["sits"], sink=0.03)
    data = client.get(f"/api/sets/{dressed.key}/hand-over.glb").content
    pieces = {p.name: p for p in read_set(GltfDocument.parse(data)).dressed.pieces.values()}
    assert pieces["crate 1"].sink == pytest.approx(0.03)
    assert pieces["crate 3"].spiked
    upload = SimpleUploadedFile("came back.glb", data)
    answer = client.post("/api/sets/open", {"file": upload})
    assert answer.status_code == 201, answer.content
    again = client.get(f"/api/sets/{answer.json()['key']}").json()
    before = whole(client, dressed)
    assert sorted(p["name"] for p in again["pieces"]) == sorted(p["name"] for p in before["pieces"])
    gaps = {f["reason"] for f in again["fits"]}
    assert gaps == {f["reason"] for f in before["fits"]}
    assert len({p["prop"] for p in again["pieces"]}) == 1


def test_a_chair_is_opened_in_parts_or_whole_as_asked(client: Client, wren: User) -> None:
    legs = [{"name": "leg", "mesh": 0, "translation": [x, 0.2, 0], "scale": [0.1, 0.4, 0.1]} for x in (-0.4, 0.4)]
    seat = {"name": "seat", "mesh": 0, "translation": [0, 0.45, 0], "scale": [1, 0.1, 0.4]}
    data = document([FLOOR_NODE, {"name": "chair", "children": [2, 3, 4]}, *legs, seat]).to_glb()

    def props(**more: Any) -> int:
        made = client.post("/api/sets/open", {"file": SimpleUploadedFile("yard.glb", data), **more})
        assert made.status_code == 201, made.content
        pieces = client.get(f"/api/sets/{made.json()['key']}").json()["pieces"]
        return sum(piece["role"] == "prop" for piece in pieces)

    (group,) = client.post("/api/sets/groups", {"file": SimpleUploadedFile("yard.glb", data)}).json()
    assert (group["name"], group["times"], group["parts"]) == ("chair", 1, 3)
    assert group["picture"]
    assert not DressedSet.objects.exists()
    assert props() == 3
    assert props(whole=["chair"]) == 1


def test_groups_of_a_bad_upload_are_refused_in_words(client: Client, wren: User) -> None:
    answer = client.post("/api/sets/groups", {"file": SimpleUploadedFile("bad.glb", b"glTF but not really")})
    assert answer.status_code == 422
    assert "cut short" in answer.json()["error"]
    assert Client().post("/api/sets/groups").status_code in (401, 403)


def test_a_bad_upload_is_refused_and_nothing_is_kept(client: Client, wren: User) -> None:
    answer = client.post("/api/sets/open", {"file": SimpleUploadedFile("bad.glb", b"glTF but not really")})
    assert answer.status_code == 422
    assert "cut short" in answer.json()["error"]
    assert not DressedSet.objects.exists()


def test_signing_in_and_out(client: Client, wren: User) -> None:
    fresh = Client()
    assert fresh.get("/api/visitor").status_code == 401
    wrong = {"username": "wren", "password": "no"}
    assert fresh.post("/api/sign-in", wrong, content_type="application/json").status_code == 401
    right = {"username": "wren", "password": "a dresser's password"}
    assert fresh.post("/api/sign-in", right, content_type="application/json").json()["name"] == "wren"
    assert fresh.get("/api/visitor").status_code == 200
    assert fresh.post("/api/sign-out").status_code == 204
    assert fresh.get("/api/visitor").status_code == 401


@pytest.mark.parametrize(
    ("demo", "address", "host", "header", "status"),
    [
        (True, "127.0.0.1", "localhost:8460", None, 200),
        (True, "::1", "[::1]:8460", None, 200),
        (True, "127.0.0.1", "127.0.0.1", None, 200),
        (False, "127.0.0.1", "localhost", None, 401),
        (True, "192.0.2.7", "localhost", None, 401),
        (True, "127.0.0.1", "studio.example", None, 401),
        (True, "127.0.0.1", "localhost", "X-Forwarded-For", 401),
        (True, "127.0.0.1", "localhost", "Forwarded", 401),
        (True, "127.0.0.1", "localhost", "Via", 401),
        (True, "127.0.0.1", "localhost", "X-Real-IP", 401),
    ],
)
def test_the_demo_signs_in_only_a_visitor_on_this_machine_with_nothing_in_between(
    demo: bool, address: str, host: str, header: str | None, status: int, settings: Settings, db: None
) -> None:
    settings.DEMO = demo
    settings.ALLOWED_HOSTS = ["*"]
    User.objects.create(username=DRESSER, first_name="Wren", last_name="Ashby", password="!")
    headers = {header: "192.0.2.7"} if header else {}
    visitor = Client(REMOTE_ADDR=address, HTTP_HOST=host)
    assert visitor.get("/api/visitor", headers=headers).status_code == status
    settings.BEHIND_PROXY = True
    assert Client(REMOTE_ADDR=address, HTTP_HOST=host).get("/api/visitor").status_code == 401


def test_the_schema_is_published(client: Client) -> None:
    paths = client.get("/api/openapi.json").json()["paths"]
    assert "/api/sets/{key}/moves" in paths


def test_the_picture_of_a_set_is_kept_shown_on_its_card_and_is_a_small_jpeg_or_nothing(
    client: Client, dressed: DressedSet, other: User, as_user: Callable[[User], Client]
) -> None:
    url = f"/api/sets/{dressed.key}"
    assert client.get("/api/sets").json()[0]["picture"] is None
    assert client.get(f"{url}/picture.jpg").status_code == 404

    def put(data: bytes, who: Client = client) -> Any:
        body = {"picture": base64.b64encode(data).decode()}
        return who.put(f"{url}/picture", body, content_type="application/json")

    def drawn(kind: str, size: tuple[int, int]) -> bytes:
        out = io.BytesIO()
        Image.new("RGB", size, "tan").save(out, kind)
        return out.getvalue()

    before = dressed.changed
    assert put(drawn("JPEG", (64, 40))).status_code == 204
    address = client.get("/api/sets").json()[0]["picture"]
    shown = client.get(address)
    assert shown["Content-Type"] == "image/jpeg"
    assert shown.content == drawn("JPEG", (64, 40))
    dressed.refresh_from_db()
    assert (dressed.changed, dressed.revision) == (before, 0), "it is no change of the set"
    for bad in (b"", b"GIF89a", drawn("PNG", (64, 40)), drawn("JPEG", (2000, 40)), drawn("JPEG", (64, 40))[:200]):
        answer = put(bad)
        assert answer.status_code == 422, bad[:8]
        assert "draw it" in answer.json()["error"]
    assert put(b"x" * 500_000).status_code == 422
    text = client.put(f"{url}/picture", {"picture": "*"}, content_type="application/json")
    assert "base64" in text.json()["error"]
    assert put(drawn("JPEG", (64, 40)), as_user(other)).status_code == 404
    assert client.get(address).content == shown.content
    client.delete(url)
    assert not list((Path(settings.DATA) / "pictures").glob("*"))


@pytest.mark.django_db(transaction=True)
def test_a_file_is_opened_without_keeping_those_waiting_who_write(
    client: Client, wren: User, dressed: DressedSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before, every prop of it was read and hashed in the midst of the transaction that writes the set."""
    data = client.get(f"{SETS.format(key=dressed.key)}/hand-over.glb").getvalue()
    done: list[str] = []

    def outside(run: Callable[..., Any]) -> Callable[..., Any]:
        def checked(*given: Any, **more: Any) -> Any:
            assert not connection.in_atomic_block, run.__name__
            done.append(run.__name__)
            return run(*given, **more)

        return checked

    for name in ("whole_prop", "write_whole", "whole_mesh"):
        monkeypatch.setattr(shelving, name, outside(getattr(shelving, name)))
    monkeypatch.setattr(GltfDocument, "parse", outside(GltfDocument.parse))
    made = open_set(data, "from a file", wren)
    assert {"whole_prop", "parse"} <= set(done)
    assert made.records.count() == dressed.records.count()
    monkeypatch.undo()
    before = sorted((settings.DATA / "props").iterdir())
    row = read_set(GltfDocument.parse(data)).document
    row.json["nodes"][0]["name"] = "another floor"
    monkeypatch.setattr(opening, "write_deltas", lambda *given: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        open_set(row.to_glb(), "not kept", wren)
    assert sorted((settings.DATA / "props").iterdir()) == before, "no file is left of what was not kept"
    assert not DressedSet.objects.filter(name="not kept").exists()
