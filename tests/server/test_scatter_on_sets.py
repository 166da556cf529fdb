"""Recipes on a set of the server: laid by a move, kept with the set, shown as dots before, and stopped in the middle."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.test import Client
from test_under_way import Ear

from brickseat.sets import under_way
from brickseat.sets.changing import Asking, make_move
from brickseat.sets.listening import listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.session import sessions
from brickseat.sets.under_way import moves_under_way
from brickseat.store.facts import stored_falls
from brickseat.store.models import StoredProp
from brickseat_core.budget import UNLIMITED
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.painted import painted_prop
from brickseat_core.gravity.materials import MATERIALS
from brickseat_core.moves import MoveRefused, parse

pytestmark = pytest.mark.django_db
Move = Callable[..., Any]


def recipe(count: int = 20, **more: Any) -> dict[str, Any]:
    return {"props": [{"prop": "crate", "size": [0.2, 0.4]}], "on": ["floor"], "count": count, "seed": 5, **more}


def whole(client: Client, dressed: DressedSet) -> Any:
    return client.get(f"/api/sets/{dressed.key}").json()


def test_a_recipe_is_laid_kept_and_laid_again_after_a_restart(client: Client, dressed: DressedSet, move: Move) -> None:
    before = whole(client, dressed)
    change = move(kind="scatter", recipe=recipe(), name="crates about")
    assert change["words"] == "scattered crate: laid 20"
    (key,) = [d["key"] for d in change["deltas"] if d["kind"] == "recipe"]
    sessions.clear()
    found = whole(client, dressed)
    assert [(r["key"], r["name"], r["seed"]) for r in found["recipes"]] == [(key, "crates about", 5)]
    laid = {p["number"]: p for p in found["pieces"] if p["recipe"] == key}
    assert len(laid) == 20
    states = {f["key"]: f["state"] for f in found["fits"]}
    assert {states[p["key"]] for p in laid.values()} == {"seated"}
    assert move(kind="scatter", recipe=recipe(), again=key, name="crates about")["deltas"] == []
    more = move(kind="scatter", recipe=recipe(30), again=key)
    again = {p["number"]: p for p in whole(client, dressed)["pieces"] if p["recipe"] == key}
    assert len(again) == 30
    assert {n: again[n] for n in laid} == laid
    assert len([d for d in more["deltas"] if d["kind"] == "piece"]) == 10
    for _ in range(2):
        assert client.post(f"/api/sets/{dressed.key}/undo").status_code == 200
    after = whole(client, dressed)
    assert (after["pieces"], after["recipes"]) == (before["pieces"], before["recipes"])


def test_what_is_thrown_falls_as_its_prop_does(client: Client, dressed: DressedSet, move: Move) -> None:
    StoredProp.objects.filter(key="crate").update(material="iron", contact="hull", mass=3.0)
    crate = sessions.of(dressed).prop("crate")
    falling = stored_falls(crate, UNLIMITED)
    assert (falling.shape.kind, falling.properties.mass) == ("hull", 3.0)
    assert falling.properties.material is MATERIALS["iron"]
    change = move(kind="scatter", recipe=recipe(throw_m=0.25, props=[{"prop": "crate", "size": [0.2, 0.4]}]))
    assert change["words"].startswith("threw crate: laid")
    found = whole(client, dressed)
    states = {f["key"]: f["state"] for f in found["fits"]}
    lying = [p for p in found["pieces"] if p["recipe"]]
    assert len(lying) >= 15
    assert {states[p["key"]] for p in lying} == {"seated"}
    assert found["recipes"][0]["parameters"]["throw_m"] == 0.25


def test_chalk_is_handed_over_as_vertex_colours_and_laid_by_again(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    stroke = {"points": [[0.0, 0.0, 0.0]], "radius_m": 0.5}
    change = move(kind="scatter", recipe=recipe(5, rules={"chalk": [stroke]}))
    (key,) = [d["key"] for d in change["deltas"] if d["kind"] == "recipe"]
    answer = client.get(f"/api/sets/{dressed.key}/recipes/{key}/chalk/floor.glb")
    assert answer.status_code == 200
    painting = painted_prop(GltfDocument.parse(answer.content))
    assert painting is not None
    floor = sessions.of(dressed).snapshot.dressed.pieces["floor"]
    chalked = np.linalg.norm(floor.pose.apply(painting.corners.reshape(-1, 3)), axis=1) <= 0.5
    assert np.array_equal(painting.colours.reshape(-1, 3)[:, 0] > 0.5, chalked)
    plain = move(kind="scatter", recipe=recipe(5))
    (other,) = [d["key"] for d in plain["deltas"] if d["kind"] == "recipe"]
    for path in (f"{other}/chalk/floor", f"{key}/chalk/nothing", "nothing/chalk/floor"):
        assert client.get(f"/api/sets/{dressed.key}/recipes/{path}.glb").status_code == 404
    refused = client.post(
        f"/api/sets/{dressed.key}/moves",
        {"move": {"kind": "scatter", "recipe": recipe(5, rules={"paint": [{}]})}},
        content_type="application/json",
    )
    assert refused.status_code == 409
    assert "no vertex colours" in refused.json()["error"]


def test_what_is_taken_away_is_an_exception_that_undo_takes_back(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    move(kind="scatter", recipe=recipe())
    (record,) = whole(client, dressed)["recipes"]
    piece = next(p for p in whole(client, dressed)["pieces"] if p["recipe"] == record["key"])
    kinds = [d["kind"] for d in move(kind="remove", pieces=[piece["key"]])["deltas"]]
    assert sorted(kinds) == ["piece", "recipe"]
    assert whole(client, dressed)["recipes"][0]["exceptions"]["taken_out"] == [piece["number"]]
    client.post(f"/api/sets/{dressed.key}/undo")
    assert whole(client, dressed)["recipes"] == [record]


def dots(client: Client, dressed: DressedSet, expect: int = 200, **asked: Any) -> Any:
    answer = client.post(f"/api/sets/{dressed.key}/dots", asked, content_type="application/json")
    assert answer.status_code == expect, answer.content
    return answer.json()


def test_dots_show_it_before_and_change_nothing(client: Client, dressed: DressedSet, move: Move) -> None:
    before = whole(client, dressed)
    rules = {"area": {"at": [1.0, 0.0, 1.0], "across_m": 2.0, "along_m": 2.0}}
    found = dots(client, dressed, recipe=recipe(40, rules=rules))
    points = np.array(found["points"]).reshape(-1, 3)
    assert (len(points), found["wanted"]) == (40, 40)
    assert np.hypot(points[:, 0] - 1.0, points[:, 2] - 1.0).max() <= 1.0 + 1e-4
    assert np.abs(points[:, 1]).max() < 1e-3
    assert whole(client, dressed) == before
    move(kind="scatter", recipe=recipe(10, rules=rules))
    near = [p["pose"]["position"] for p in whole(client, dressed)["pieces"] if p["recipe"]]
    assert all(np.hypot(points[:, 0] - x, points[:, 2] - z).min() < 1e-3 for x, _, z in near)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"on": ["nowhere"]}, "no piece 'nowhere'"),
        ({"density_per_m2": 2}, "and not both"),
        ({"keep_out": ["gone"]}, "no piece and no region 'gone'"),
        ({"props": [{"prop": "unheard of"}]}, "not in the store"),
        ({"props": [{"file": "stone.glb"}]}, "only read by the command line"),
    ],
)
def test_bad_recipes_are_refused_in_words(
    client: Client, dressed: DressedSet, move: Move, wrong: dict[str, Any], said: str
) -> None:
    before = whole(client, dressed)
    assert said in move(expect=409, kind="scatter", recipe={**recipe(), **wrong})["error"]
    if "props" not in wrong:
        assert said in dots(client, dressed, 409, recipe={**recipe(), **wrong})["error"]
    assert whole(client, dressed) == before


def test_dots_are_only_for_those_who_dress_the_set(
    other: User, as_user: Callable[[User], Client], dressed: DressedSet
) -> None:
    dots(as_user(other), dressed, 404, recipe=recipe())


def test_laying_is_stopped_and_nothing_of_it_kept(
    client: Client, wren: User, dressed: DressedSet, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(under_way, "MESSAGE_SECONDS", 0.0)
    before = whole(client, dressed)
    ear = Ear(lambda news: news["kind"] == "under_way" and moves_under_way.stop(dressed.key, news["ask"]))
    listeners.join(dressed.key, ear)
    try:
        with pytest.raises(MoveRefused, match="stopped; nothing was changed"):
            make_move(
                dressed.key,
                wren,
                lambda live: parse({"kind": "scatter", "recipe": recipe(300)}),
                asking=Asking(ask="mine"),
            )
    finally:
        listeners.leave(dressed.key, ear)
    assert whole(client, dressed) == before
