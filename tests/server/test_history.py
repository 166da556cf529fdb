"""History: any run of changes taken back and done again leaves the set as it was, whatever was lost meanwhile."""

import random
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.db import transaction
from django.test import Client

from brickseat.sets import changing
from brickseat.sets.models import DressedSet, HistoryEntry, StoredRecord
from brickseat.sets.session import LiveSet, sessions
from brickseat_core.fit.check import check
from brickseat_core.moves import parse

Move = Callable[..., Any]


def rounded(value: Any) -> Any:
    """The same without the last digits, which a turn there and back between matrix and quaternion may change."""
    if isinstance(value, float):
        return round(value, 9) + 0.0
    if isinstance(value, list):
        return [rounded(v) for v in value]
    return {k: rounded(v) for k, v in value.items()} if isinstance(value, dict) else value


def picture(client: Client, dressed: DressedSet) -> tuple[dict[str, Any], dict[str, Any]]:
    found = client.get(f"/api/sets/{dressed.key}").json()
    pieces = {p["key"]: rounded(p) for p in found["pieces"]}
    return pieces, {f["key"]: rounded(f) for f in found["fits"]}


def some_move(rng: random.Random, keys: list[str]) -> dict[str, Any]:
    key = rng.choice(keys)
    return rng.choice(
        [
            {"kind": "slide", "pieces": [key], "by": [rng.uniform(-0.5, 0.5), 0.0, rng.uniform(-0.5, 0.5)]},
            {"kind": "turn", "pieces": [key], "angle_deg": rng.uniform(-180, 180)},
            {"kind": "size", "pieces": [key], "factor": rng.uniform(0.5, 1.5)},
            {"kind": "bed", "pieces": [key], "sink": rng.uniform(-0.02, 0.02)},
            {"kind": "reseat", "pieces": [key]},
            {"kind": "spike", "pieces": ["floats"], "spiked": rng.random() < 0.5},
            {"kind": "repair", "pieces": None},
        ]
    )


@pytest.mark.parametrize("seed", range(4))
def test_all_taken_back_and_all_done_again(seed: int, client: Client, dressed: DressedSet) -> None:
    rng = random.Random(seed)
    url = f"/api/sets/{dressed.key}"
    seen = [picture(client, dressed)]
    for _ in range(12):
        answer = client.post(f"{url}/moves", {"move": some_move(rng, ["sits", "floats"])}, "application/json")
        if answer.status_code == 200 and answer.json()["deltas"]:
            seen.append(picture(client, dressed))
    assert len(seen) > 4
    for step in reversed(seen[:-1]):
        if rng.random() < 0.4:
            sessions.clear()
        assert client.post(f"{url}/undo").status_code == 200
        assert picture(client, dressed) == step
    assert client.post(f"{url}/undo").status_code == 409
    for step in seen[1:]:
        if rng.random() < 0.4:
            sessions.clear()
        assert client.post(f"{url}/redo").status_code == 200
        assert picture(client, dressed) == step
    assert client.post(f"{url}/redo").status_code == 409


def test_the_session_agrees_with_the_database_after_every_change(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    rng = random.Random(9)
    for _ in range(10):
        client.post(f"/api/sets/{dressed.key}/moves", {"move": some_move(rng, ["sits", "floats"])}, "application/json")
        live = sessions.of(DressedSet.objects.get(key=dressed.key))
        anew = LiveSet.load(DressedSet.objects.get(key=dressed.key))
        assert live.snapshot.index.pieces.keys() == anew.snapshot.index.pieces.keys()
        for key, piece in live.snapshot.index.pieces.items():
            assert np.allclose(piece.pose.matrix, anew.snapshot.index.pieces[key].pose.matrix, rtol=0.0, atol=1e-12)
        assert live.snapshot.fits == check(live.snapshot.index, live.snapshot.dressed.tolerance)
        assert {k: (f.state, f.reason) for k, f in live.snapshot.fits.items()} == {
            k: (f.state, f.reason) for k, f in anew.snapshot.fits.items()
        }


def test_a_change_that_fails_half_way_leaves_nothing_behind(
    dressed: DressedSet, wren: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = list(StoredRecord.objects.order_by("key").values())

    def broken(*_: object) -> None:
        raise OSError("the disk is full")

    monkeypatch.setattr(changing, "summarise", broken)
    with pytest.raises(OSError, match="full"), transaction.atomic():
        changing.make_move(
            dressed.key, wren, lambda live: parse({"kind": "slide", "pieces": ["sits"], "by": [0.3, 0, 0]})
        )
    monkeypatch.undo()
    assert list(StoredRecord.objects.order_by("key").values()) == before
    assert not HistoryEntry.objects.exists()
    assert DressedSet.objects.get(key=dressed.key).revision == 0
    result = changing.make_move(
        dressed.key, wren, lambda live: parse({"kind": "slide", "pieces": ["sits"], "by": [0.3, 0, 0]})
    )
    assert result.revision == 1


def test_a_new_change_forgets_what_was_taken_back(client: Client, dressed: DressedSet, move: Move) -> None:
    move(kind="slide", pieces=["sits"], by=[0.1, 0.0, 0.0])
    client.post(f"/api/sets/{dressed.key}/undo")
    move(kind="slide", pieces=["sits"], by=[0.0, 0.0, 0.1])
    assert client.post(f"/api/sets/{dressed.key}/redo").status_code == 409
    words = [e["words"] for e in client.get(f"/api/sets/{dressed.key}/history").json()]
    assert words == ["slid crate 1"]


def test_a_piece_rests_by_one_move_and_what_cannot_is_left_and_named(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    half = 0.3
    pose = {"position": [1.0, 0.6, 0.0], "orientation": [0.0, 0.0, half, (1 - half * half) ** 0.5], "scale": [1, 1, 1]}
    move(kind="place", piece="floats", pose=pose)
    result = move(kind="rest", pieces=["floats"])
    assert result["words"] == "rested crate 2"
    assert result["left"] == []
    pieces, fits = picture(client, dressed)
    assert fits["floats"]["state"] == "seated"
    assert pieces["floats"]["pose"]["position"][1] == pytest.approx(0.25, abs=1e-6)
    away = {**pose, "position": [99.0, 1.0, 0.0]}
    move(kind="place", piece="floats", pose=away)
    result = move(kind="rest", pieces=["floats"])
    assert result["deltas"] == []
    assert result["left"][0]["key"] == "floats"
    assert "nothing" in result["left"][0]["reason"]


def test_a_step_is_previewed_and_gone_back_to(client: Client, dressed: DressedSet, move: Move) -> None:
    url = f"/api/sets/{dressed.key}"
    move(kind="repair", pieces=["floats"])
    move(kind="slide", pieces=["sits"], by=[0.0, 0.0, 1.0])
    move(kind="remove", pieces=["sits"])
    at_one = {p["key"]: p for p in client.get(f"{url}/history/1").json()}
    assert at_one["sits"]["pose"]["position"] == pytest.approx([0.0, 0.25, 0.0])
    assert at_one["floats"]["pose"]["position"][1] == pytest.approx(0.25)
    assert client.get(url).json()["revision"] == 3
    gone = client.post(f"{url}/history/1").json()
    assert {d["key"] for d in gone["deltas"]} == {"sits"}
    assert {p["key"]: p for p in client.get(url).json()["pieces"]} == at_one
    assert gone["can_undo"] == "repaired crate 2"
    on_again = client.post(f"{url}/history/3").json()
    assert on_again["can_redo"] is None
    assert "sits" not in {p["key"] for p in client.get(url).json()["pieces"]}
    assert client.post(f"{url}/history/3").status_code == 409


def test_a_prop_that_is_made_anew_is_noted_in_the_history_and_not_taken_back_there(
    client: Client, dressed: DressedSet
) -> None:
    url = f"/api/sets/{dressed.key}"

    def move() -> Any:
        body = {"move": {"kind": "turn", "pieces": ["sits"], "angle_deg": 30}}
        return client.post(f"{url}/moves", body, content_type="application/json").json()

    move()
    assert client.patch("/api/props/crate", {"unit": "cm"}, content_type="application/json").status_code == 200
    result = client.get(f"{url}/history").json()[0]
    assert (result["words"], result["elsewhere"], result["actor"]) == ("crate made anew in cm", True, "wren")
    now = client.get(url).json()
    assert (now["can_undo"], now["revision"]) == ("turned crate 1", 3)
    # What was done before it can be taken back and done again, and what comes after has a number of its own.
    for path, left in (
        ("undo", None),
        ("redo", "turned crate 1"),
        ("history/0", None),
        ("history/1", "turned crate 1"),
    ):
        assert client.post(f"{url}/{path}").json()["can_undo"] == left, path
    move()
    steps = [(entry["number"], entry["elsewhere"], entry["undone"]) for entry in client.get(f"{url}/history").json()]
    assert steps == [(3, False, False), (2, True, False), (1, False, False)]
    # It outlasts what is taken back and forgotten.
    client.post(f"{url}/history/0")
    move()
    assert [entry["elsewhere"] for entry in client.get(f"{url}/history").json()] == [False, True]
    seat = {"name": "top", "point": [0, 0.25, 0], "facing": [0, 1, 0], "clock": [0, 0, 1]}
    assert client.patch("/api/props/crate", {"seats": [seat]}, content_type="application/json").status_code == 200
    assert client.get(f"{url}/history").json()[0]["words"] == "crate given other seats"
    # A name or a weight changes nothing of the set.
    client.patch("/api/props/crate", {"name": "box", "mass": 3.0}, content_type="application/json")
    assert len(client.get(f"{url}/history").json()) == 3
