"""The WebSocket: who may listen, two stages at once, and pointing that never queues."""

import asyncio
import json
import threading
from typing import Any

import pytest
from asgiref.sync import sync_to_async
from channels.testing import WebsocketCommunicator
from django.contrib.auth.models import User
from django.test import Client

from brickseat.asgi import application
from brickseat.live import consumer
from brickseat.live.messages import NEWS, PointQuestion
from brickseat.live.outbox import Outbox
from brickseat.sets import session
from brickseat.sets.listening import MOST_OF_USER, Frame, listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.news import message
from brickseat.sets.session import LiveSet, sessions
from brickseat_core.moves.fields import MOST_PIECES

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.asyncio]
HOST = b"127.0.0.1:8460"


@sync_to_async
def cookie_of(user: User) -> bytes:
    client = Client()
    client.force_login(user)
    return f"sessionid={client.cookies['sessionid'].value}".encode()


async def stage(dressed: DressedSet, user: User | None, origin: bytes = b"http://" + HOST) -> WebsocketCommunicator:
    headers = [(b"origin", origin), (b"host", HOST)]
    if user is not None:
        headers.append((b"cookie", await cookie_of(user)))
    return WebsocketCommunicator(application, f"/ws/sets/{dressed.key}", headers=headers)


async def heard(socket: WebsocketCommunicator, seconds: float, kind: str = "") -> dict[str, Any]:
    """The next message, which is one of those published; frames, and who is here, are passed over unless asked for."""
    while True:
        received = await socket.receive_output(timeout=seconds)
        if not received.get("text"):
            continue
        message: dict[str, Any] = json.loads(received["text"])
        NEWS.validate_python(message)
        if message["kind"] == kind or (not kind and message["kind"] != "presence"):
            return message


async def opened(dressed: DressedSet, user: User) -> WebsocketCommunicator:
    socket = await stage(dressed, user)
    assert (await socket.connect(timeout=20))[0]
    assert (await heard(socket, 60))["kind"] == "ready"
    return socket


def question(n: int, x: float = -1.0, **more: Any) -> dict[str, Any]:
    ray = {"origin": [x, 3.0, 1.0], "direction": [0.0, -1.0, 0.0]}
    return {"kind": "point", "n": n, "prop": "crate", "ray": ray, "slip": {}, **more}


async def test_strangers_and_foreign_pages_are_refused(dressed: DressedSet, wren: User, other: User) -> None:
    for origin in (b"http://elsewhere.invalid", b"http://127.0.0.1:9999", b""):
        socket = await stage(dressed, wren, origin)
        assert not (await socket.connect(timeout=20))[0], origin
    for user, code in ((None, 4401), (other, 4404)):
        socket = await stage(dressed, user)
        await socket.connect(timeout=20)
        assert await closed_with(socket) == code, "and the page learns why"


async def test_pointing_answers_with_the_seated_pose(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    await socket.send_json_to(question(1))
    answer = await heard(socket, 20)
    assert (answer["n"], answer["on"]) == (1, "floor")
    assert answer["pose"]["position"] == pytest.approx([-1.0, 0.25, 1.0], abs=1e-9)
    await socket.send_json_to(question(2, x=0.3, ray={"origin": [0.45, 3.0, 0.0], "direction": [0, -1, 0]}))
    answer = await heard(socket, 20)
    assert answer["clashes"][0]["name"] == "crate 1"
    assert answer["clashes"][0]["depth"] == pytest.approx(0.05, abs=1e-5)
    await socket.send_json_to(question(3, ray={"origin": [0, 3, 0], "direction": [0, 1, 0]}))
    assert (await heard(socket, 20))["pose"] is None
    await socket.disconnect()


async def test_two_stages_see_each_others_changes_at_once(dressed: DressedSet, wren: User) -> None:
    first, second = await opened(dressed, wren), await opened(dressed, wren)
    client = Client()
    await sync_to_async(client.force_login)(wren)
    body = {"move": {"kind": "repair", "pieces": ["floats"]}}
    post = sync_to_async(client.post)
    answer = await post(f"/api/sets/{dressed.key}/moves", body, content_type="application/json")
    assert answer.status_code == 200
    for socket in (first, second):
        news = await heard(socket, 20)
        assert news["kind"] == "changed"
        assert news["revision"] == 1
        assert news["deltas"][0]["after"]["pose"]["position"][1] == pytest.approx(0.25, abs=1e-9)
        assert news["fits"]
        await socket.disconnect()


async def test_overtaken_questions_are_never_computed(
    dressed: DressedSet, wren: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    computed: list[int] = []
    begun, sent = threading.Event(), threading.Event()

    def slow(live: LiveSet, asked: PointQuestion, directions: Any) -> dict[str, Any]:
        computed.append(asked.n)
        begun.set()
        assert sent.wait(60)
        return {"revision": 0, "pose": None}

    socket = await opened(dressed, wren)
    monkeypatch.setattr(consumer, "answer", slow)
    await socket.send_json_to(question(1))
    assert await asyncio.to_thread(begun.wait, 60)
    for n in range(2, 30):
        await socket.send_json_to(question(n))
    # Messages are taken in one after another: once this one is answered, all questions are there.
    await socket.send_json_to({"kind": "hold", "keys": []})
    await heard(socket, 60, "held")
    sent.set()
    assert [(await heard(socket, 60))["n"] for _ in range(2)] == [1, 29]
    assert computed == [1, 29]
    await socket.disconnect()


async def test_bad_questions_get_an_answer_in_words(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    bad: list[Any] = [
        {"kind": "dance"},
        [],
        {"kind": "point", "n": 8},
        question(1, prop="nothing of this name"),
        question(2, ray={"origin": [0, 0], "direction": [0, -1, 0]}),
        question(3, ray={"origin": [0, 0, 0], "direction": [0, 0, 0]}),
        question(4, slip={"lean": 7}),
        question(5, slip={"side": "inside"}),
        question(6, ray={"origin": [0, 0, 1e300], "direction": [0, -1, 0]}),
    ]
    for asked in bad:
        await socket.send_json_to(asked)
        answer = await heard(socket, 20)
        assert answer["kind"] == "refused"
        assert answer["n"] == (asked.get("n") if isinstance(asked, dict) else None)
        assert len(answer["error"]) > 8
    await socket.send_to(text_data="{" + "x" * (1 << 20))
    assert (await heard(socket, 20))["kind"] == "refused"
    await socket.disconnect()


async def test_what_one_holds_the_other_may_not_move(dressed: DressedSet, wren: User, other: User) -> None:
    await dressed.dressers.aadd(other)
    first, second = await opened(dressed, wren), await opened(dressed, other)
    here = (await heard(second, 20, "presence"))["here"]
    assert {o["name"] for o in here} <= {"wren", "somebody else"}
    await first.send_json_to({"kind": "hold", "keys": ["sits"]})
    assert (await heard(first, 20, "held"))["by"] is None
    await second.send_json_to({"kind": "hold", "keys": ["sits", "floats"]})
    assert (await heard(second, 20, "held"))["by"] == "wren"
    client = Client()
    await sync_to_async(client.force_login)(other)
    post = sync_to_async(client.post)
    url, slide = f"/api/sets/{dressed.key}/moves", {"kind": "slide", "pieces": ["sits"], "by": [0.1, 0, 0]}
    answer = await post(url, {"move": slide}, content_type="application/json")
    assert answer.status_code == 409
    assert answer.json()["error"].startswith("wren is moving that")
    await first.disconnect()
    answer = await post(url, {"move": slide}, content_type="application/json")
    assert answer.status_code == 200
    await second.disconnect()


async def test_a_previewed_move_is_what_it_would_be_and_changes_nothing(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    move = {"kind": "slide", "pieces": ["sits"], "by": [3.0, 0, 0]}
    await socket.send_json_to({"kind": "preview", "n": 1, "move": move})
    previewed = await heard(socket, 20)
    assert previewed["deltas"][0]["after"]["pose"]["position"] == pytest.approx([0.5, 0.25, 0.0], abs=1e-6)
    await dressed.arefresh_from_db()
    assert dressed.revision == 0
    for bad in ({"kind": "slide", "pieces": ["gone"], "by": [1, 0, 0]}, {"kind": "remove", "pieces": ["sits"]}, {}):
        await socket.send_json_to({"kind": "preview", "n": 2, "move": bad})
        assert (await heard(socket, 20))["kind"] == "refused"
    await socket.disconnect()


async def closed_with(socket: WebsocketCommunicator) -> int:
    """The code that a stage is closed with, whatever is said before."""
    while True:
        received = await socket.receive_output(timeout=20)
        if received["type"] == "websocket.close":
            return int(received["code"])


async def test_sharing_taken_away_signing_out_and_deleting_close_stages_at_once(
    dressed: DressedSet, wren: User, other: User
) -> None:
    await dressed.dressers.aadd(other)
    shared = await opened(dressed, other)
    client, cookie = Client(), await cookie_of(wren)
    client.cookies["sessionid"] = cookie.decode().split("=")[1]
    headers = [(b"origin", b"http://" + HOST), (b"host", HOST), (b"cookie", cookie)]
    signed_in = WebsocketCommunicator(application, f"/ws/sets/{dressed.key}", headers=headers)
    assert (await signed_in.connect(timeout=20))[0]
    elsewhere = await opened(dressed, wren)
    url = f"/api/sets/{dressed.key}"
    delete, post = sync_to_async(client.delete), sync_to_async(client.post)
    assert (await delete(f"{url}/dressers/somebody else")).status_code == 204
    assert await closed_with(shared) == 4404
    again = await stage(dressed, other)
    await again.connect(timeout=20)
    assert await closed_with(again) == 4404
    assert (await post("/api/sign-out")).status_code == 204
    assert await closed_with(signed_in) == 4401
    listeners.broadcast(dressed.key, message("prop", {"prop": "crate"}))
    assert (await heard(elsewhere, 20, "prop"))["prop"] == "crate", "another session of the same dresser stays"
    await sync_to_async(client.force_login)(wren)
    assert (await delete(url)).status_code == 204
    assert await closed_with(elsewhere) == 4404


async def test_five_hundred_news_at_once_all_arrive_in_order(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    for n in range(500):
        listeners.broadcast(dressed.key, message("prop", {"prop": f"crate-{n}"}))
    heard_of = [(await heard(socket, 20))["prop"] for _ in range(500)]
    assert heard_of == [f"crate-{n}" for n in range(500)]
    await socket.disconnect()
    assert not listeners.of(dressed.key), "who has left hears nothing"


async def test_a_stage_that_falls_behind_is_closed_and_of_frames_only_the_newest_waits() -> None:
    outbox = Outbox(1, "session")
    sent: list[Any] = []
    ended = asyncio.Event()

    async def keep(what: Any) -> None:
        sent.append(what)

    async def close(code: int) -> None:
        sent.append(code)
        ended.set()

    sending = asyncio.create_task(outbox.send(keep, keep, close))
    for n in range(5):
        outbox.hear(Frame("falling", bytes([n])))
    await asyncio.sleep(0.05)
    outbox.hear(Frame("falling", b"next"))
    outbox.hear(Frame("falling", b"newest"))
    await asyncio.sleep(0.05)
    assert sent == [b"\x04", b"next"] or sent == [b"\x04", b"newest"]
    outbox.drawn("another job")
    await asyncio.sleep(0.05)
    assert len(sent) == 2, "what was drawn of another job makes no room"
    outbox.hear(Frame("second", b"0"))
    await asyncio.sleep(0.05)
    assert sent[2:] == [b"0"], "frames of the job before do not hold up the next one's"
    sending.cancel()

    late = Outbox(1, "session")
    for _ in range(70):
        late.hear("x" * 1024 * 1024)
    late.hear("one more")
    sent.clear()
    sending = asyncio.create_task(late.send(keep, keep, close))
    await asyncio.wait_for(ended.wait(), 20)
    assert sent == [4408]
    await sending


async def test_undo_leaves_alone_what_another_stage_holds(dressed: DressedSet, wren: User, other: User) -> None:
    await dressed.dressers.aadd(other)
    client = Client()
    await sync_to_async(client.force_login)(wren)
    post = sync_to_async(client.post)
    url = f"/api/sets/{dressed.key}"
    slide = {"move": {"kind": "slide", "pieces": ["sits"], "by": [0.1, 0, 0]}}
    assert (await post(f"{url}/moves", slide, content_type="application/json")).status_code == 200
    holds = await opened(dressed, other)
    await holds.send_json_to({"kind": "hold", "keys": ["sits"]})
    await heard(holds, 20, "held")
    for path in ("undo", "history/0"):
        answer = await post(f"{url}/{path}")
        assert answer.status_code == 409
        assert answer.json()["error"].startswith("somebody else is moving that")
    await holds.send_json_to({"kind": "hold", "keys": []})
    await heard(holds, 20, "held")
    assert (await post(f"{url}/undo")).status_code == 200
    await holds.send_json_to({"kind": "hold", "keys": ["sits"]})
    await heard(holds, 20, "held")
    assert (await post(f"{url}/redo")).status_code == 409
    await holds.disconnect()


async def test_a_set_that_somebody_has_open_stays_in_memory_and_idle_ones_are_bounded(
    dressed: DressedSet, wren: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(LiveSet, "size", 100)
    monkeypatch.setattr(session, "IDLE_BYTES", 350)
    socket = await opened(dressed, wren)
    held = sessions.kept(dressed.key)
    others = [await DressedSet.objects.acreate(owner=wren, name=f"idle {n}") for n in range(8)]
    for other in others:
        await sync_to_async(sessions.of)(other)
    assert sessions.kept(dressed.key) is held
    # Three fit, and the one that was asked for last.
    assert [sessions.kept(o.key) is not None for o in others] == [False] * 4 + [True] * 4
    await socket.disconnect()
    for other in others:
        await sync_to_async(sessions.of)(other)
    assert sessions.kept(dressed.key) is None, "nobody has it open any more"
    monkeypatch.setattr(session, "IDLE_SECONDS", 0.0)
    await sync_to_async(sessions.of)(others[0])
    assert [sessions.kept(o.key) is not None for o in others] == [True] + [False] * 7, "nobody asked for the others"


async def test_a_stage_that_does_not_open_counts_against_nobody(
    dressed: DressedSet, wren: User, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before, each stayed among those that listen, and the ninth was refused until the server was started again."""

    def broken(self: consumer.SetConsumer) -> LiveSet:
        raise OSError("the disk is gone")

    with monkeypatch.context() as patched:
        patched.setattr(consumer.SetConsumer, "_session", broken)
        for _ in range(MOST_OF_USER + 1):
            socket = await stage(dressed, wren)
            assert (await socket.connect(timeout=20))[0]
            assert (await socket.receive_output(timeout=20)) == {"type": "websocket.close", "code": consumer.BROKEN}
            await socket.disconnect()
    assert listeners.of(dressed.key) == []
    await (await opened(dressed, wren)).disconnect()


async def test_as_many_pieces_are_held_as_the_rules_allow(dressed: DressedSet, wren: User) -> None:
    """Before, no more than some 7,400 keys fitted into a message, and a large selection could not be dragged."""
    socket = await opened(dressed, wren)
    keys = [f"piece {number:034d}" for number in range(MOST_PIECES)]
    assert {len(key) for key in keys} == {40}
    await socket.send_json_to({"kind": "hold", "keys": keys})
    assert len((await heard(socket, 20))["keys"]) == MOST_PIECES
    await socket.send_json_to({"kind": "preview", "n": 1, "move": {"kind": "carry", "pieces": keys, "by": [0, 0, 1]}})
    refused = await heard(socket, 20)
    assert (refused["kind"], refused["n"]) == ("refused", 1), "it is read, and refused for what it asks"
    assert "a short JSON text" not in refused["error"]
    await socket.disconnect()
