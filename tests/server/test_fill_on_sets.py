"""Bays on a set of the server: found, filled by a move that is seen as it goes, ended early, and the list of props as a table."""

import time
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client
from test_under_way import Ear

from brickseat.sets import under_way
from brickseat.sets.changing import Asking, make_move
from brickseat.sets.listening import listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.session import sessions
from brickseat.sets.under_way import moves_under_way
from brickseat_core.moves import MoveRefused, parse

pytestmark = pytest.mark.django_db
Move = Callable[..., Any]
BOX = {"position": [0.0, 0.5, -1.65], "scale": [3.0, 1.0, 2.7]}
"""A bay on the free floor of the set."""


def whole(client: Client, dressed: DressedSet) -> Any:
    return client.get(f"/api/sets/{dressed.key}").json()


@pytest.fixture
def bay(move: Move) -> str:
    change = move(kind="mark_out", prop="paper-box", pose=BOX, name="corner")
    (key,) = [d["key"] for d in change["deltas"] if d["kind"] == "region"]
    return str(key)


def recipe(bay: str, **more: Any) -> dict[str, Any]:
    return {"bay": bay, "props": [{"prop": "crate", "size": [0.25, 0.25]}], "count": 30, "seed": 5, **more}


def placed(client: Client, dressed: DressedSet) -> dict[int, Any]:
    return {p["number"]: p for p in whole(client, dressed)["pieces"] if p["recipe"]}


def test_a_bay_is_filled_kept_and_filled_again_after_a_restart(
    client: Client, dressed: DressedSet, move: Move, bay: str
) -> None:
    before = whole(client, dressed)
    change = move(kind="fill", recipe=recipe(bay), name="crates")
    assert change["words"].startswith("filled corner: placed 30, ")
    (key,) = [d["key"] for d in change["deltas"] if d["kind"] == "recipe"]
    sessions.clear()
    found = whole(client, dressed)
    assert [(r["key"], r["name"], r["recipe"]) for r in found["recipes"]] == [(key, "crates", "fill")]
    first = placed(client, dressed)
    states = {f["key"]: f["state"] for f in found["fits"]}
    assert {states[p["key"]] for p in first.values()} == {"seated"}
    assert move(kind="fill", recipe=recipe(bay), again=key, name="crates")["deltas"] == []
    move(kind="reshape", region=bay, pose={**BOX, "position": [0.0, 0.5, -0.975], "scale": [3.0, 1.0, 1.35]})
    move(kind="fill", recipe=recipe(bay, count=40), again=key, keep=True)
    second = placed(client, dressed)
    assert len(second) == 40
    stayed = {n: p for n, p in first.items() if p["pose"]["position"][2] > -1.5}
    assert 5 < len(stayed) < 30
    assert {n: second[n] for n in stayed} == stayed
    for _ in range(3):
        assert client.post(f"/api/sets/{dressed.key}/undo").status_code == 200
    after = whole(client, dressed)
    assert (after["pieces"], after["recipes"], after["regions"]) == (before["pieces"], [], before["regions"])


def filling(dressed: DressedSet, wren: User, bay: str, do: Callable[[str, int], None]) -> list[dict[str, Any]]:
    """Fill the bay; ``do`` gets its name and how many stand, each time. What was heard of it."""
    shown: list[int] = []

    def heard(news: dict[str, Any]) -> None:
        if news["kind"] == "under_way":
            shown.extend(p["number"] for p in news["pieces"])
            do(news["ask"], len(shown))

    ear = Ear(heard)
    listeners.join(dressed.key, ear)
    try:
        move = {"kind": "fill", "recipe": recipe(bay, count=None)}
        make_move(dressed.key, wren, lambda live: parse(move), asking=Asking(ask="mine"))
    finally:
        listeners.leave(dressed.key, ear)
    return ear.heard


def test_each_piece_is_shown_as_it_is_placed(
    client: Client, wren: User, dressed: DressedSet, bay: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(under_way, "SHOW_SECONDS", 0.0)
    heard = filling(dressed, wren, bay, lambda ask, count: None)
    shown = [p for news in heard if news["kind"] == "under_way" for p in news["pieces"]]
    assert [p["number"] for p in shown] == list(range(1, len(shown) + 1))
    there = placed(client, dressed)
    assert len(shown) > 100
    for p in shown:
        assert there[p["number"]]["pose"]["position"] == pytest.approx(p["pose"]["position"])


def test_what_stands_is_kept_when_it_is_enough(
    client: Client, wren: User, dressed: DressedSet, bay: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(under_way, "SHOW_SECONDS", 0.0)

    def enough(ask: str, count: int) -> None:
        if count >= 12:
            assert client.delete(f"/api/sets/{dressed.key}/moves/{ask}?keep=true").status_code == 204

    filling(dressed, wren, bay, enough)
    assert 12 <= len(placed(client, dressed)) < 20
    assert len(whole(client, dressed)["recipes"]) == 1


def test_nothing_is_kept_when_it_is_stopped(
    client: Client, wren: User, dressed: DressedSet, bay: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(under_way, "SHOW_SECONDS", 0.0)
    before = whole(client, dressed)
    with pytest.raises(MoveRefused, match="stopped; nothing was changed"):
        filling(dressed, wren, bay, lambda ask, count: count < 12 or bool(moves_under_way.stop(dressed.key, ask)))
    assert whole(client, dressed) == before


def asked(client: Client, path: str, body: Any, expect: int = 200) -> Any:
    answer = client.post(path, body, content_type="application/json")
    assert answer.status_code == expect, answer.content
    return answer.json()


def test_a_compartment_is_found_and_nothing_changed(
    client: Client, other: User, as_user: Callable[[User], Client], dressed: DressedSet
) -> None:
    before = whole(client, dressed)
    path = f"/api/sets/{dressed.key}/bay"
    found = asked(client, path, {"point": [-2.0, 0.0, -2.0], "normal": [0.0, 1.0, 0.0]})
    assert found["floor"] == "floor"
    low = found["pose"]["position"][1] - 0.5 * found["pose"]["scale"][1]
    assert low == pytest.approx(0.0, abs=1e-6)
    assert whole(client, dressed) == before
    wrong = asked(client, path, {"point": [90.0, 0.0, 0.0], "normal": [0.0, 1.0, 0.0]}, 409)
    assert "no level floor" in wrong["error"]
    asked(as_user(other), path, {"point": [-2.0, 0.0, -2.0], "normal": [0.0, 1.0, 0.0]}, 404)


def test_the_list_goes_out_and_comes_in_again(client: Client, dressed: DressedSet) -> None:
    props = [{"prop": "crate", "share": 2.5, "sides": "any", "size": [0.5, 1.0]}]
    text = asked(client, "/api/prop-lists/write", {"props": props, "names": {"crate": 'crate, "small"'}})["text"]
    assert text.splitlines()[1].startswith('"crate, ""small""",2.5,')
    read = asked(client, "/api/prop-lists/read", {"text": text, "props": {'crate, "small"': "crate"}})["props"]
    assert [(r["prop"], r["share"], r["sides"], r["size"]) for r in read] == [("crate", 2.5, "any", [0.5, 1.0])]
    wrong = asked(
        client, "/api/prop-lists/read", {"text": "prop;share\njar;1\ncrate;x\n", "props": {"crate": "crate"}}, 422
    )
    assert "row 2: prop: no prop of the trolley is called 'jar'" in wrong["error"]
    assert "row 3: share: 'x' is no number" in wrong["error"]


def ended(client: Client, dressed: DressedSet, job: str) -> Any:
    for _ in range(600):
        found = client.get(f"/api/sets/{dressed.key}/jobs/{job}").json()
        if found["state"] != "running":
            return found
        time.sleep(0.1)
    raise AssertionError("the job did not end")


@pytest.mark.django_db(transaction=True)
def test_several_ways_are_tried_and_one_of_them_is_made(
    client: Client, dressed: DressedSet, move: Move, bay: str
) -> None:
    move(kind="fill", recipe=recipe(bay, count=5), name="crates")
    (kept,) = whole(client, dressed)["recipes"]
    before = whole(client, dressed)
    body = {
        "recipe": recipe(bay, props=[{"prop": "crate", "size": [0.2, 0.4]}], count=25),
        "trials": 3,
        "again": kept["key"],
    }
    job = asked(client, f"/api/sets/{dressed.key}/jobs/fill", body, 202)
    assert (job["kind"], job["state"]) == ("fill", "running")
    done = ended(client, dressed, job["key"])
    assert whole(client, dressed) == before
    outcomes = done["outcomes"]
    assert sorted(o["recipe"]["seed"] for o in outcomes) == [5, 6, 7]
    assert [o["score"] for o in outcomes] == sorted(o["score"] for o in outcomes)
    assert all(len(o["gone"]) == 5 and o["words"].startswith("placed 25") for o in outcomes)
    chosen = outcomes[1]
    move(kind="fill", recipe=chosen["recipe"], again=kept["key"])
    at = {p["number"]: p["pose"]["position"] for p in chosen["born"]}
    assert {n: p["pose"]["position"] for n, p in placed(client, dressed).items()} == at
    refused = asked(client, f"/api/sets/{dressed.key}/jobs/{job['key']}/adopt", {"trial": 0}, 409)
    assert "made by a move of kind fill" in refused["error"]
    assert client.delete(f"/api/sets/{dressed.key}/jobs/{job['key']}").status_code == 204


def test_ways_to_fill_what_is_no_bay_are_refused(
    client: Client, other: User, as_user: Callable[[User], Client], dressed: DressedSet, bay: str
) -> None:
    path = f"/api/sets/{dressed.key}/jobs/fill"
    assert "that bay is no longer there" in asked(client, path, {"recipe": recipe("gone")}, 409)["error"]
    asked(client, path, {"recipe": recipe(bay, props=[{"prop": "unheard of"}])}, 404)
    wrong = asked(client, path, {"recipe": recipe(bay, props=[{"file": "stone.glb"}])}, 409)
    assert "choose props of the store" in wrong["error"]
    asked(as_user(other), path, {"recipe": recipe(bay)}, 404)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"bay": "floor"}, "no region 'floor'"),
        ({"props": [{"prop": "unheard of"}]}, "not in the store"),
        ({"props": [{"file": "stone.glb"}]}, "only read by the command line"),
        ({"props": [{"prop": "crate", "size": [2, 1]}]}, "size: 2 is more than 1"),
    ],
)
def test_bad_recipes_are_refused_in_words(
    client: Client, dressed: DressedSet, move: Move, bay: str, wrong: dict[str, Any], said: str
) -> None:
    before = whole(client, dressed)
    assert said in move(expect=409, kind="fill", recipe={**recipe(bay), **wrong})["error"]
    assert whole(client, dressed) == before
