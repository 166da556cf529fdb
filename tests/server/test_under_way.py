"""Moves that take their time: they report how far they are, stopped by name, and nothing of them kept."""

import threading
import uuid
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from brickseat.live.messages import NEWS
from brickseat.sets import under_way
from brickseat.sets.changing import Asking, make_move
from brickseat.sets.listening import News, listeners
from brickseat.sets.models import DressedSet, HistoryEntry
from brickseat.sets.session import LiveSet
from brickseat.sets.under_way import moves_under_way
from brickseat_core.moves import MoveRefused, parse

pytestmark = pytest.mark.django_db


class Ear:
    """Hears what is broadcast to a set, and does something about it."""

    user, session = 0, ""

    def __init__(self, on_news: Callable[[dict[str, Any]], None] = lambda news: None) -> None:
        self.heard: list[dict[str, Any]] = []
        self.on_news = on_news

    def hear(self, news: News) -> None:
        assert isinstance(news, str)
        self.heard.append(NEWS.validate_json(news).model_dump())
        self.on_news(self.heard[-1])

    def end(self, code: int) -> None: ...


@pytest.fixture(autouse=True)
def every_message_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(under_way, "MESSAGE_SECONDS", 0.0)


def repair(_: LiveSet) -> Any:
    return parse({"kind": "repair", "pieces": None})


def test_a_move_reports_how_far_it_is_by_the_name_it_was_asked_by(wren: User, dressed: DressedSet) -> None:
    ear = Ear()
    listeners.join(dressed.key, ear)
    try:
        make_move(dressed.key, wren, repair, asking=Asking(ask="mine"))
    finally:
        listeners.leave(dressed.key, ear)
    progress = [n for n in ear.heard if n["kind"] == "under_way"]
    assert next((n["ask"], n["done"], n["total"]) for n in progress) == ("mine", 0, 2)
    assert not moves_under_way.stop(dressed.key, "mine"), "it is made by now"


def test_a_move_that_nobody_named_is_not_reported(wren: User, dressed: DressedSet) -> None:
    ear = Ear()
    listeners.join(dressed.key, ear)
    try:
        make_move(dressed.key, wren, repair)
    finally:
        listeners.leave(dressed.key, ear)
    assert {n["kind"] for n in ear.heard} <= {"changed"}


def test_a_move_that_is_stopped_changes_nothing_and_the_next_one_is_made(
    wren: User, client: Client, dressed: DressedSet
) -> None:
    before = client.get(f"/api/sets/{dressed.key}").json()
    ear = Ear(lambda news: news["kind"] == "under_way" and moves_under_way.stop(dressed.key, news["ask"]))
    listeners.join(dressed.key, ear)
    try:
        with pytest.raises(MoveRefused, match="stopped; nothing was changed"):
            make_move(dressed.key, wren, repair, asking=Asking(ask="mine"))
    finally:
        listeners.leave(dressed.key, ear)
    assert client.get(f"/api/sets/{dressed.key}").json() == before
    assert not HistoryEntry.objects.filter(dressed=dressed).exists()
    assert make_move(dressed.key, wren, repair, asking=Asking(ask="mine")).deltas


def test_only_who_may_dress_the_set_stops_its_moves(
    client: Client, other: User, as_user: Callable[[User], Client], dressed: DressedSet
) -> None:
    with moves_under_way.asked(dressed.key, "mine") as move:
        address = f"/api/sets/{dressed.key}/moves/mine"
        assert as_user(other).delete(address).status_code == 404
        assert move.on_progress(1, 2)
        assert client.delete(f"/api/sets/{uuid.uuid4()}/moves/mine").status_code == 404
        # Another name, or one that is over, stops nothing and is no error.
        assert client.delete(f"/api/sets/{dressed.key}/moves/other").status_code == 204
        assert move.on_progress(1, 2)
        assert client.delete(address).status_code == 204
        assert not move.on_progress(1, 2)
    assert client.delete(address).status_code == 204


def test_two_of_one_name_do_not_take_each_other_away(dressed: DressedSet) -> None:
    begun, over = threading.Event(), threading.Event()

    def second() -> None:
        with moves_under_way.asked(dressed.key, "mine"):
            begun.set()
            over.wait(20)

    thread = threading.Thread(target=second)
    with moves_under_way.asked(dressed.key, "mine"):
        thread.start()
        assert begun.wait(20)
    assert moves_under_way.stop(dressed.key, "mine"), "the second one is still under way"
    over.set()
    thread.join()
    assert not moves_under_way.stop(dressed.key, "mine")


def test_where_a_piece_touches_is_sent_when_it_is_asked_for(client: Client, dressed: DressedSet) -> None:
    address = f"/api/sets/{dressed.key}"
    fits = {f["key"]: f for f in client.get(address).json()["fits"]}
    assert "contacts" not in fits["sits"]
    whole = client.get(f"{address}/fits/sits").json()
    corners = {(round(x, 6), round(z, 6)) for x, _, z in whole.pop("contacts")}
    assert corners >= {(-0.25, -0.25), (-0.25, 0.25), (0.25, -0.25), (0.25, 0.25)}
    assert whole == fits["sits"]
    for missing in ("floor", "nobody"):
        assert client.get(f"{address}/fits/{missing}").status_code == 404
