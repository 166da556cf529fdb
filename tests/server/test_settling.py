"""Settling on the server: in the background, seen live, adopted whole or in part, and never half done."""

import time
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from asgiref.sync import sync_to_async
from django.contrib.auth.models import User
from django.test import Client
from test_live import heard, opened

from brickseat.sets.models import DressedSet

Move = Callable[..., Any]


def waited(client: Client, url: str, seconds: float = 60.0) -> Any:
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        job = client.get(url).json()
        if job["state"] != "running":
            return job
        time.sleep(0.05)
    raise AssertionError("the job never ended")


@pytest.mark.django_db(transaction=True)
def test_a_settling_is_adopted_in_part_as_one_step(client: Client, dressed: DressedSet, move: Move) -> None:
    url = f"/api/sets/{dressed.key}"
    before = client.get(url).json()["pieces"]
    started = client.post(f"{url}/settle", {"keys": ["sits", "floats"], "lift": 0.1}, content_type="application/json")
    assert started.status_code == 202, started.content
    job = f"{url}/jobs/{started.json()['key']}"
    again = client.post(f"{url}/settle", {"keys": ["sits"]}, content_type="application/json")
    assert again.status_code in (202, 409)
    done = waited(client, job)
    assert done["state"] == "done", done
    (outcome,) = done["outcomes"]
    assert outcome["named"] == []
    assert client.get(url).json()["pieces"] == before, "nothing moves before it is adopted"
    adopted = client.post(f"{job}/adopt", {"keys": ["floats"]}, content_type="application/json").json()
    assert [d["key"] for d in adopted["deltas"]] == ["floats"]
    assert adopted["words"] == "settled crate 2"
    fit = next(f for f in client.get(url).json()["fits"] if f["key"] == "floats")
    assert (fit["state"], fit["gap"]) == ("seated", pytest.approx(0.0, abs=5e-5))
    client.post(f"{url}/undo")
    assert client.get(url).json()["pieces"] == before
    assert client.delete(job).status_code == 204
    assert client.get(job).status_code == 404
    spiked = client.post(f"{url}/settle", {"keys": ["spiked"]}, content_type="application/json")
    assert spiked.status_code == 409
    assert "select loose pieces" in spiked.json()["error"]


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_frames_come_live_and_a_stop_leaves_the_set_as_it_was(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    client = Client()
    await sync_to_async(client.force_login)(wren)
    post = sync_to_async(client.post)
    url = f"/api/sets/{dressed.key}"
    started = await post(f"{url}/settle", {"keys": ["sits"], "lift": 1.0}, content_type="application/json")
    told = await heard(socket, 30, "job")
    while "keys" not in told:
        assert told["words"] == "making contact shapes"
        told = await heard(socket, 30, "job")
    assert told["keys"] == ["sits"]
    heights = []
    while len(heights) < 6:
        message = await socket.receive_output(timeout=20)
        if message.get("bytes"):
            heights.append(float(np.frombuffer(message["bytes"], "<f4").reshape(-1, 7)[0, 1]))
    assert heights == sorted(heights, reverse=True)
    assert heights[0] > heights[-1]
    assert (await sync_to_async(client.delete)(f"{url}/jobs/{started.json()['key']}")).status_code == 204
    while True:
        message = await socket.receive_output(timeout=20)
        if '"kind":"job"' in message.get("text", "") and '"stopped"' in message["text"]:
            break
    await dressed.arefresh_from_db()
    assert dressed.revision == 0
    await socket.disconnect()
