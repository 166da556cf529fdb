"""A changed set back into its file: moved, renamed, new and gone pieces, regions, relations; the rest as it was."""

import json
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from brickseat_core.contact.rays import first_hit
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.reading import GltfSet, read_set
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.moves_file import apply_moves
from brickseat_core.scene import Set
from shapes import standing
from test_gltf import FLOOR_NODE, document, reread

REGION = {"role": "region"}
TIE = {"key": "t1", "tie": "gap", "piece": "bench", "to": "floor", "side": [0, 0, -1], "distance_m": 0.3}
RECIPE = {"key": "r1", "name": "stones", "recipe": "scatter", "seed": 4, "parameters": {"count": 40, "on": ["floor"]}}
CUT = {"key": "c1", "piece": "bench", "bearer": "floor", "clearance_m": 0.002}


def yard(**scene: Any) -> GltfSet:
    made = document(
        [
            FLOOR_NODE,
            {"name": "bench", "mesh": 0, "translation": [0, 0.5, 0], "extras": {"mine": 1}},
            {"name": "cart", "translation": [3, 0, 0], "children": [3, 4]},
            {"name": "bed", "mesh": 0, "translation": [0, 0.5, 0], "extras": {"brickseat": {"body": "cart"}}},
            {"name": "handle", "mesh": 0, "translation": [1, 0.5, 0], "extras": {"brickseat": {"body": "cart"}}},
            {"name": "keep out", "mesh": 0, "translation": [6, 1, 0], "children": [6], "extras": {"brickseat": REGION}},
            {"name": "its lid", "mesh": 0, "translation": [0, 1, 0]},
        ]
    )
    made.json["scenes"][0].update(scene)
    return read_set(reread(made))


def again(found: GltfSet, after: Set) -> GltfSet:
    store_set(found, after)
    return read_set(reread(found.document))


def applied(found: GltfSet, *moves: dict[str, Any]) -> GltfSet:
    return again(found, apply_moves(found.dressed, list(moves)).dressed)


def named(found: GltfSet) -> dict[str, Any]:
    return {p.name: p for p in found.dressed.pieces.values()}


def test_a_region_is_read_and_kept_and_hits_nothing() -> None:
    found = yard()
    assert set(named(found)) == {"floor", "bench", "cart"}
    (region,) = found.dressed.regions.values()
    assert (region.name, region.pose.position) == ("keep out", (6.0, 1.0, 0.0))
    assert len(region.prop.mesh.faces) == 24, "what stands below a region belongs to it"
    index = standing(*found.dressed.pieces.values())
    hit = first_hit(index, np.array([6.0, 9.0, 0.0]), np.array([0.0, -1.0, 0.0]))
    assert hit is not None
    assert hit.point[1] == pytest.approx(0.0, abs=1e-9)
    moved = applied(found, {"kind": "slide", "pieces": ["bench"], "by": [0, 0, 1]})
    assert moved.dressed.regions == found.dressed.regions


def test_a_region_without_a_volume_and_a_role_that_is_none_are_refused() -> None:
    for extras, words in ((REGION, "has no mesh"), ({"role": "king"}, "role 'king'"), ({"role": ["prop"]}, "role")):
        made = document([FLOOR_NODE, {"name": "odd", "extras": {"brickseat": extras}}])
        with pytest.raises(FileError, match=words):
            read_set(reread(made))


def test_words_of_a_piece_are_written_and_the_rest_stays() -> None:
    found = applied(
        yard(),
        {"kind": "rename", "piece": "bench", "name": "work bench"},
        {"kind": "bed", "pieces": ["work bench"], "sink": 0.02},
        {"kind": "spike", "pieces": ["work bench"]},
        {"kind": "group", "pieces": ["work bench", "cart"], "name": "tools"},
    )
    bench = named(found)["work bench"]
    assert (bench.sink, bench.spiked, bench.group) == (pytest.approx(0.02), True, "tools")
    assert named(found)["cart"].group == "tools"
    node = next(n for n in found.document.json["nodes"] if n.get("name") == "work bench")
    assert node["extras"]["mine"] == 1
    freed = applied(
        found,
        {"kind": "spike", "pieces": ["work bench"], "spiked": False},
        {"kind": "group", "pieces": ["work bench", "cart"]},
        {"kind": "fix", "pieces": ["cart"]},
    )
    assert not named(freed)["work bench"].spiked
    assert named(freed)["work bench"].group == ""
    assert named(freed)["cart"].role == "bearer"


def test_copies_swaps_and_new_pieces_are_drawn_as_what_they_are_copies_of() -> None:
    found = applied(
        yard(),
        {"kind": "copy", "pieces": ["cart"], "by": [0, 0, 3]},
        {"kind": "set_down", "prop": "bench", "pose": {"position": [-4, 0.5, 0]}, "sink": 0.01},
        {"kind": "swap", "pieces": ["bench"], "prop": "cart"},
    )
    pieces = named(found)
    assert set(pieces) == {"floor", "bench", "cart", "cart 1", "cube 1"}
    assert pieces["cart 1"].prop == pieces["cart"].prop == pieces["bench"].prop
    assert pieces["cart 1"].pose.position == pytest.approx((3.0, 0.5, 3.0))
    assert pieces["cube 1"].sink == pytest.approx(0.01)
    assert len(pieces["cube 1"].prop.mesh.faces) == 12
    assert np.allclose(pieces["bench"].prop.mesh.box, pieces["cart"].prop.mesh.box)


def test_what_is_taken_away_is_gone_and_what_hangs_below_it_stays() -> None:
    made = document(
        [
            FLOOR_NODE,
            {"name": "table", "mesh": 0, "translation": [0, 0.5, 0], "children": [2, 3]},
            {"name": "bowl", "mesh": 0, "translation": [0, 1, 0], "extras": {"brickseat": {"body": "bowl"}}},
            {"name": "eye", "camera": 0},
        ]
    )
    made.json["cameras"] = [{"type": "perspective", "perspective": {"yfov": 1, "znear": 0.1}}]
    found = read_set(reread(made))
    gone = applied(found, {"kind": "remove", "pieces": ["table"]})
    assert set(named(gone)) == {"floor", "bowl"}
    assert named(gone)["bowl"].pose.position == (0.0, 1.5, 0.0)
    assert any(n.get("camera") == 0 for n in gone.document.json["nodes"])
    less = applied(gone, {"kind": "remove", "pieces": ["bowl"]})
    assert set(named(less)) == {"floor"}


def test_instances_come_and_go_one_by_one() -> None:
    made = document([FLOOR_NODE, {"name": "pot", "mesh": 0}])
    offsets = made.append(np.array([[0, 0.5, 0], [2, 0.5, 0], [4, 0.5, 0]], dtype="<f4"), "VEC3")
    extension = {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": offsets}}}
    made.json["nodes"][1]["extensions"] = extension
    made.json["extensionsUsed"] = list(extension)
    found = read_set(reread(made))
    less = applied(found, {"kind": "remove", "pieces": ["pot 2"]})
    assert sorted(p.pose.position[0] for p in less.dressed.pieces.values() if p.role == "prop") == [0.0, 4.0]
    spiked = applied(less, {"kind": "spike", "pieces": ["pot 1"]})
    assert sorted((p.pose.position[0], p.spiked) for p in spiked.dressed.pieces.values() if p.role == "prop") == [
        (0.0, True),
        (4.0, False),
    ]


def test_relations_come_back_when_the_file_is_opened_again() -> None:
    extras = {"brickseat": {"ties": [TIE], "recipes": [RECIPE], "cut_outs": [CUT]}, "theirs": [1, 2]}
    found = yard(extras=extras)
    (tie,) = found.dressed.ties.values()
    bench = next(p for p in found.dressed.pieces.values() if p.name == "bench")
    assert (tie.piece, tie.distance, tie.side) == (bench.key, 0.3, (0.0, 0.0, -1.0))
    changed = replace(found.dressed, ties={"t1": replace(tie, distance=0.4)}, cut_outs={})
    later = again(found, changed)
    assert later.dressed.ties == changed.ties
    assert later.dressed.recipes == found.dressed.recipes
    assert later.dressed.cut_outs == {}
    assert later.document.json["scenes"][0]["extras"]["theirs"] == [1, 2]
    assert later.document.json["scenes"][0]["extras"]["brickseat"]["ties"][0]["piece"] == "bench"


@pytest.mark.parametrize(
    ("ours", "words"),
    [
        ({"ties": 7}, "not a list"),
        ({"ties": [7]}, r"ties\[0\] is not an object"),
        ({"ties": [{**TIE, "to": "nobody"}]}, r"ties\[0\]: to 'nobody' is no piece"),
        ({"ties": [TIE, {**TIE, "tie": "glue"}]}, r"ties\[1\]: tie 'glue' is not one of"),
        ({"cut_outs": [{**CUT, "clearance_m": "wide"}]}, r"cut_outs\[0\]"),
        ({"recipes": [{"key": "r"}]}, r"recipes\[0\]: a recipe has no name"),
    ],
)
def test_relations_that_make_no_sense_are_refused_with_their_place(ours: dict[str, Any], words: str) -> None:
    with pytest.raises(FileError, match=words):
        yard(extras={"brickseat": ours})


def test_nothing_that_did_not_change_is_touched() -> None:
    cling = {"key": "t1", "tie": "cling", "piece": "bench", "to": "floor"}
    found = yard(extras={"brickseat": {"ties": [cling]}})
    before = json.dumps(found.document.json, sort_keys=True)
    store_set(found, found.dressed)
    assert json.dumps(found.document.json, sort_keys=True) == before
    moved = apply_moves(found.dressed, [{"kind": "carry", "pieces": ["bench"], "by": [1, 0, 0]}]).dressed
    store_set(found, moved)
    old, new = json.loads(before)["nodes"], found.document.json["nodes"]
    assert [a == b for a, b in zip(old, new, strict=True)] == [True, False, True, True, True, True, True]
