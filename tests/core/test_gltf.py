"""Sets as glTF: files written by others, what changes in them and what must not, and files that are broken."""

import base64
import json
import struct
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import GltfSet, read_set
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.geometry.cube import cube
from brickseat_core.scene import Piece, Pose, Prop, Set

FLOOR_NODE = {
    "name": "floor",
    "mesh": 0,
    "translation": [0, -0.5, 0],
    "scale": [20, 1, 20],
    "extras": {"brickseat": {"role": "bearer"}},
}


def document(nodes: list[dict[str, Any]], roots: list[int] | None = None) -> GltfDocument:
    """A document whose mesh 0 is a cube of one metre, with these nodes."""
    made = prop_document("cube", [Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)])
    made.json["nodes"] = nodes
    children = {c for n in nodes for c in n.get("children", [])}
    made.json["scenes"] = [
        {"nodes": roots if roots is not None else [i for i in range(len(nodes)) if i not in children]}
    ]
    return made


def reread(made: GltfDocument) -> GltfDocument:
    return GltfDocument.parse(made.to_glb())


def mend(found: GltfSet) -> GltfSet:
    index = index_of(found.dressed)
    repair(index)
    store_set(found, replace(found.dressed, pieces=index.pieces))
    return read_set(reread(found.document))


def positions(found: GltfSet) -> dict[str, tuple[float, float, float]]:
    return {p.name: p.pose.position for p in found.dressed.pieces.values()}


def test_a_hierarchy_moves_as_one_and_its_children_keep_their_places() -> None:
    nodes = [
        FLOOR_NODE,
        {"name": "group", "children": [2], "translation": [1, 2, 0], "rotation": [0, 0.7071068, 0, 0.7071068]},
        {"name": "chest", "mesh": 0, "children": [3, 4], "scale": [0.5, 0.5, 0.5]},
        {"name": "lid", "mesh": 0, "translation": [0, 0.6, 0], "scale": [1, 0.2, 1]},
        {"name": "lamp", "camera": 0, "translation": [0, 3, 0]},
    ]
    made = document(nodes)
    made.json["cameras"] = [{"type": "perspective", "perspective": {"yfov": 1, "znear": 0.1}}]
    found = read_set(made)
    assert sorted(p.name for p in found.dressed.pieces.values()) == ["chest", "floor"]
    after = mend(found)
    assert positions(after)["chest"] == pytest.approx((1, 0.25, 0), abs=1e-9)
    lid = np.linalg.inv(after.worlds[2]) @ after.worlds[3]
    assert np.allclose(lid, np.linalg.inv(found.worlds[2]) @ found.worlds[3])
    assert found.document.json["nodes"][3] == nodes[3]
    assert found.document.json["nodes"][4] == nodes[4]


def test_a_child_that_is_a_body_of_its_own_stays_when_its_parent_moves() -> None:
    nodes = [
        FLOOR_NODE,
        {"name": "table", "mesh": 0, "translation": [0, 0.6, 0], "children": [2]},
        {
            "name": "cup",
            "mesh": 0,
            "translation": [3, -0.5, 0],
            "scale": [0.2, 0.2, 0.2],
            "extras": {"brickseat": {"body": "cup"}},
        },
    ]
    after = mend(read_set(document(nodes)))
    assert positions(after)["table"] == pytest.approx((0, 0.5, 0), abs=1e-9)
    assert positions(after)["cup"] == pytest.approx((3, 0.1, 0), abs=1e-9)


def test_nodes_that_share_a_body_rest_as_one() -> None:
    parts = [
        {"name": f"part {i}", "mesh": 0, "translation": [i, 1.0 + i, 0], "extras": {"brickseat": {"body": "pair"}}}
        for i in range(2)
    ]
    after = mend(read_set(document([FLOOR_NODE, *parts])))
    assert after.worlds[1][1, 3] == pytest.approx(0.5, abs=1e-9)
    assert after.worlds[2][1, 3] == pytest.approx(1.5, abs=1e-9)


def test_instances_are_bodies_and_only_the_wrong_one_moves() -> None:
    made = document(
        [FLOOR_NODE, {"name": "jars", "mesh": 0, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {}}}}]
    )
    spots = np.array([[0, 0.5, 0], [3, 0.9, 0], [6, 0.5, 1]], dtype="<f4")
    attributes = made.json["nodes"][1]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]
    attributes["TRANSLATION"] = made.append(spots, "VEC3")
    found = read_set(reread(made))
    states = {
        p.name: f.state
        for p, f in zip(list(found.dressed.pieces.values())[1:], check(index_of(found.dressed)).values(), strict=True)
    }
    assert states == {"jars 1": "seated", "jars 2": "floating", "jars 3": "seated"}
    after = positions(mend(found))
    assert after["jars 1"] == pytest.approx((0, 0.5, 0), abs=1e-6)
    assert after["jars 2"] == pytest.approx((3, 0.5, 0), abs=1e-6)


def test_unnamed_and_doubled_names_are_told_apart() -> None:
    names = [
        p.name
        for p in read_set(
            document([FLOOR_NODE, {"mesh": 0}, {"mesh": 0, "name": "a"}, {"mesh": 0, "name": "a"}])
        ).dressed.pieces.values()
    ]
    assert len(set(names)) == 4


def test_everything_else_comes_out_as_it_went_in() -> None:
    made = document(
        [FLOOR_NODE, {"name": "crate", "mesh": 0, "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 2, 3, 4, 1]}]
    )
    made.json["extras"] = {"note": "keep me"}
    made.json["animations"] = [{"name": "a", "channels": [], "samplers": []}]
    made.json["nodes"][1]["extras"] = {"theirs": [1, 2, {"x": None}]}
    before = json.loads(json.dumps(made.json))
    found = read_set(made)
    mend(found)
    after = found.document.json
    assert after["nodes"][1]["matrix"][12:15] == pytest.approx([2, 0.5, 4])
    after["nodes"][1]["matrix"] = before["nodes"][1]["matrix"]
    assert after == before


def test_huge_coordinates_keep_their_millimetres() -> None:
    root = {"name": "site", "translation": [450_000.0, 120.0, -5_200_000.0], "children": [1, 2]}
    found = mend(read_set(document([root, FLOOR_NODE, {"name": "crate", "mesh": 0, "translation": [1, 0.7321, 1]}])))
    assert check(index_of(found.dressed))["2"].gap == pytest.approx(0.0, abs=1e-8)


def test_a_file_of_another_writer_opens(tmp_path: Path) -> None:
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((4, 0.1, 4)), node_name="floor")
    scene.add_geometry(
        trimesh.creation.icosphere(2, 0.1),
        node_name="ball",
        transform=trimesh.transformations.translation_matrix((0, 0.4, 0)),
    )
    path = tmp_path / "other.glb"
    scene.export(path)
    found = read_set(GltfDocument.open(path), ["floor"])
    fit = next(iter(check(index_of(found.dressed)).values()))
    assert fit.gap == pytest.approx(0.25, abs=1e-6)


def test_a_set_is_handed_over_and_read_back_without_loss() -> None:
    source = prop_document("crate", [Surface(Paint("grey", (0.5, 0.5, 0.5)), cube().vertices, cube().faces)])
    prop = Prop("crate", "crate", cube())
    pieces = [
        Piece("f", "floor", prop, Pose.from_parts((0, -0.5, 0), (0, 0, 0, 1), (9, 1, 9)), "bearer"),
        Piece(
            "a", "bedded", prop, Pose.from_parts((1, 0.2, 0), (0, 0.6, 0, 0.8), (0.5, 0.6, 0.7)), sink=0.1, spiked=True
        ),
        Piece("b", "lamp", prop, Pose((0, 3, 0)), direction=(0.0, 1.0, 0.0), stand_off=0.02),
    ]
    made = reread(set_document(Set.of("set", pieces), {"crate": source}))
    assert len(made.json["meshes"]) == 1
    back = {p.name: p for p in read_set(made).dressed.pieces.values()}
    for old in pieces:
        new = back[old.name]
        assert np.allclose(new.pose.matrix, old.pose.matrix, atol=1e-12)
        assert (new.role, new.direction, new.sink, new.stand_off, new.spiked) == (
            old.role,
            old.direction,
            old.sink,
            old.stand_off,
            old.spiked,
        )


def external(uri: str) -> bytes:
    made = document([FLOOR_NODE])
    made.to_gltf()
    made.json["buffers"][0]["uri"] = uri
    return json.dumps(made.json).encode()


def with_change(change: Any) -> bytes:
    made = document([FLOOR_NODE, {"name": "crate", "mesh": 0}])
    change(made.json)
    return made.to_glb()


def with_vertices(values: np.ndarray) -> bytes:  # type: ignore[type-arg]
    made = document([FLOOR_NODE])
    position = made.json["meshes"][0]["primitives"][0]["attributes"]["POSITION"]
    view = made.json["bufferViews"][made.json["accessors"][position]["bufferView"]]
    data = bytearray(made.to_glb())
    start = len(data) - len(made.buffer(0)) - (-len(made.buffer(0)) % 4) + view["byteOffset"]
    data[start : start + values.nbytes] = values.tobytes()
    return bytes(data)


BROKEN = {
    "nothing": b"",
    "not glTF": b"solid cube\nendsolid",
    "header only": struct.pack("<III", 0x46546C67, 2, 12),
    "cut short": document([FLOOR_NODE]).to_glb()[:300],
    "old version": struct.pack("<III", 0x46546C67, 1, 40) + b"\0" * 28,
    "broken JSON": b'{"asset": {"version": "2.0"}, ',
    "index out of range": with_change(lambda j: j["nodes"][1].update(mesh=7)),
    "a circle of nodes": with_change(lambda j: j["nodes"][1].update(children=[1])),
    "nothing drawn": with_change(lambda j: j.update(nodes=[{"name": "empty"}], scenes=[{"nodes": [0]}])),
    "no triangles": with_change(lambda j: j["meshes"][0]["primitives"][0].update(mode=1)),
    "a view past the end": with_change(lambda j: j["bufferViews"][0].update(byteLength=10**9)),
    "an accessor past the end": with_change(lambda j: j["accessors"][0].update(count=10**6)),
    "a huge claim": with_change(lambda j: j["accessors"][0].update(count=10**12)),
    "scaled to nothing": with_change(lambda j: j["nodes"][1].update(scale=[1, 0, 1])),
    "a transform of words": with_change(lambda j: j["nodes"][1].update(translation=["a", 0, 0])),
    "a bad direction": with_change(lambda j: j["nodes"][1].update(extras={"brickseat": {"direction": "sideways"}})),
    "a negative sink": with_change(lambda j: j["nodes"][1].update(extras={"brickseat": {"sink": -1}})),
    "compression": with_change(lambda j: j.update(extensionsRequired=["KHR_draco_mesh_compression"])),
    "not a number": with_vertices(np.full((1, 3), np.nan, dtype="<f4")),
    "a missing file": external("missing.bin"),
    "a file outside": external("../../../../etc/passwd"),
    "a file outside, escaped": external("%2e%2e/%2e%2e/secret.bin"),
    "an address": external("https://example.invalid/a.bin"),
    "bad base64": external("data:application/octet-stream;base64,@@@"),
}


@pytest.mark.parametrize("name", BROKEN)
def test_broken_files_are_refused_in_one_line(name: str, tmp_path: Path) -> None:
    path = tmp_path / "broken.glb"
    path.write_bytes(BROKEN[name])
    with pytest.raises(FileError) as refused:
        read_set(GltfDocument.open(path))
    assert "\n" not in str(refused.value)
    assert len(str(refused.value)) > 20


@settings(max_examples=150, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_damaged_bytes_give_a_clear_error_or_a_right_answer(seed: int) -> None:
    rng = np.random.default_rng(seed)
    data = bytearray(document([FLOOR_NODE, {"name": "crate", "mesh": 0, "translation": [0, 1, 0]}]).to_glb())
    for at in rng.integers(12, len(data), size=int(rng.integers(1, 12))):
        data[at] = int(rng.integers(256))
    try:
        found = read_set(GltfDocument.parse(bytes(data)))
    except FileError:
        return
    assert all(np.isfinite(p.pose.matrix).all() for p in found.dressed.pieces.values())


def test_external_files_beside_it_are_read_and_carried_along(tmp_path: Path) -> None:
    made = document([FLOOR_NODE, {"name": "crate", "mesh": 0, "translation": [0, 2, 0]}])
    (tmp_path / "in").mkdir()
    (tmp_path / "in" / "set data.bin").write_bytes(made.buffer(0))
    made.json["buffers"][0]["uri"] = "set%20data.bin"
    (tmp_path / "in" / "set.gltf").write_text(json.dumps(made.json))
    found = read_set(GltfDocument.open(tmp_path / "in" / "set.gltf"))
    found.document.save(tmp_path / "out.gltf")
    again = json.loads((tmp_path / "out.gltf").read_text())
    assert (
        base64.b64decode(again["buffers"][0]["uri"].partition(",")[2])
        == (tmp_path / "in" / "set data.bin").read_bytes()
    )
