"""Records on the server: written in a few statements, kept apart from words, and never out of step with the session."""

import random
import threading
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from brickseat.live.known_props import KnownProps
from brickseat.live.messages import PreviewQuestion
from brickseat.live.previewing import preview
from brickseat.sets import changing
from brickseat.sets.models import DressedSet, HistoryDeltas, HistoryProp, StoredRecord
from brickseat.sets.session import LiveSet, sessions
from brickseat.sets.storing import read_set, write_deltas
from brickseat.store.models import StoredProp
from brickseat.store.shelving import prop_of
from brickseat_core.admission import proof
from brickseat_core.moves import parse
from brickseat_core.moves.adopt import AdoptMove
from brickseat_core.scene import Change, CutOut, Delta, Piece, Pose, Prop, PropChange, Recipe, Region, Tie, piece_delta

Move = Callable[..., Any]


def every_kind(prop: Prop) -> Change:
    """A change that brings one record of every kind."""
    records = (
        ("prop", PropChange("crate", "cm", "z", (("lid", "x", 30.0),), "wood")),
        ("region", Region("r1", "bay", prop, Pose((1.0, 0.0, 0.5)))),
        ("tie", Tie("t1", "gap", "sits", "floor", (0.0, 0.0, -1.0), 0.3, True)),
        ("recipe", Recipe("q1", "stones", "scatter", 3, {"count": 40}, (17,), ((23, Pose((0.1, 0.2, 0.3))),))),
        ("cut_out", CutOut("c1", "sits", "floor", 0.002)),
    )
    return Change("brought one of each", tuple(Delta(kind, r.key, None, r) for kind, r in records))  # type: ignore[arg-type]


def test_records_of_every_kind_are_stored_announced_undone_and_read_again(
    client: Client, dressed: DressedSet, wren: User, crate: StoredProp, monkeypatch: pytest.MonkeyPatch
) -> None:
    change = every_kind(prop_of(crate))
    outcome = changing.compute_move
    monkeypatch.setattr(changing, "compute_move", lambda *given: changing_outcome(change))
    changed = changing.make_move(dressed.key, wren, lambda live: None)
    monkeypatch.setattr(changing, "compute_move", outcome)
    assert [d.kind for d in changed.deltas] == ["prop", "region", "tie", "recipe", "cut_out"]
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert [len(found[name]) for name in ("regions", "ties", "recipes", "cut_outs", "prop_changes")] == [1] * 5
    assert found["recipes"][0]["exceptions"]["nudged"]["23"]["position"] == [0.1, 0.2, 0.3]
    live = sessions.of(DressedSet.objects.get(key=dressed.key)).snapshot.dressed
    assert read_set(DressedSet.objects.get(key=dressed.key))[0] == live
    assert HistoryProp.objects.filter(prop=crate).exists(), "a region's shape is named in the history"
    undone = client.post(f"/api/sets/{dressed.key}/undo").json()
    assert {(d["kind"], d["after"]) for d in undone["deltas"]} == {
        (kind, None) for kind in ("prop", "region", "tie", "recipe", "cut_out")
    }
    assert StoredRecord.objects.exclude(kind="piece").count() == 0
    sessions.clear()
    assert client.post(f"/api/sets/{dressed.key}/redo").status_code == 200
    assert read_set(DressedSet.objects.get(key=dressed.key))[0] == live


def changing_outcome(change: Change) -> Any:
    from brickseat_core.moves import Outcome

    return Outcome(change)


def test_a_set_of_its_own_settings_changes_by_a_move(client: Client, dressed: DressedSet, move: Move) -> None:
    changed = move(kind="adjust", name="Kiln yard", tolerance_m=0.06, trolley_add=["crate"])
    assert (
        changed["words"]
        == "named the set “Kiln yard” and set the tolerance to 60.0 mm and wheeled 1 prop onto the trolley"
    )
    assert {f["key"]: f["state"] for f in changed["fits"]} == dict.fromkeys(["sits", "floats", "spiked"], "seated")
    assert client.get("/api/sets").json()[0]["name"] == "Kiln yard"
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert (found["name"], found["tolerance"], found["trolley"]) == ("Kiln yard", 0.06, ["crate"])
    assert client.post(f"/api/sets/{dressed.key}/undo").json()["deltas"][0]["after"]["name"] == "Test yard"
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert (found["name"], found["tolerance"], found["trolley"]) == ("Test yard", 0.0005, [])
    assert {f["key"]: f["state"] for f in found["fits"]}["floats"] == "floating"
    for bad in ({"name": " "}, {"tolerance_m": 7}, {"name": ""}):
        assert move(409 if bad == {"name": " "} else 422, kind="adjust", **bad)["error"]


def test_two_who_pack_one_trolley_at_once_do_not_unpack_each_others(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    move(kind="adjust", trolley_add=["crate", "jug"])
    # Each of the two knows the trolley as it was before the other's move.
    move(kind="adjust", trolley_add=["mug"])
    changed = move(kind="adjust", trolley_add=["jar", "crate"], trolley_remove=["jug"])
    assert changed["words"] == "wheeled 1 prop onto the trolley and 1 prop off the trolley"
    assert client.get(f"/api/sets/{dressed.key}").json()["trolley"] == ["crate", "mug", "jar"]
    assert "2000" in move(409, kind="adjust", trolley_add=[f"prop-{n}" for n in range(1999)])["error"]


def test_a_thousand_pieces_are_written_in_a_few_statements_and_nobody_waits_for_the_measuring(
    dressed: DressedSet, wren: User, crate: StoredProp, monkeypatch: pytest.MonkeyPatch
) -> None:
    prop = prop_of(crate)
    born = tuple(Piece(f"n{k}", f"stone {k}", prop, Pose((k % 40 * 1.0 - 20, 5.0 + k // 40, 3.0))) for k in range(1000))
    locked: list[bool] = []
    check = proof.check

    def watched(*given: Any, **more: Any) -> Any:
        locked.append(connection.in_atomic_block and len(connection.savepoint_ids) > outer)
        return check(*given, **more)

    outer = len(connection.savepoint_ids)
    monkeypatch.setattr(proof, "check", watched)
    with CaptureQueriesContext(
        connection,
    ) as asked:
        changing.make_move(dressed.key, wren, lambda live: AdoptMove("adopt", (), (), born))
    assert locked
    assert not any(locked), "nothing is measured while the database is being written"
    assert len(asked) < 30, [q["sql"][:80] for q in asked]
    assert StoredRecord.objects.filter(dressed=dressed).count() == 1004
    with CaptureQueriesContext(connection) as asked:
        changing.undo(dressed.key, back=True)
    assert len(asked) < 30
    assert StoredRecord.objects.filter(dressed=dressed).count() == 4


def test_words_of_the_history_are_read_without_its_deltas(client: Client, dressed: DressedSet, move: Move) -> None:
    for step in range(3):
        move(kind="slide", pieces=["sits"], by=[0, 0, 0.1 + step * 0.01])
    with CaptureQueriesContext(connection) as asked:
        client.get(f"/api/sets/{dressed.key}/history")
        move(kind="spike", pieces=["floats"])
    reads = [q["sql"] for q in asked if q["sql"].startswith("SELECT") and "deltas" in q["sql"]]
    assert reads == []
    assert HistoryDeltas.objects.count() == 4


def test_a_prop_that_a_history_names_is_retired_and_comes_back_by_undo(
    client: Client, dressed: DressedSet, wren: User, crate: StoredProp, move: Move
) -> None:
    crate.owner = wren
    crate.save()
    StoredProp.objects.create(
        key="own", name="own", owner=wren, digest=crate.digest, width=1, height=1, depth=1, triangles=12,
        direction=[0, -1, 0],
    )  # fmt: skip
    pose = {"position": [-2, 0.25, 0], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    key = move(kind="set_down", prop="own", pose=pose)["deltas"][0]["key"]
    assert "stand on sets" in client.delete("/api/props/own").json()["error"]
    move(kind="remove", pieces=[key])
    assert client.delete("/api/props/own").status_code == 204
    assert "own" not in {p["key"] for p in client.get("/api/props").json()}
    assert "not in the store" in move(409, kind="set_down", prop="own", pose=pose)["error"]
    sessions.clear()
    undone = client.post(f"/api/sets/{dressed.key}/undo")
    assert undone.status_code == 200, undone.content
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert key in {p["key"] for p in found["pieces"]}
    file = next(p["file"] for p in found["props"] if p["key"] == "own")
    assert client.get(file).status_code == 200
    assert client.get("/api/props/own").status_code == 200
    client.post(f"/api/sets/{dressed.key}/undo")
    assert StoredProp.objects.filter(key="own").exists()
    move(kind="spike", pieces=["sits"])
    assert not StoredProp.objects.filter(key="own").exists(), "no history names it any more, so that it is gone"


def test_a_prop_that_was_deleted_before_is_named_and_nothing_breaks(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    move(kind="slide", pieces=["sits"], by=[0, 0, 0.1])
    kept = HistoryDeltas.objects.get()
    kept.deltas[0]["before"]["prop"] = kept.deltas[0]["after"]["prop"] = "long gone"
    kept.save()
    sessions.clear()
    answer = client.post(f"/api/sets/{dressed.key}/undo")
    assert answer.status_code == 409
    assert "gone from the store" in answer.json()["error"]


def test_a_corrected_unit_reaches_ghosts_and_measures_each_set_once(
    client: Client, dressed: DressedSet, crate: StoredProp, monkeypatch: pytest.MonkeyPatch
) -> None:
    live = sessions.of(dressed)
    old = live.prop("crate").mesh
    loads: list[object] = []
    load = LiveSet.load.__func__  # type: ignore[attr-defined]
    monkeypatch.setattr(LiveSet, "load", classmethod(lambda cls, d: loads.append(d.key) or load(cls, d)))
    empty = DressedSet.objects.create(owner=dressed.owner, name="Empty yard")
    ghosted = sessions.of(empty)
    assert ghosted.prop("crate").mesh is old
    loads.clear()
    answer = client.patch("/api/props/crate", {"unit": "cm"}, content_type="application/json")
    assert answer.status_code == 200, answer.content
    assert loads == [dressed.key], "once for the set, not for each of its four copies"
    assert float(ghosted.prop("crate").mesh.box[1][0]) == pytest.approx(0.0025)
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert found["revision"] == 2
    assert {f["key"]: f["state"] for f in found["fits"]}["sits"] == "floating"


def test_a_change_of_a_prop_that_fails_leaves_it_as_it_was(
    client: Client, crate: StoredProp, monkeypatch: pytest.MonkeyPatch
) -> None:
    from brickseat.store import importing
    from brickseat_core.formats.errors import FileError

    def broken(*_: object) -> None:
        raise FileError("the file is damaged; send it again")

    monkeypatch.setattr(importing, "made_from", broken)
    body = {"name": "other name", "unit": "cm"}
    answer = client.patch("/api/props/crate", body, content_type="application/json")
    assert (answer.status_code, answer.json()["error"]) == (422, "the file is damaged; send it again")
    crate.refresh_from_db()
    assert (crate.name, crate.unit) == ("crate", "")


def test_looking_at_the_prop_house_writes_nothing(client: Client) -> None:
    client.post("/api/prop-house/crock")
    before = {(p.key, p.due) for p in StoredProp.objects.all()}
    with CaptureQueriesContext(connection) as asked:
        states = {i["key"]: i["state"] for i in client.get("/api/prop-house").json()}
    assert states["crock"] == "ordered"
    assert not [q["sql"] for q in asked if not q["sql"].startswith("SELECT")]
    assert {(p.key, p.due) for p in StoredProp.objects.all()} == before
    assert client.get("/api/props").json() == [], "what is not due yet is not seen"


def test_every_error_has_the_one_shape(client: Client, dressed: DressedSet, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise RuntimeError("a bolt fell out")

    url = f"/api/sets/{dressed.key}"
    answers = [
        client.patch(url, {"look": None}, content_type="application/json"),
        client.patch(url, {"name": None}, content_type="application/json"),
        client.patch("/api/props/crate", {"name": None, "tags": None}, content_type="application/json"),
        client.patch(url, "null", content_type="application/json"),
        client.post(f"{url}/moves", {"move": None}, content_type="application/json"),
        client.get("/api/nothing"),
        client.get("/api/sets/not-a-key"),
    ]
    monkeypatch.setattr(sessions, "of", broken)
    quiet = Client(raise_request_exception=False)
    quiet.force_login(dressed.owner)
    answers.append(quiet.get(url))
    for answer in answers:
        if answer.status_code == 200:
            continue
        assert answer.headers["Content-Type"].startswith("application/json"), (answer.status_code, answer.content)
        assert len(answer.json()["error"]) > 8
    assert [a.status_code for a in answers] == [422, 422, 200, 422, 422, 404, 404, 500]


@pytest.mark.parametrize("seed", range(3))
def test_what_is_stored_is_what_is_in_memory_after_any_run(seed: int, dressed: DressedSet, crate: StoredProp) -> None:
    rng = random.Random(seed)
    prop = prop_of(crate)
    live = read_set(dressed)[0]
    for step in range(25):
        keys = [k for k in live.pieces if k != "floor"]
        deltas = []
        for key in {*rng.sample(keys, min(2, len(keys))), f"new-{step}"}:
            before = live.pieces.get(key)
            after = (
                None
                if before and rng.random() < 0.4
                else Piece(key, key, prop, Pose((rng.random(), 1 / 3, 0.1 * step)))
            )
            deltas.append(piece_delta(before, after))
        change = Change("some", tuple(deltas))
        write_deltas(dressed, change.deltas)
        live = change.on(live)
        if rng.random() < 0.5:
            change = change.backwards()
            write_deltas(dressed, change.deltas)
            live = change.on(live)
        assert read_set(dressed)[0].pieces == live.pieces


def test_a_preview_takes_no_lock(dressed: DressedSet) -> None:
    live = sessions.of(dressed)
    before = live.snapshot
    move = {"kind": "turn", "pieces": ["sits"], "angle_deg": 30}
    asked = PreviewQuestion(kind="preview", n=1, move=parse(move))
    done: list[Any] = []
    with live.writing:
        # Somebody changes the set for a long time: pointing and previews go on.
        thread = threading.Thread(target=lambda: done.append(preview(live, asked, KnownProps(0, dressed.key))))
        thread.start()
        thread.join(timeout=20)
    assert done[0]["words"] == "turned crate 1"
    assert live.snapshot is before
    assert asked.move.pieces == ("sits",)
