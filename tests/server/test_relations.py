"""Joins, ties, openings and poses through the API and the live line: stored, announced, drawn, undone, handed over."""

import io
import json
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
import trimesh
from django.contrib.auth.models import User
from django.test import Client
from django.utils import timezone
from test_live import heard, opened
from test_settling import waited

from brickseat.api import set_routes
from brickseat.props.lay_figure import SITTING, lay_figure_document
from brickseat.sets.changing import make_move
from brickseat.sets.models import DressedSet
from brickseat.sets.session import sessions
from brickseat.store.importing import pose_prop
from brickseat.store.models import CLAIMED_FOR, StoredProp
from brickseat.store.shelving import shelve
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set

Move = Callable[..., Any]
HEAD = {"name": "head", "point": [0, 0.25, 0], "facing": [0, 1, 0], "clock": [0, 0, 1], "step_deg": 90}
FOOT = {"name": "foot", "point": [0, -0.25, 0], "facing": [0, -1, 0], "clock": [0, 0, 1]}


@pytest.fixture
def seated_crate(client: Client, crate: StoredProp) -> StoredProp:
    answer = client.patch("/api/props/crate", {"seats": [HEAD, FOOT]}, content_type="application/json")
    assert answer.status_code == 200, answer.content
    assert [s["name"] for s in answer.json()["prop"]["seats"]] == ["head", "foot"]
    return crate


def test_seats_of_the_bench_reach_every_copy_on_every_set(client: Client, dressed: DressedSet, move: Move) -> None:
    assert "has no free seat" in move(409, kind="join", piece="floats", to="sits")["error"]
    client.patch("/api/props/crate", {"seats": [HEAD, FOOT]}, content_type="application/json")
    done = move(kind="join", piece="floats", seat="foot", to="sits", to_seat="head")
    pose = next(d["after"]["pose"] for d in done["deltas"] if d["kind"] == "piece")
    assert pose["position"] == pytest.approx([0, 0.75, 0], abs=1e-12)
    assert [(m["holds"], m["value"]) for m in done["measures"]] == [(True, pytest.approx(0, abs=1e-12))]
    whole = client.get(f"/api/sets/{dressed.key}").json()
    assert whole["measures"] == done["measures"]
    assert next(f for f in whole["fits"] if f["key"] == "floats")["rests_on"] == ["floor"]
    bad = client.patch("/api/props/crate", {"seats": [HEAD, HEAD]}, content_type="application/json")
    assert (bad.status_code, "two seats are named" in bad.json()["error"]) == (422, True)


def test_joined_pieces_are_loaded_moved_and_undone_as_one(
    client: Client, seated_crate: StoredProp, dressed: DressedSet, move: Move
) -> None:
    move(kind="join", prop="crate", seat="foot", to="sits", to_seat="head")
    # A server that starts anew knows the body from the database.
    sessions.clear()
    slid = move(kind="slide", pieces=["sits"], by=[0, 0, 1])
    assert len([d for d in slid["deltas"] if d["kind"] == "piece"]) == 2
    gone = move(kind="remove", pieces=["sits"])
    assert sorted(d["kind"] for d in gone["deltas"]) == ["piece", "tie"]
    back = client.post(f"/api/sets/{dressed.key}/undo").json()
    assert sorted(d["kind"] for d in back["deltas"]) == ["piece", "tie"]
    assert [m["holds"] for m in back["measures"]] == [True]


def test_ties_in_the_way_are_named_by_key_and_loosened_by_one_press(dressed: DressedSet, move: Move) -> None:
    tied = move(kind="tie", tie="gap", piece="sits", to="floats", side=[1, 0, 0], distance_m=0.2)
    assert tied["measures"][0]["value"] == pytest.approx(0.2, abs=1e-9)
    refused = move(409, kind="slide", pieces=["sits"], by=[0.1, 0, 0])
    assert refused["ties"] == [tied["measures"][0]["key"]]
    assert "loosen the tie first" in refused["error"]
    move(kind="loosen", ties=refused["ties"])
    assert move(kind="slide", pieces=["sits"], by=[-0.1, 0, 0])["measures"] == []


def test_an_opening_is_drawn_handed_over_and_opened_again(client: Client, dressed: DressedSet, move: Move) -> None:
    move(kind="carry", pieces=["floats"], by=[0, -0.3, 0])
    cut = move(kind="cut", piece="floats", bearer="floor", clearance_m=0.01)
    (file,) = cut["shapes"].values()
    drawn = client.get(file)
    assert drawn.status_code == 200
    mesh = trimesh.load(io.BytesIO(drawn.content), file_type="glb", force="mesh")
    # A hole of 0.52 m square through the floor, which is sized twelvefold and more.
    floor = sessions.of(dressed).snapshot.dressed.pieces["floor"]
    size = np.array(floor.pose.scale) * 0.5
    across = size - [0.0, 0, 0]
    assert abs(mesh.volume) * np.prod(floor.pose.scale) == pytest.approx(
        across.prod() - 0.52 * 0.52 * across[1], rel=1e-3
    )
    assert client.get(file.replace("/floor/", "/sits/")).status_code == 404
    glb = client.get(f"/api/sets/{dressed.key}/hand-over.glb").content
    again = read_set(GltfDocument.parse(glb))
    assert len(again.dressed.cut_outs) == 1
    made = client.post("/api/sets/open", {"file": io.BytesIO(glb)})
    assert made.status_code == 201, made.content
    assert list(client.get(f"/api/sets/{made.json()['key']}").json()["shapes"]) != []
    assert move(kind="fill_in", pieces=["floats"])["shapes"] == {}


@pytest.mark.django_db(transaction=True)
@pytest.mark.asyncio
async def test_what_a_join_would_do_and_what_is_near_is_sent_live(
    dressed: DressedSet, wren: User, crate: StoredProp
) -> None:
    from asgiref.sync import sync_to_async

    await sync_to_async(StoredProp.objects.filter(key="crate").update)(seats=[HEAD, FOOT])
    socket = await opened(dressed, wren)
    move = {"kind": "join", "prop": "crate", "seat": "foot", "to": "sits", "to_seat": "head", "turn_deg": 30}
    await socket.send_to(text_data=json.dumps({"kind": "preview", "n": 1, "move": move}))
    seen = await heard(socket, 60, "previewed")
    (piece, tie) = seen["deltas"]
    assert piece["after"]["pose"]["position"] == pytest.approx([0, 0.75, 0], abs=1e-12)
    assert tie["kind"] == "tie"
    ray = {"origin": [0.5, 2.0, 3.0], "direction": [-0.25, -1.5, -2.75]}
    await socket.send_to(text_data=json.dumps({"kind": "catch", "n": 2, "ray": ray, "pixel": 0.001}))
    near = await heard(socket, 60, "caught")
    assert (near["what"], near["on"]) == ("corner", "sits")
    assert near["point"] == pytest.approx([0.25, 0.5, 0.25], abs=1e-9)
    await socket.send_to(
        text_data=json.dumps({"kind": "catch", "n": 3, "ray": {**ray, "direction": [0, 1, 0]}, "pixel": 0.001})
    )
    assert (await heard(socket, 60, "caught"))["what"] is None
    await socket.disconnect()


@pytest.mark.django_db(transaction=True)
def test_gravity_takes_a_body_as_one(client: Client, seated_crate: StoredProp, dressed: DressedSet, move: Move) -> None:
    move(kind="join", piece="floats", seat="foot", to="sits", to_seat="head")
    url = f"/api/sets/{dressed.key}"
    started = client.post(f"{url}/jobs/settle", {"keys": ["floats"], "lift": 0.2}, content_type="application/json")
    done = waited(client, f"{url}/jobs/{started.json()['key']}")
    assert done["state"] == "done", done
    (outcome,) = done["outcomes"]
    poses = {p["key"]: np.array(p["pose"]["basis"]).reshape(3, 3) for p in outcome["poses"]}
    places = {p["key"]: np.array(p["pose"]["position"]) for p in outcome["poses"]}
    assert poses.keys() == {"sits", "floats"}
    assert places["floats"] - places["sits"] == pytest.approx(poses["sits"][:, 1] * 0.5, abs=1e-9)
    adopted = client.post(f"{url}/jobs/{started.json()['key']}/adopt", {}, content_type="application/json").json()
    assert all(m["holds"] for m in adopted["measures"])


def test_seats_are_suggested_and_caught_on_the_bench(client: Client, crate: StoredProp) -> None:
    found = client.get("/api/props/crate/seats").json()
    assert {tuple(round(v) for v in seat["facing"]) for seat in found[:8]} >= {(0, 1, 0), (0, -1, 0), (1, 0, 0)}
    asked = {"origin": [2, 2.02, 2], "direction": [-1, -1, -1], "pixel": 0.002}
    near = client.post("/api/props/crate/catch", asked, content_type="application/json").json()
    assert near["what"] == "corner"
    assert near["frame"]["point"] == pytest.approx([0.25, 0.25, 0.25])
    beside = client.post("/api/props/crate/catch", {**asked, "direction": [1, 1, 1]}, content_type="application/json")
    assert beside.json() == {"what": None, "frame": None}
    assert (
        client.post(
            "/api/props/crate/catch", {**asked, "direction": [0, 0, 0]}, content_type="application/json"
        ).status_code
        == 422
    )


def test_a_figure_is_posed_where_it_stands_and_undone(
    client: Client, other: User, as_user: Callable[[User], Client], dressed: DressedSet, move: Move
) -> None:
    figure = shelve("figure", "lay figure", lay_figure_document())
    pose_prop(figure, "sitting", SITTING, None)
    joints = client.get("/api/props/figure").json()["prop"]["joints"]
    assert {"left hip", "left knee", "neck", "waist"} <= set(joints)
    at = {"position": [0, 0, 2], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    (piece,) = [d["key"] for d in move(kind="set_down", prop="figure", pose=at)["deltas"]]
    move(kind="reseat", pieces=[piece])
    url = f"/api/sets/{dressed.key}/pieces/{piece}/pose"
    turns = [{"joint": "left knee", "axis": "x", "degrees": 90}]
    bent = client.post(url, {"turns": turns}, content_type="application/json").json()
    assert bent["words"] == "posed lay figure 1"
    prop = bent["deltas"][0]["after"]["prop"]
    assert prop != "figure"
    assert StoredProp.objects.get(key=prop).turns == [["left knee", "x", 90.0]]
    assert next(f for f in bent["fits"] if f["key"] == piece)["gap"] == pytest.approx(0.0, abs=1e-6)
    # The same pose is the same shape, and nobody finds it in the store.
    client.post(url, {"turns": []}, content_type="application/json")
    again = client.post(url, {"turns": turns}, content_type="application/json").json()
    assert again["deltas"][0]["after"]["prop"] == prop
    assert prop not in [p["key"] for p in client.get("/api/props").json()]
    sitting = client.post(
        url, {"turns": [{"joint": j, "axis": a, "degrees": d} for j, a, d in SITTING]}, content_type="application/json"
    )
    assert sitting.json()["deltas"][0]["after"]["prop"].startswith("lay-figure-sitting")
    # The right shin of the sitting figure, taken hold of in front.
    standing = sessions.of(dressed).snapshot.dressed.pieces[piece]
    shin = standing.pose.apply(np.array([-0.085, 0.88 - 0.2, 0.42 + 0.05]))
    limb = client.get(f"/api/sets/{dressed.key}/pieces/{piece}/limb?x={shin[0]}&y={shin[1]}&z={shin[2]}").json()
    assert limb["joint"] == "right knee"
    assert limb["pivot"] == pytest.approx(standing.pose.apply(np.array([-0.085, 0.88, 0.42])), abs=1e-6)
    assert np.abs(limb["axes"][0]) == pytest.approx([1, 0, 0], abs=1e-6)
    assert client.post(f"/api/sets/{dressed.key}/undo").json()["deltas"][0]["after"]["prop"] == prop
    assert (
        client.post(
            url, {"turns": [{"joint": "tail", "axis": "x", "degrees": 9}]}, content_type="application/json"
        ).status_code
        == 422
    )
    assert as_user(other).post(url, {"turns": []}, content_type="application/json").status_code == 404


def test_who_asks_by_the_address_of_before_is_sent_to_the_file_of_now(client: Client, crate: StoredProp) -> None:
    now = f"/api/props/crate/{crate.digest[:16]}.glb"
    before = client.get("/api/props/crate/0123456789abcdef.glb?light=true")
    assert (before.status_code, before["Location"]) == (302, f"{now}?light=true")
    assert client.get(now).status_code == 200


def test_a_pose_outlives_the_step_that_was_undone_and_whoever_goes_on_meanwhile(
    client: Client, dressed: DressedSet, move: Move, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before, the next step took the shape of an undone pose away, also where that step was the same pose again."""
    shelve("figure", "lay figure", lay_figure_document())
    at = {"position": [0, 0, 2], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    (piece,) = [d["key"] for d in move(kind="set_down", prop="figure", pose=at)["deltas"]]
    url = f"/api/sets/{dressed.key}/pieces/{piece}/pose"
    turns = {"turns": [{"joint": "left knee", "axis": "x", "degrees": 90}]}

    def bent() -> str:
        answer = client.post(url, turns, content_type="application/json")
        assert answer.status_code == 200, answer.content
        return str(answer.json()["deltas"][0]["after"]["prop"])

    first = bent()
    client.post(f"/api/sets/{dressed.key}/undo")
    assert bent() == first
    client.post(f"/api/sets/{dressed.key}/undo")

    def meanwhile(*given: Any, **more: Any) -> Any:
        monkeypatch.undo()
        # Somebody else goes on while the shape is there and the move that names it is not made yet.
        move(kind="slide", pieces=["sits"], by=[0.1, 0, 0])
        return make_move(*given, **more)

    monkeypatch.setattr(set_routes, "make_move", meanwhile)
    assert bent() == first
    assert client.get(f"/api/sets/{dressed.key}").status_code == 200
    client.post(f"/api/sets/{dressed.key}/undo")
    StoredProp.objects.filter(key=first).update(claimed=timezone.now() - 2 * CLAIMED_FOR)
    move(kind="slide", pieces=["sits"], by=[0.1, 0, 0])
    assert not StoredProp.objects.filter(key=first).exists(), "in the end it goes"
