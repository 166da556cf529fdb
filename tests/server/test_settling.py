"""Settling on the server: in the background, seen live, adopted whole or in part, and never half done."""

import asyncio
import json
import os
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from asgiref.sync import sync_to_async
from django.conf import settings
from django.contrib.auth.models import User
from django.test import Client
from test_live import heard, opened

from brickseat.jobs.keeping import jobs
from brickseat.jobs.models import KeptJob
from brickseat.sets.listening import News, listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.session import sessions
from brickseat.store.models import StoredProp
from brickseat.store.shelving import shelve
from brickseat.workers import workers
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube

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
    started = client.post(
        f"{url}/jobs/settle", {"keys": ["sits", "floats"], "lift": 0.1}, content_type="application/json"
    )
    assert started.status_code == 202, started.content
    job = f"{url}/jobs/{started.json()['key']}"
    again = client.post(f"{url}/jobs/settle", {"keys": ["sits"]}, content_type="application/json")
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
    assert client.get(job).status_code == 404, "what was adopted is done with"
    spiked = client.post(f"{url}/jobs/settle", {"keys": ["spiked"]}, content_type="application/json")
    assert spiked.status_code == 409
    assert "select loose pieces" in spiked.json()["error"]


@pytest.mark.django_db(transaction=True)
def test_what_was_changed_since_is_not_undone_silently(client: Client, dressed: DressedSet, move: Move) -> None:
    url = f"/api/sets/{dressed.key}"
    asked = {"keys": ["sits", "floats"], "lift": 0.05}
    started = client.post(f"{url}/jobs/settle", asked, content_type="application/json").json()
    job = f"{url}/jobs/{started['key']}"
    (outcome,) = waited(client, job)["outcomes"]
    assert started["revision"] == 0
    assert "boxes" not in outcome, "which the stage has no use for"

    def adopt(expect: int, **more: Any) -> Any:
        answer = client.post(f"{job}/adopt", more, content_type="application/json")
        assert answer.status_code == expect, answer.content
        return answer.json()

    move(kind="spike", pieces=["spiked"], spiked=False)
    move(kind="slide", pieces=["spiked"], by=[0.0, 0.0, 2.0])
    move(kind="slide", pieces=["floats"], by=[0.0, 0.0, 0.1])
    for again in (False, True):
        if again:
            jobs.clear()  # as after a restart
        refused = adopt(409)
        assert (refused["code"], refused["pieces"]) == ("moved_since", ["floats"])
        assert "crate 2 changed since" in refused["error"]
        assert "crate 3" not in refused["error"], "far from all that fell"
    move(kind="slide", pieces=["spiked"], by=[-2.0, 0.0, -1.0])
    move(kind="slide", pieces=["spiked"], by=[0.0, 0.0, -1.0])
    beside = adopt(409, keys=["sits"])
    assert (beside["code"], beside["pieces"]) == ("moved_since", [])
    assert "crate 3 beside it changed since" in beside["error"]
    adopted = adopt(200, anyway=True)
    assert "floats" in {d["key"] for d in adopted["deltas"]}
    at = next(p for p in client.get(url).json()["pieces"] if p["key"] == "floats")["pose"]["position"]
    assert at == next(p for p in outcome["poses"] if p["key"] == "floats")["pose"]["position"]


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_frames_come_live_and_a_stop_leaves_the_set_as_it_was(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    client = Client()
    await sync_to_async(client.force_login)(wren)
    post = sync_to_async(client.post)
    url = f"/api/sets/{dressed.key}"
    started = await post(f"{url}/jobs/settle", {"keys": ["sits"], "lift": 1.0}, content_type="application/json")
    news = await heard(socket, 30)
    while news["kind"] != "cast":
        assert news["job"]["phase"] in ("making contact shapes", "easing apart")
        news = await heard(socket, 30)
    job = started.json()["key"]
    assert (news["job"], news["first"], news["keys"]) == (job, 0, ["sits"])
    heights: list[float] = []
    until, drawn = time.monotonic() + 0.8, False
    while len(heights) < 6:
        message = await socket.receive_output(timeout=20)
        if message.get("bytes"):
            assert message["bytes"][:16] == bytes.fromhex(job), "a frame says of which job it is"
            heights.append(float(np.frombuffer(message["bytes"], "<f4", offset=16).reshape(-1, 7)[0, 1]))
            assert len(heights) <= 2 or drawn, "no more than two are under way before one is drawn"
        drawn = time.monotonic() > until
        if drawn:
            await socket.send_json_to({"kind": "drawn", "job": job})
    # Lying, it may still tremble by what single precision leaves open.
    assert np.diff(heights).max() < 1e-5
    assert heights[0] > heights[-1]
    assert (await sync_to_async(client.delete)(f"{url}/jobs/{started.json()['key']}")).status_code == 204
    while True:
        message = await socket.receive_output(timeout=20)
        if '"kind":"job"' in message.get("text", "") and '"stopped"' in message["text"]:
            break
    await dressed.arefresh_from_db()
    assert dressed.revision == 0
    await socket.disconnect()


@pytest.mark.django_db(transaction=True)
def test_what_breaks_is_exchanged_for_its_shards_in_one_step_and_back(
    client: Client, dressed: DressedSet, other: User, as_user: Callable[[User], Client]
) -> None:
    url = f"/api/sets/{dressed.key}"
    before = client.get(url).json()["pieces"]
    asked = {"keys": ["sits"], "lift": 0.45, "calm": 0.0, "breaks": 0.15}
    job = f"{url}/jobs/{client.post(f'{url}/jobs/settle', asked, content_type='application/json').json()['key']}"
    (outcome,) = waited(client, job)["outcomes"]
    assert outcome["gone"] == ["sits"]
    assert {p["key"] for p in outcome["born"]} == {p["key"] for p in outcome["poses"]}
    assert {p["name"] for p in outcome["born"]} >= {f"shard {n} of crate 1" for n in (1, 2, 3)}
    file = outcome["files"][outcome["born"][0]["prop"]]
    model = client.get(file)
    assert model.status_code == 200
    assert model.content[:4] == b"glTF"
    assert as_user(other).get(file).status_code == 404
    assert StoredProp.objects.count() == 1, "nothing is stored before it is adopted"
    jobs.clear()
    assert client.get(f"{url}/jobs").json()[0]["outcomes"] == [outcome], "it is there again after a restart"
    assert client.get(file).content == model.content

    adopted = client.post(f"{job}/adopt", {}, content_type="application/json").json()
    assert adopted["words"] == "broke crate 1"
    now = {p["key"]: p for p in client.get(url).json()["pieces"]}
    assert "sits" not in now
    shards = [p for p in now.values() if p["name"].startswith("shard")]
    assert len(shards) == len(outcome["born"]) >= 3
    stored = StoredProp.objects.filter(key__in={p["prop"] for p in shards})
    assert sum(p.volume or 0.0 for p in stored) == pytest.approx(0.125, rel=1e-3)
    assert not any(p.listed for p in stored)
    props = {p["key"]: p["came_of"] for p in client.get(url).json()["props"]}
    assert {props[p.key] for p in stored} == {"crate"}, "where they are listed, they are folded under it"
    assert {p.fall for p in stored} == {0.5}, "they bear twice what the whole did"
    assert {p.owner for p in stored} == {None}, "they belong to whom the whole belongs: here to everybody"
    assert len(client.get("/api/props").json()) == 1, "the store is not flooded"
    again = client.post(f"{job}/adopt", {}, content_type="application/json")
    assert again.status_code == 404, "what was adopted is done with"

    sessions.clear()
    fits = {f["key"]: f for f in client.get(url).json()["fits"]}
    named = {n["key"] for n in outcome["named"]}
    assert {p["key"] for p in shards if fits[p["key"]]["faults"]} == named, "read back from its files it fits as before"
    assert client.get(f"{url}/hand-over.glb").status_code == 200
    client.post(f"{url}/undo")
    back = {p["key"]: p for p in client.get(url).json()["pieces"]}
    assert back == {p["key"]: p for p in before}
    client.post(f"{url}/redo")
    assert {p["key"] for p in client.get(url).json()["pieces"]} == set(now)
    assert not list((Path(settings.DATA) / "jobs").glob("*")), "the models of the job went with it"


@pytest.mark.django_db(transaction=True)
def test_a_set_that_is_deleted_takes_its_jobs_and_their_models_along(client: Client, dressed: DressedSet) -> None:
    url = f"/api/sets/{dressed.key}"
    asked = {"keys": ["sits"], "lift": 0.45, "calm": 0.0, "breaks": 0.15}
    key = client.post(f"{url}/jobs/settle", asked, content_type="application/json").json()["key"]
    assert waited(client, f"{url}/jobs/{key}")["outcomes"][0]["gone"] == ["sits"]
    folder = Path(settings.DATA) / "jobs" / key
    assert list(folder.glob("*.glb"))
    assert client.delete(url).status_code == 204
    assert not folder.exists()
    assert KeptJob.objects.count() == 0


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_a_stream_follows_the_pointer_pauses_and_is_adopted_in_part(dressed: DressedSet, wren: User) -> None:
    socket = await opened(dressed, wren)
    client = Client()
    await sync_to_async(client.force_login)(wren)
    post, get = sync_to_async(client.post), sync_to_async(client.get)
    url = f"/api/sets/{dressed.key}"
    asked = {"props": ["crate"], "size": [0.1, 0.2], "rate": 20, "most": 6, "spread": 0.1}
    started = await post(f"{url}/jobs/pour", asked, content_type="application/json")
    assert started.status_code == 202, started.content
    job = f"{url}/jobs/{started.json()['key']}"
    news = await heard(socket, 60, "job")
    while news["job"]["phase"] != "pouring":
        news = await heard(socket, 60, "job")
    assert (news["job"]["count"], news["job"]["total"]) == (0, 6), "it waits until it knows where"
    await socket.send_json_to({"kind": "stream", "job": "another", "to": [2.0, 0.0, 2.0]})
    await socket.send_json_to({"kind": "stream", "job": started.json()["key"], "to": [-1.5, 0.0, 0.5]})
    joined: list[Any] = []
    while len(joined) < 6:
        cast = await heard(socket, 60, "cast")
        joined += cast["joined"]
        assert cast["gone"] == []
    assert {p["prop"] for p in joined} == {"crate"}
    for p in joined:
        x, y, z = p["pose"]["position"]
        assert np.hypot(x + 1.5, z - 0.5) < 0.2
        assert y > 0.0
    done = await sync_to_async(waited)(client, job)
    (outcome,) = done["outcomes"]
    assert len(outcome["born"]) == 6
    half = [p["key"] for p in outcome["born"][:3]]
    change = await post(f"{job}/adopt", {"keys": half}, content_type="application/json")
    assert change.json()["words"] == "poured 3 pieces"
    names = [p["name"] for p in (await get(url)).json()["pieces"]]
    assert len(names) == 4 + 3 == len(set(names)), "every piece has a name of its own"
    await post(f"{url}/undo")
    assert len((await get(url)).json()["pieces"]) == 4
    await socket.send_json_to({"kind": "stream", "job": started.json()["key"], "to": ["x", 0, 0]})
    assert (await heard(socket, 20, "refused"))["error"].startswith("to.0: ")
    bad = await post(f"{url}/jobs/pour", {**asked, "props": ["nothing"]}, content_type="application/json")
    assert bad.status_code == 404
    await socket.disconnect()


@pytest.mark.django_db(transaction=True)
def test_a_prop_without_a_contact_shape_is_named_and_falls_as_its_box_when_that_is_wanted(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    url = f"/api/sets/{dressed.key}"
    flat = cube().vertices * np.array([0.3, 0.0, 0.2])
    sheet = Surface(Paint("linen", (0.8, 0.8, 0.7)), flat, cube().faces[:2])
    shelve("cloth", "glaze cloth", prop_document("cloth", [sheet]), category="cloth")
    pose = {"position": [-1.0, 0.4, 0.0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    laid = move(kind="set_down", prop="cloth", pose=pose)["deltas"][0]["key"]
    asked = {"keys": [laid, "floats"], "lift": 0.1}
    failed = waited(
        client, f"{url}/jobs/{client.post(f'{url}/jobs/settle', asked, content_type='application/json').json()['key']}"
    )
    assert failed["state"] == "failed"
    assert [(lack["key"], lack["name"]) for lack in failed["lacking"]] == [("cloth", "glaze cloth")]
    assert "flat" in failed["lacking"][0]["reason"]
    again = client.post(f"{url}/jobs/settle", {**asked, "boxed": ["cloth"]}, content_type="application/json").json()
    done = waited(client, f"{url}/jobs/{again['key']}")
    assert done["state"] == "done", done["problem"]
    assert done["outcomes"][0]["named"] == []
    assert {p["key"] for p in done["outcomes"][0]["poses"]} == {laid, "floats"}


@pytest.mark.django_db(transaction=True)
def test_what_was_done_is_found_again_until_it_is_discarded(client: Client, dressed: DressedSet) -> None:
    url = f"/api/sets/{dressed.key}"
    kept = []
    for seed in range(7):
        asked = {"keys": ["floats"], "seed": seed, "seconds": 1.0}
        kept.append(client.post(f"{url}/jobs/settle", asked, content_type="application/json").json()["key"])
        assert waited(client, f"{url}/jobs/{kept[-1]}")["state"] == "done"
    assert [j["key"] for j in client.get(f"{url}/jobs").json()] == kept[::-1]
    jobs.clear()
    listed = client.get(f"{url}/jobs").json()
    assert [j["key"] for j in listed] == kept[:1:-1], "the newest few outlast the server"
    assert {j["state"] for j in listed} == {"done"}
    newest = f"{url}/jobs/{kept[-1]}"
    assert client.post(f"{newest}/adopt", {}, content_type="application/json").json()["words"] == "settled crate 2"
    assert client.get(newest).status_code == 404
    assert client.delete(f"{url}/jobs/{kept[-2]}").status_code == 204
    assert [j["key"] for j in client.get(f"{url}/jobs").json()] == kept[-3:1:-1]
    client.delete(url)
    assert KeptJob.objects.count() == 0


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_a_stage_that_opens_while_things_fall_learns_who_does(dressed: DressedSet, wren: User) -> None:
    client = Client()
    await sync_to_async(client.force_login)(wren)
    post, get = sync_to_async(client.post), sync_to_async(client.get)
    url = f"/api/sets/{dressed.key}"
    asked = {"keys": ["sits", "floats"], "hand": True, "seconds": 60, "lift": 0.5}
    started = (await post(f"{url}/jobs/settle", asked, content_type="application/json")).json()
    while not (jobs.running_on(dressed.key) or pytest.fail("it has ended")).cast.keys:
        await asyncio.sleep(0.02)
    socket = await opened(dressed, wren)
    cast = await heard(socket, 20, "cast")
    assert (cast["job"], cast["first"], sorted(cast["keys"])) == (started["key"], 0, ["floats", "sits"])
    assert [j["state"] for j in (await get(f"{url}/jobs")).json()] == ["running"]
    await socket.send_json_to({"kind": "enough", "job": "another"})
    await socket.send_json_to({"kind": "enough", "job": started["key"]})
    assert (await sync_to_async(waited)(client, f"{url}/jobs/{started['key']}"))["state"] == "done"
    await socket.disconnect()


@pytest.mark.django_db(transaction=True)
def test_stopping_trials_ends_those_under_way(client: Client, dressed: DressedSet) -> None:
    url = f"/api/sets/{dressed.key}"
    asked = {"keys": ["sits", "floats"], "trials": 12, "hand": True, "seconds": 600}
    key = client.post(f"{url}/jobs/settle", asked, content_type="application/json").json()["key"]
    job = jobs.of(dressed.key, key)
    assert job is not None
    until = time.monotonic() + 60
    while job.phase != "trying" and time.monotonic() < until:
        time.sleep(0.02)
    time.sleep(1.0)
    assert client.delete(f"{url}/jobs/{key}").status_code == 204
    assert client.get(f"{url}/jobs/{key}").status_code == 404
    while job.state == "running" and time.monotonic() < until:
        time.sleep(0.02)
    assert job.state == "stopped"
    with workers.pool() as pool:
        assert pool.submit(os.getpid).result(timeout=20) != os.getpid(), "the workers are free"
    assert KeptJob.objects.count() == 0


class Ear:
    """A stage that only hears."""

    def __init__(self, user: int) -> None:
        self.user, self.session = user, ""
        self.heard: list[Any] = []

    def hear(self, news: News) -> None:
        if isinstance(news, str):
            self.heard.append(json.loads(news))

    def end(self, code: int) -> None:
        raise AssertionError(code)

    def states(self) -> list[str]:
        """Of all jobs, as they were told."""
        return [news["job"]["state"] for news in self.heard if news["kind"] == "job"]


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("ends", ["adopted", "discarded"])
def test_every_stage_hears_that_an_outcome_is_adopted_or_discarded(
    client: Client, wren: User, dressed: DressedSet, ends: str
) -> None:
    ear = Ear(wren.pk)
    assert listeners.join(dressed.key, ear)
    url = f"/api/sets/{dressed.key}"
    started = client.post(f"{url}/jobs/settle", {"keys": ["floats"]}, content_type="application/json").json()
    job = f"{url}/jobs/{started['key']}"
    assert waited(client, job)["state"] == "done"
    if ends == "adopted":
        assert client.post(f"{job}/adopt", {}, content_type="application/json").status_code == 200
    else:
        assert client.delete(job).status_code == 204
    listeners.leave(dressed.key, ear)
    assert ear.states()[-2:] == ["done", "dropped"]
    assert ear.heard[-1]["job"]["outcomes"] == []
