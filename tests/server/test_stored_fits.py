"""Fits are kept with their set: it opens without being measured again, and never with fits of something else."""

import gzip
import random
from collections.abc import Callable
from typing import Any

import pytest
from django.contrib.auth.models import User
from django.test import Client

from brickseat.api.schemas import SetSchema
from brickseat.sets import opening, session, snapshot, storing_fits
from brickseat.sets.models import DressedSet, StoredFit
from brickseat.sets.schemas import ChangeSchema
from brickseat.sets.session import sessions
from brickseat.store.models import StoredProp
from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check

Move = Callable[..., Any]


def stored(dressed: DressedSet) -> DressedSet:
    return DressedSet.objects.get(key=dressed.key)


def forbid_measuring(monkeypatch: pytest.MonkeyPatch) -> None:
    def measured(*given: Any, **more: Any) -> Any:
        raise AssertionError("it was measured again")

    for module in (session, snapshot):
        monkeypatch.setattr(module, "check", measured)


def test_a_set_opens_as_it_was_measured(
    client: Client, dressed: DressedSet, move: Move, monkeypatch: pytest.MonkeyPatch
) -> None:
    move(kind="slide", pieces=["sits"], by=[0.4, 0, 0])
    move(kind="set_down", prop="crate", pose={"position": [-1.0, 0.25, 0.5]})
    move(kind="remove", pieces=["floats"])
    before = client.get(f"/api/sets/{dressed.key}").json()["fits"]
    sessions.clear()
    forbid_measuring(monkeypatch)
    assert client.get(f"/api/sets/{dressed.key}").json()["fits"] == before
    assert StoredFit.objects.filter(dressed=dressed).count() == len(before) == 3


def test_kept_fits_are_those_of_the_set_after_any_moves(client: Client, dressed: DressedSet, move: Move) -> None:
    """A hundred random moves, undone and done again among them: what is kept is what measuring all anew gives."""
    rng = random.Random(11)
    for number in range(100):
        kind = rng.choice(["slide", "carry", "turn", "copy", "remove", "undo", "redo", "tolerance"])
        live = sessions.of(stored(dressed)).snapshot.dressed
        keys = [k for k, p in live.pieces.items() if p.role == "prop" and not p.spiked]
        by = [rng.uniform(-0.8, 0.8), rng.choice([0.0, 0.02]), rng.uniform(-0.8, 0.8)]
        if kind in ("undo", "redo"):
            client.post(f"/api/sets/{dressed.key}/{kind}")
        elif kind == "tolerance":
            move(kind="adjust", tolerance_m=rng.choice([0.0005, 0.001, 0.002]))
        elif keys and (kind != "copy" or len(keys) < 8):
            fields: dict[str, Any] = {"slide": {"by": by}, "carry": {"by": by}, "copy": {"by": by}, "remove": {}}.get(
                kind, {"angle_deg": rng.uniform(-90, 90)}
            )
            asked = {"kind": kind, "pieces": [rng.choice(keys)], **fields}
            client.post(f"/api/sets/{dressed.key}/moves", {"move": asked}, content_type="application/json")
        if number % 10 == 9:
            now = sessions.of(stored(dressed)).snapshot
            kept = storing_fits.read_fits(stored(dressed), now.dressed)
            assert kept == now.fits == check(index_of(now.dressed), now.dressed.tolerance)


def test_what_is_measured_otherwise_now_is_measured_anew(
    client: Client, dressed: DressedSet, move: Move, monkeypatch: pytest.MonkeyPatch
) -> None:
    StoredFit.objects.filter(key="sits").update(data={"key": "sits", "state": "nonsense"})
    monkeypatch.setattr(storing_fits, "measured_by", lambda found: "another version")
    sessions.clear()
    states = {f["key"]: f["state"] for f in client.get(f"/api/sets/{dressed.key}").json()["fits"]}
    assert states == {"sits": "seated", "floats": "floating", "spiked": "sunk"}
    move(kind="slide", pieces=["floats"], by=[0, 0, 0.5])
    assert stored(dressed).measured_by == "another version", "the first change after that keeps all of them anew"
    assert StoredFit.objects.get(key="sits").data["state"] == "seated"


def test_a_prop_made_anew_leaves_no_old_fits(client: Client, dressed: DressedSet, crate: StoredProp) -> None:
    answer = client.patch(f"/api/props/{crate.key}", {"unit": "cm"}, content_type="application/json")
    assert answer.status_code == 200, answer.content
    sessions.clear()
    found = client.get(f"/api/sets/{dressed.key}").json()["fits"]
    now = sessions.of(stored(dressed)).snapshot
    assert {f["key"]: f["gap"] for f in found} == {k: f.gap for k, f in check(index_of(now.dressed)).items()}


def test_a_missing_fit_is_noticed(client: Client, dressed: DressedSet) -> None:
    StoredFit.objects.filter(key="floats").delete()
    sessions.clear()
    assert len(client.get(f"/api/sets/{dressed.key}").json()["fits"]) == 3


def test_answers_written_at_once_keep_to_their_schemas(client: Client, dressed: DressedSet, move: Move) -> None:
    changed = move(kind="slide", pieces=["sits"], by=[0.4, 0, 0])
    assert ChangeSchema.model_validate(changed).model_dump(mode="json") == changed
    undone = client.post(f"/api/sets/{dressed.key}/undo").json()
    assert ChangeSchema.model_validate(undone).model_dump(mode="json") == undone
    found = client.get(f"/api/sets/{dressed.key}").json()
    assert SetSchema.model_validate(found).model_dump(mode="json") == found


def test_a_set_goes_out_compressed_where_that_is_taken(client: Client, dressed: DressedSet) -> None:
    plain = client.get(f"/api/sets/{dressed.key}")
    small = client.get(f"/api/sets/{dressed.key}", headers={"accept-encoding": "gzip"})
    assert small["Content-Encoding"] == "gzip"
    assert len(small.content) < 0.5 * len(plain.content)
    assert gzip.decompress(small.content) == plain.content
    assert small["ETag"] == f"W/{plain['ETag']}"


def test_a_session_weighs_its_pieces_and_its_meshes(dressed: DressedSet) -> None:
    live = sessions.of(dressed)
    (prop,) = live.props.values()
    own = prop.mesh.vertices.nbytes + prop.mesh.faces.nbytes
    assert live.size >= 4 * session.PIECE_BYTES + own + len(prop.mesh.faces) * 72
    assert live.size < 2**20


def test_a_set_changed_before_its_first_fits_are_kept_keeps_that_change(
    client: Client, wren: User, dressed: DressedSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Somebody opens a file's set and moves a piece before its fits are written."""
    data = client.get(f"/api/sets/{dressed.key}/hand-over.glb").getvalue()
    keep = opening.keep_measured

    def meanwhile(*given: Any) -> None:
        made = DressedSet.objects.get(name="from a file")
        (piece,) = (p.key for p in sessions.of(made).snapshot.dressed.pieces.values() if p.name == "crate 1")
        asked = {"kind": "slide", "pieces": [piece], "by": [0.3, 0, 0]}
        answer = client.post(f"/api/sets/{made.key}/moves", {"move": asked}, content_type="application/json")
        assert answer.status_code == 200
        keep(*given)

    monkeypatch.setattr(opening, "keep_measured", meanwhile)
    made = opening.open_set(data, "from a file", wren)
    now = sessions.of(stored(made)).snapshot
    assert stored(made).revision == now.revision == 1
    assert storing_fits.read_fits(stored(made), now.dressed) == now.fits
