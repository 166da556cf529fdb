"""The server is killed in the middle of uploads, moves and jobs: what it acknowledged is there afterwards, and the database is whole."""

import contextlib
import http.client
import json
import random
import sqlite3
import threading
import uuid
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from running_server import RunningServer

TIMES = 3
OBJ = b"v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n"
POSE = {"position": [0, 0, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}


@pytest.fixture
def server(tmp_path: Path) -> Iterator[RunningServer]:
    running = RunningServer(tmp_path)
    yield running
    running.stop()


def upload(server: RunningServer, name: str) -> Any:
    """A prop; what is answered, where it is taken in."""
    edge = uuid.uuid4().hex
    head = f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="{name}.obj"\r\n\r\n'.encode()
    answer = server.ask(
        "POST", "/api/props", head + OBJ + f"\r\n--{edge}--\r\n".encode(), f"multipart/form-data; boundary={edge}"
    )
    return answer.json if answer.status == 201 else None


def until_dead(run: Callable[[], None], dead: threading.Event) -> threading.Thread:
    """Do something over and over, until nobody answers any more."""

    def go_on() -> None:
        with contextlib.suppress(OSError, http.client.HTTPException, json.JSONDecodeError):
            while not dead.is_set():
                run()

    thread = threading.Thread(target=go_on)
    thread.start()
    return thread


def test_killed_in_the_middle_of_everything(server: RunningServer, tmp_path: Path) -> None:
    chance = random.Random(11)
    floor = server.ask("POST", "/api/bearers", b'{"kind": "floor"}').json["key"]
    block = server.ask(
        "POST", "/api/bearers", b'{"kind": "box", "across": 0.3, "along": 0.3, "height": 0.3, "thickness": 0.02}'
    ).json
    key = server.ask("POST", "/api/sets", b'{"name": "yard"}').json["key"]
    url = f"/api/sets/{key}"

    def move(**fields: Any) -> Any:
        return server.ask("POST", f"{url}/moves", json.dumps({"move": fields}).encode()).json

    move(kind="stand", prop=floor, pose=POSE)
    set_down = move(kind="set_down", prop=block["key"], pose={**POSE, "position": [0, 1, 0]})
    piece = set_down["deltas"][0]["key"]
    revisions: list[int] = [set_down["revision"]]
    taken: list[str] = []

    def slide() -> None:
        slid = move(kind="slide", pieces=[piece], by=[0.01 * (-1) ** len(revisions), 0.0, 0.0])
        revisions.append(slid["revision"])

    def send() -> None:
        made = upload(server, f"leaf {len(taken)}")
        if made is not None:
            taken.append(made["prop"]["key"])

    def settle() -> None:
        begun = server.ask("POST", f"{url}/jobs/settle", json.dumps({"keys": [piece], "lift": 0.05}).encode())
        if begun.status < 300:
            server.ask("GET", f"{url}/jobs/{begun.json['key']}")

    # It was set down in the air. From here on it stands on the floor, whatever came through.
    slide()
    for _ in range(TIMES):
        # The first file of a server waits for the process that reads files.
        send()
        dead = threading.Event()
        threads = [until_dead(run, dead) for run in (slide, send, settle)]
        dead.wait(chance.uniform(0.1, 1.5))
        server.kill()
        dead.set()
        # Whoever waits for an answer is let go by the socket that begins to answer again.
        with contextlib.closing(sqlite3.connect(tmp_path / "brickseat.sqlite3")) as database:
            assert database.execute("PRAGMA integrity_check").fetchall() == [("ok",)]
            assert database.execute("PRAGMA foreign_key_check").fetchall() == []
        server.start()
        for thread in threads:
            thread.join(90)
            assert not thread.is_alive()
        found = server.ask("GET", url).json
        # One more may have been stored whose answer did not come through.
        assert max(revisions) <= found["revision"] <= max(revisions) + len(revisions)
        assert len(server.ask("GET", f"{url}/history").json) == min(200, found["revision"])
        listed = {prop["key"]: prop["file"] for prop in server.ask("GET", "/api/props").json}
        assert set(taken) <= set(listed)
        for prop in taken[-3:]:
            assert server.ask("GET", listed[prop]).status == 200
        (fit,) = found["fits"]
        assert fit["state"] == "seated"
        revisions.append(found["revision"])
    assert len(taken) > TIMES
    assert len(revisions) > 3 * TIMES
    # Nothing half written is left beside what is kept.
    assert not [path for path in tmp_path.rglob(".*") if path.is_file() and path.suffix not in (".lock",)]
