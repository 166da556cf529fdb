"""The store and the bench: props come in as they are, are corrected, posed, ordered, and made to measure."""

import io
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client
from PIL import Image

from brickseat.sets.models import DressedSet
from brickseat.store import prop_house
from brickseat.store.models import StoredProp
from brickseat_core.formats.gltf.document import GltfDocument

pytestmark = pytest.mark.django_db
Move = Callable[..., Any]

JUG_IN_CM = (
    b"".join(b"v %g %g %g\n" % (x, y, z) for x in (0, 12) for y in (0, 24) for z in (0, 12))
    + b"mtllib jug.mtl\nusemtl glaze\nf 1 2 4 3\nf 5 7 8 6\nf 1 5 6 2\nf 3 4 8 7\nf 1 3 7 5\nf 2 6 8 4\n"
)
GLAZE = b"newmtl glaze\nKd 0.1 0.4 0.8\n"


def sent(client: Client, expect: int = 201, **files: bytes) -> Any:
    named = [SimpleUploadedFile(name.replace("__", "."), data) for name, data in files.items()]
    answer = client.post("/api/props", {"files": named})
    assert answer.status_code == expect, answer.content
    return answer.json()


def changed(client: Client, key: str, expect: int = 200, **changes: Any) -> Any:
    answer = client.patch(f"/api/props/{key}", changes, content_type="application/json")
    assert answer.status_code == expect, answer.content
    return answer.json()


def test_a_jug_in_centimetres_is_questioned_and_brought_to_true_size(
    client: Client, dressed: DressedSet, move: Move
) -> None:
    made = sent(client, jug__obj=JUG_IN_CM, jug__mtl=GLAZE)
    key = made["prop"]["key"]
    assert made["prop"]["height"] == pytest.approx(24.0)
    assert [(q["about"], q["proposal"]) for q in made["questions"]] == [("unit", "cm")]
    stood = move(
        kind="set_down",
        prop=key,
        pose={"position": [0, 0.5, 3], "orientation": [0, 0, 0, 1], "scale": [0.01, 0.01, 0.01]},
    )
    true = changed(client, key, unit="cm")
    assert (true["prop"]["height"], true["prop"]["width"]) == pytest.approx((0.24, 0.12))
    assert true["questions"] == []
    assert true["standing"] == 1
    again = client.get(f"/api/sets/{dressed.key}").json()
    assert again["revision"] == stood["revision"] + 2
    document = GltfDocument.parse(b"".join(client.get(true["prop"]["file"])))
    assert document.json["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"][:3] == pytest.approx(
        [0.1, 0.4, 0.8], abs=0.35
    )
    assert changed(client, key, unit="m")["prop"]["height"] == pytest.approx(24.0)


def test_seats_set_on_the_bench_keep_their_places_when_the_unit_or_the_up_axis_is_corrected(client: Client) -> None:
    key = sent(client, jug__obj=JUG_IN_CM, jug__mtl=GLAZE)["prop"]["key"]
    rim = {
        "name": "rim",
        "point": [6.0, 24.0, 0.0],
        "facing": [0.0, 1.0, 0.0],
        "clock": [0.0, 0.0, 1.0],
        "step_deg": 30.0,
    }

    def seat(answer: Any) -> dict[str, Any]:
        (found,) = answer["prop"]["seats"]
        return {name: found[name] for name in ("name", "point", "facing", "clock", "step_deg")}

    assert seat(changed(client, key, seats=[rim])) == rim
    small = seat(changed(client, key, unit="cm"))
    assert small["point"] == pytest.approx([0.06, 0.24, 0.0])
    assert small["facing"] == pytest.approx(rim["facing"])
    assert small["clock"] == pytest.approx(rim["clock"])
    assert (small["name"], small["step_deg"]) == ("rim", 30.0)
    # What was up in the file is now away, and its seat with it.
    lying = changed(client, key, up="z")
    height, turned = lying["prop"]["height"], seat(lying)
    assert height == pytest.approx(0.12)
    assert np.linalg.norm(turned["point"]) == pytest.approx(np.hypot(0.06, 0.24))
    assert abs(turned["facing"][2]) == pytest.approx(1.0)
    assert np.dot(turned["facing"], turned["point"]) == pytest.approx(0.24)
    assert seat(changed(client, key, up="y", unit="m"))["point"] == pytest.approx(rim["point"])


def test_bad_files_are_refused_in_words_and_leave_nothing(client: Client) -> None:
    for files in ({"jug__obj": b"f 1 2 3\n"}, {"notes__txt": b"hello"}, {"a__stl": b"", "b__stl": b""}):
        assert len(sent(client, 422, **files)["error"]) > 12
    assert not StoredProp.objects.exists()


def test_the_bench_measures_sides_weight_and_contact_shape(client: Client, crate: StoredProp) -> None:
    found = client.get("/api/props/crate").json()
    assert found["sides"][0]["height"] == pytest.approx(0.5)
    assert len(found["sides"]) == 6
    assert found["prop"]["mass"] == pytest.approx(0.125 * 1900.0)
    heavy = changed(client, "crate", material="iron")
    assert heavy["prop"]["mass"] == pytest.approx(0.125 * 7600.0)
    assert changed(client, "crate", mass=12.0, tags=["kiln", "wood"])["prop"]["mass"] == 12.0
    assert changed(client, "crate", mass=None)["own_mass"] is False
    assert changed(client, "crate", 422, material="cheese")["error"].startswith("the material is one of")
    best = client.get("/api/props/crate/contact/best").json()
    assert (best["kind"], best["good"]) == ("box", True)
    assert max(best["bulge"], best["uncovered"]) < 1e-6
    ball = client.get("/api/props/crate/contact/ball").json()
    assert ball["bulge"] == pytest.approx(0.433 - 0.25, abs=2e-3)
    assert not ball["good"]
    assert b"".join(client.get(ball["file"]))[:4] == b"glTF"


def test_a_jointed_prop_becomes_a_posed_one(client: Client, tmp_path: Path) -> None:
    arm = {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "post", "mesh": 0, "children": [1]}, {"name": "elbow", "mesh": 0, "translation": [0, 1, 0]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
    }
    document = GltfDocument(arm, None, None)
    corners = np.array([[0, 0, 0], [0.1, 0, 0], [0, 0, 0.1], [0, 1, 0]], np.float32)
    document.append(corners, "VEC3")
    document.append(np.array([0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3], np.uint16), "SCALAR")
    made = sent(client, arm__glb=document.to_glb())
    assert made["joints"] == ["elbow"]
    turns = [{"joint": "elbow", "axis": "z", "degrees": 90}]
    url = f"/api/props/{made['prop']['key']}/poses"
    posed = client.post(url, {"name": "bent", "turns": turns}, content_type="application/json").json()
    assert posed["prop"]["name"] == "arm, bent"
    assert (posed["prop"]["width"], posed["prop"]["height"]) == pytest.approx((1.1, 1.1), abs=1e-6)
    assert posed["turns"] == turns
    assert client.get(f"/api/props/{made['prop']['key']}").json()["poses"][0]["key"] == posed["prop"]["key"]
    wrong = client.post(url, {"name": "x", "turns": [{**turns[0], "joint": "knee"}]}, content_type="application/json")
    assert wrong.status_code == 422
    assert "elbow" in wrong.json()["error"]


def test_bearers_are_made_to_measure_and_carry(client: Client, dressed: DressedSet, move: Move) -> None:
    shelf = client.post(
        "/api/bearers",
        {"kind": "shelf", "across": 1.2, "along": 0.3, "height": 1.5, "thickness": 0.02, "count": 4},
        content_type="application/json",
    ).json()
    assert (shelf["width"], shelf["height"], shelf["depth"]) == pytest.approx((1.2, 1.5, 0.3))
    at = {"position": [0, 0, -4], "orientation": [0, 0, 0, 1], "scale": [1, 1, 1]}
    assert move(kind="stand", prop=shelf["key"], pose=at)["words"] == "brought shelf"
    grey = Image.fromarray((np.arange(64 * 32).reshape(32, 64) % 256).astype(np.uint8))
    data = io.BytesIO()
    grey.save(data, "PNG")
    hill = client.post(
        "/api/bearers/terrain",
        {"file": SimpleUploadedFile("hill.png", data.getvalue()), "across": 8, "along": 4, "height": 0.5},
    )
    assert hill.status_code == 201, hill.content
    assert hill.json()["triangles"] == 2 * 63 * 31
    bad = client.post("/api/bearers/terrain", {"file": SimpleUploadedFile("hill.png", b"not a picture")})
    assert bad.status_code == 422


def test_the_prop_house_delivers(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    assert {i["state"] for i in client.get("/api/prop-house").json()} == {"there"}
    assert client.post("/api/prop-house/ewer").status_code == 202
    assert {i["state"] for i in client.get("/api/prop-house").json()} == {"there", "ordered"}
    later = prop_house.timezone.now() + prop_house.DELIVERY * 2
    monkeypatch.setattr(prop_house.timezone, "now", lambda: later)
    (came,) = [i for i in client.get("/api/prop-house").json() if i["state"] == "delivered"]
    assert client.get(f"/api/props/{came['prop']}").json()["prop"]["height"] == pytest.approx(0.36, abs=0.06)
    assert client.post("/api/prop-house/moon").status_code == 404


def test_a_shared_set_is_dressed_by_two_and_owned_by_one(
    client: Client, other: User, as_user: Callable[[User], Client], dressed: DressedSet
) -> None:
    guest = as_user(other)
    url = f"/api/sets/{dressed.key}"
    assert guest.get(url).status_code == 404
    body = {"username": other.username}
    assert client.post(f"{url}/dressers", body, content_type="application/json").status_code == 204
    assert guest.get(url).json()["own"] is False
    assert [c["owner"] for c in guest.get("/api/sets").json()] == ["wren"]
    assert guest.delete(url).status_code == 403
    assert client.delete(f"{url}/dressers/{other.username}").status_code == 204
    assert guest.get(url).status_code == 404
    assert client.post(f"{url}/dressers", {"username": "nobody"}, content_type="application/json").status_code == 422


def test_a_small_picture_comes_by_the_address_of_the_model_and_is_drawn_once(
    client: Client, crate: StoredProp, other: User, as_user: Callable[[User], Client]
) -> None:
    made = sent(client, jug__obj=JUG_IN_CM, jug__mtl=GLAZE)["prop"]
    for look, size in (("corner", (112, 112)), ("front", (132, 264))):
        address = made["file"].replace(".glb", f"/{look}.png")
        answer = client.get(address)
        picture = Image.open(io.BytesIO(answer.content))
        assert (picture.size, answer["Content-Type"]) == (size, "image/png")
        red, _, blue, _ = picture.convert("RGBA").getpixel((size[0] // 2, size[1] // 2))  # type: ignore[misc]
        assert blue > red, "in its glaze"
        assert as_user(other).get(address).status_code == 404
    stored = StoredProp.objects.get(key=made["key"])
    kept = next(stored.path.parent.glob(f"{stored.digest}-front-*.png"))
    kept.write_bytes(b"as it was drawn")
    assert client.get(made["file"].replace(".glb", "/front.png")).content == b"as it was drawn"
    before = client.get(f"/api/props/{made['key']}/{'0' * 16}/front.png")
    assert before.headers["Location"] == made["file"].replace(".glb", "/front.png"), "to the one of now"
    assert client.get(made["file"].replace(".glb", "/back.png")).status_code == 422


def test_props_of_a_set_come_many_at_once_and_only_what_may_be_seen(
    client: Client, dressed: DressedSet, other: User, as_user: Callable[[User], Client]
) -> None:
    """Seen are everybody's, one's own, and what stands or stood on the set; not those of somebody else that do not."""
    mine = sent(client, jug__obj=JUG_IN_CM)["prop"]["key"]
    theirs = sent(as_user(other), vase__obj=JUG_IN_CM)["prop"]["key"]
    address = f"/api/sets/{dressed.key}/props"
    asked = {"keys": [mine, "crate", theirs, "nothing"]}
    assert {p["key"] for p in client.get(address, asked).json()} == {mine, "crate"}
    assert as_user(other).get(address, asked).status_code == 404
    assert client.get(address, {"keys": ["crate"] * 101}).status_code == 422


def test_all_that_counts_is_listed_and_what_nothing_needs_is_freed(
    client: Client, dressed: DressedSet, move: Move, wren: User
) -> None:
    bearers = [client.post("/api/bearers", {"kind": "floor"}, content_type="application/json").json() for _ in range(3)]
    on_set, taken_away, unused = (b["key"] for b in bearers)
    sent(client, jug__obj=JUG_IN_CM)
    for key in (on_set, taken_away):
        stood = move(kind="stand", prop=key, pose={"position": [9, 0, 9]})
    move(kind="remove", pieces=[d["key"] for d in stood["deltas"] if d["kind"] == "piece"])

    def space() -> Any:
        return client.get("/api/store/space").json()

    assert space()["props"] == 4
    assert space()["bytes"] == sum(StoredProp.objects.filter(owner=wren).values_list("size", flat=True))
    listed = {p["key"]: (p["standing"], p["undoable"]) for p in space()["unlisted"]}
    assert listed == {on_set: (1, True), taken_away: (0, True), unused: (0, False)}
    assert client.delete("/api/store/unused").json() == {"freed": 0}, "it was just made, perhaps to be stood"
    StoredProp.objects.update(claimed=None)
    assert client.delete("/api/store/unused").json() == {"freed": 1}
    assert {p["key"] for p in space()["unlisted"]} == {on_set, taken_away}
    client.delete(f"/api/sets/{dressed.key}")
    assert client.delete("/api/store/unused").json() == {"freed": 2}
    assert (space()["props"], space()["unlisted"]) == (1, [])
