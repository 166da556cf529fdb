"""What is in each other is shown first, and how deep when it is known."""

import json
import threading
import uuid
from collections.abc import Iterator
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connections
from django.test import Client

from brickseat.live.messages import MeasuredNews
from brickseat.sets import opening, session, storing_fits
from brickseat.sets.listening import News, listeners
from brickseat.sets.models import DressedSet, StoredFit
from brickseat.sets.session import sessions
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check

PATIENCE = 30.0


class Ear:
    """A stage that writes down what it hears."""

    def __init__(self, user: User) -> None:
        self.user, self.session = user.pk, ""
        self.heard: list[str] = []

    def hear(self, news: News) -> None:
        assert isinstance(news, str)
        self.heard.append(news)

    def end(self, code: int) -> None:
        raise AssertionError(f"closed with {code}")


@pytest.fixture
def gate(monkeypatch: pytest.MonkeyPatch) -> Iterator[threading.Event]:
    """Depths are measured once this is set, and nobody waits for them."""
    opened = threading.Event()

    def slow(index: SceneIndex, tolerance: float, keys: Any = None, **more: Any) -> Any:
        if keys is not None:
            assert opened.wait(PATIENCE)
        return check(index, tolerance, keys, **more)

    monkeypatch.setattr(session, "check", slow)
    monkeypatch.setattr(session, "DEPTH_SECONDS", 0.0)
    yield opened
    opened.set()
    for thread in threading.enumerate():
        if thread.name in ("depths", "keep fits"):
            thread.join(PATIENCE)
            assert not thread.is_alive()


def unmeasured(dressed: DressedSet) -> None:
    StoredFit.objects.filter(dressed=dressed).delete()
    DressedSet.objects.filter(key=dressed.key).update(measured_by="")
    sessions.clear()


def test_what_is_in_others_is_shown_first(
    client: Client, wren: User, dressed: DressedSet, gate: threading.Event
) -> None:
    unmeasured(dressed)
    first = {f["key"]: f for f in client.get(f"/api/sets/{dressed.key}").json()["fits"]}
    assert {key: (f["state"], f["deeper"]) for key, f in first.items()} == {
        "sits": ("seated", False),
        "floats": ("floating", False),
        "spiked": ("clashing", True),
    }
    assert [(c["other"], c["depth"]) for c in first["spiked"]["clashes"]] == [("floor", 0.0005)]
    assert first["spiked"]["reason"] == "more than 0.5 mm into floor; how deep is being measured"
    ear = Ear(wren)
    assert listeners.join(dressed.key, ear)
    live = sessions.of(dressed)
    assert not live.writing.acquire(blocking=False), "nobody changes it meanwhile"
    gate.set()
    whole = live.whole()
    assert whole.fits == check(whole.index)
    assert whole.whole
    (spiked,) = (f for f in client.get(f"/api/sets/{dressed.key}").json()["fits"] if f["key"] == "spiked")
    assert (spiked["state"], spiked["depth"], spiked["deeper"]) == ("sunk", pytest.approx(0.01), False)
    for thread in threading.enumerate():
        if thread.name == "depths":
            thread.join(PATIENCE)
    (news,) = map(json.loads, ear.heard)
    assert MeasuredNews.model_validate(news).revision == dressed.revision
    assert news["fits"] == [spiked]
    listeners.leave(dressed.key, ear)


def test_a_move_waits_until_every_depth_is_known(client: Client, dressed: DressedSet, gate: threading.Event) -> None:
    unmeasured(dressed)
    client.get(f"/api/sets/{dressed.key}")
    threading.Timer(0.2, gate.set).start()
    asked = {"move": {"kind": "slide", "pieces": ["sits"], "by": [0.4, 0, 0]}}
    answer = client.post(f"/api/sets/{dressed.key}/moves", asked, content_type="application/json")
    assert answer.status_code == 200
    now = sessions.of(DressedSet.objects.get()).snapshot
    assert now.whole
    assert storing_fits.read_fits(DressedSet.objects.get(), now.dressed) == now.fits == check(now.index)


def test_where_a_depth_could_not_be_measured_it_is_measured_anew(
    client: Client, dressed: DressedSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    unmeasured(dressed)

    def fails(index: SceneIndex, tolerance: float, keys: Any = None, **more: Any) -> Any:
        if keys is not None:
            raise RuntimeError("no memory")
        return check(index, tolerance, keys, **more)

    with monkeypatch.context() as broken:
        broken.setattr(session, "check", fails)
        assert [f["deeper"] for f in client.get(f"/api/sets/{dressed.key}").json()["fits"]] == [False, False, True]
    asked = {"move": {"kind": "slide", "pieces": ["sits"], "by": [0.4, 0, 0]}}
    assert client.post(f"/api/sets/{dressed.key}/moves", asked, content_type="application/json").status_code == 200
    assert DressedSet.objects.get().measured_by == ""
    sessions.clear()
    assert not any(f["deeper"] for f in client.get(f"/api/sets/{dressed.key}").json()["fits"])


@pytest.mark.django_db(transaction=True)
def test_a_file_is_open_before_every_depth_is_known(
    client: Client, wren: User, dressed: DressedSet, gate: threading.Event
) -> None:
    data = client.get(f"/api/sets/{dressed.key}/hand-over.glb").getvalue()
    made = opening.open_set(data, "from a file", wren)
    assert any(f["deeper"] for f in client.get(f"/api/sets/{made.key}").json()["fits"])
    assert card_of(client, made.key)["counts"] == {}
    gate.set()
    for thread in threading.enumerate():
        if thread.name == "keep fits":
            thread.join(PATIENCE)
    stored = DressedSet.objects.get(key=made.key)
    now = sessions.of(stored).snapshot
    assert storing_fits.read_fits(stored, now.dressed) == now.fits == check(now.index)
    counts = card_of(client, made.key)["counts"]
    assert {state: n for state, n in counts.items() if n} == {"seated": 1, "floating": 1, "sunk": 1}
    connections.close_all()


def card_of(client: Client, key: uuid.UUID) -> Any:
    return next(card for card in client.get("/api/sets").json() if card["key"] == str(key))
