"""What a file draws is what is seated: morph targets, groups of parts, a floor at a height, instances under a sized parent."""

import json
import subprocess
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import GltfSet, read_set
from brickseat_core.formats.opening import open_document, save_document
from brickseat_core.formats.prop_file import whole_mesh
from test_command_line import run
from test_gltf import FLOOR_NODE, document

SET = Path("set.glb")


def with_morph(node: dict[str, Any], mesh_weights: list[float] | None = None) -> GltfDocument:
    """The floor and a cube whose one morph target is 0.4 m lower."""
    made = document([FLOOR_NODE, node])
    made.json["meshes"].append(json.loads(json.dumps(made.json["meshes"][0])))
    (primitive,) = made.json["meshes"][1]["primitives"]
    points = made.accessor(primitive["attributes"]["POSITION"], "the cube")
    offsets = np.tile(np.array([[0.0, -0.4, 0.0]], "<f4"), (len(points), 1))
    primitive["targets"] = [{"POSITION": made.append(offsets, "VEC3")}]
    if mesh_weights is not None:
        made.json["meshes"][1]["weights"] = mesh_weights
    return GltfDocument.parse(made.to_glb())


@pytest.mark.parametrize(
    ("node", "mesh", "gap"),
    [
        ({}, None, 0.5),
        ({"weights": [0.5]}, None, 0.3),
        ({}, [1.0], 0.1),
        ({"weights": [0.25]}, [1.0], 0.4),
        ({"weights": [0]}, [1.0], 0.5),
    ],
)
def test_a_morphed_shape_is_measured_as_it_is_drawn(node: dict[str, Any], mesh: list[float] | None, gap: float) -> None:
    found = read_set(with_morph({"name": "jar", "mesh": 1, "translation": [0, 1, 0], **node}, mesh))
    assert check(index_of(found.dressed))["1"].gap == pytest.approx(gap, abs=1e-6)


@pytest.mark.parametrize("suffix", [".obj", ".usda", ".ply"])
def test_a_morphed_shape_is_written_as_it_is_drawn(tmp_path: Path, suffix: str) -> None:
    made = with_morph({"name": "jar", "mesh": 1, "translation": [0, 1, 0], "weights": [0.5]})
    lowest = whole_mesh(made, "here").box[0][1]
    path = tmp_path / f"out{suffix}"
    save_document(made, path)
    assert whole_mesh(open_document(path), "there").box[0][1] == pytest.approx(lowest, abs=1e-5)


def test_a_copy_of_a_morphed_piece_is_drawn_alike(tmp_path: Path) -> None:
    path, out = tmp_path / "set.glb", tmp_path / "out.glb"
    with_morph({"name": "jar", "mesh": 1, "translation": [0, 0.7, 0], "weights": [0.5]}).save(path)
    moves = tmp_path / "moves.json"
    moves.write_text(json.dumps([{"kind": "copy", "pieces": ["jar"], "by": [2, 0, 0]}]))
    assert run("apply", path, moves, "-o", out).returncode == 0
    found = read_set(GltfDocument.open(out))
    assert {f.state for f in check(index_of(found.dressed)).values()} == {"seated"}
    assert len(found.dressed.pieces) == 3


@pytest.mark.parametrize("weights", [[0.5, 0.5], ["much"], 3, [10**400]])
def test_weights_that_do_not_fit_are_refused_in_one_line(weights: Any) -> None:
    made = with_morph({"name": "jar", "mesh": 1})
    made.json["nodes"][1]["weights"] = weights
    with pytest.raises(FileError, match="weights"):
        read_set(made)


def chair() -> GltfDocument:
    """The floor, and a chair of a seat on two legs, of which only the legs are over the edge of a step."""
    legs = [{"name": "leg", "mesh": 0, "translation": [x, 1.2, 0], "scale": [0.1, 0.4, 0.1]} for x in (-0.4, 0.4)]
    return document(
        [
            FLOOR_NODE,
            {"name": "step", "mesh": 0, "translation": [2.4, 0.05, 0], "scale": [4, 0.1, 4], "extras": {"brickseat": {"role": "bearer"}}},
            {"name": "chair", "children": [3, 4, 5]},
            *legs,
            {"name": "seat", "mesh": 0, "translation": [0, 1.45, 0], "scale": [1, 0.1, 0.4]},
        ]
    )  # fmt: skip


def seated(tmp_path: Path, *more: object) -> tuple[GltfSet, subprocess.CompletedProcess[str]]:
    path, out = tmp_path / "chair.glb", tmp_path / "out.glb"
    chair().save(path)
    done = run("seat", path, "-o", out, *more)
    assert done.returncode == 0, done.stderr
    return read_set(GltfDocument.open(out)), done


def test_parts_that_move_apart_are_named_once_and_kept_together_when_asked(tmp_path: Path) -> None:
    apart, done = seated(tmp_path)
    assert len(apart.dressed.pieces) == 5
    assert done.stderr.splitlines() == ["chair: its 3 parts moved apart; --whole chair keeps them together"]
    whole, done = seated(tmp_path, "--whole", "cha*")
    assert done.stderr == ""
    (one,) = [p for p in whole.dressed.pieces.values() if p.role == "prop"]
    assert (one.name, len(one.prop.mesh.faces)) == ("chair", 3 * 12)
    # It tilts nothing: it stands with one leg on the step.
    lowest = (one.pose.apply(one.prop.mesh.vertices))[:, 1].min()
    assert lowest == pytest.approx(0.1, abs=1e-6)
    # What is one piece is kept so in the file, and can be taken apart again.
    again = run("seat", tmp_path / "out.glb", "-o", tmp_path / "again.glb")
    assert again.stderr == ""
    parts = run("seat", tmp_path / "out.glb", "-o", tmp_path / "parts.glb", "--parts", "chair")
    assert parts.returncode == 0
    assert len(read_set(GltfDocument.open(tmp_path / "parts.glb")).dressed.pieces) == 5


def test_parts_of_a_drawn_piece_are_pieces_by_themselves_when_asked() -> None:
    nodes = [
        FLOOR_NODE,
        {"name": "chest", "mesh": 0, "translation": [0, 0.5, 0], "children": [2]},
        {"name": "lid", "mesh": 0, "translation": [0, 2, 0]},
    ]
    assert [p.name for p in read_set(document(nodes)).dressed.pieces.values()] == ["floor", "chest"]
    found = read_set(document(nodes), parts=["chest"])
    assert [p.name for p in found.dressed.pieces.values()] == ["floor", "chest", "lid"]


def test_a_set_without_a_floor_is_seated_on_a_plane_at_a_height_which_is_not_written(tmp_path: Path) -> None:
    path, out = tmp_path / "set.glb", tmp_path / "out.glb"
    document(
        [{"name": "cup", "mesh": 0, "translation": [0, 3, 0]}, {"name": "low", "mesh": 0, "translation": [5, -3, 0]}]
    ).save(path)
    bare = run("seat", path, "-o", out)
    assert "cup: left where it is, there is no floor on this set" in bare.stderr
    assert bare.stderr.splitlines()[-1] == "the set has no floor: --floor 0 puts one under it at that height"
    assert run("seat", path, "-o", out, "--floor", "-25cm", "--strict").returncode == 0
    found = read_set(GltfDocument.open(out))
    assert {p.name: p.pose.position[1] for p in found.dressed.pieces.values()} == pytest.approx(
        {"cup": 0.25, "low": 0.25}, abs=1e-6
    )
    assert run("check", out).returncode == 1
    report = json.loads(run("check", out, "--json", "--floor", "-0.25").stdout)
    assert report["counts"]["seated"] == 2
    for command in ("repair", "settle"):
        assert run(command, path, "-o", tmp_path / f"{command}.glb", "--floor", "0").returncode == 0
        names = [p.name for p in read_set(GltfDocument.open(tmp_path / f"{command}.glb")).dressed.pieces.values()]
        assert names == ["cup", "low"]


def test_land_lets_go_of_a_stand_off(tmp_path: Path) -> None:
    path, out = tmp_path / "set.glb", tmp_path / "out.glb"
    extras = {"brickseat": {"stand_off": 0.3}}
    document([FLOOR_NODE, {"name": "lamp", "mesh": 0, "translation": [0, 2, 0], "extras": extras}]).save(path)
    for more, height, kept in ((), 0.8, 0.3), (("--land",), 0.5, 0.0):
        assert run("seat", path, "-o", out, *more).returncode == 0
        lamp = read_set(GltfDocument.open(out)).dressed.pieces["1"]
        assert (lamp.pose.position[1], lamp.stand_off) == (pytest.approx(height, abs=1e-6), kept)


def test_instances_under_a_parent_sized_unevenly_come_out_where_they_are(tmp_path: Path) -> None:
    made = document([FLOOR_NODE, {"name": "rack", "children": [2], "scale": [1, 2, 1]}, {"name": "cup", "mesh": 0}])
    half = float(np.sin(np.pi / 8)), float(np.cos(np.pi / 8))
    made.json["nodes"][2]["extensions"] = {
        "EXT_mesh_gpu_instancing": {
            "attributes": {
                "TRANSLATION": made.append(np.array([[0, 1, 0], [3, 1, 0]], "<f4"), "VEC3"),
                "ROTATION": made.append(np.array([[half[0], 0, 0, half[1]], [0, 0, 0, 1]], "<f4"), "VEC4"),
            }
        }
    }
    path, out, moves = tmp_path / "set.glb", tmp_path / "out.glb", tmp_path / "moves.json"
    made.save(path)
    before = read_set(GltfDocument.open(path)).dressed
    names = [p.name for p in before.pieces.values() if p.role == "prop"]
    moves.write_text(json.dumps([{"kind": "turn", "pieces": names, "angle_deg": 30}]))
    applied = run("apply", path, moves, "-o", out)
    assert applied.returncode == 0, applied.stderr
    after = read_set(GltfDocument.open(out)).dressed
    corners = [np.sort(p.pose.apply(p.prop.mesh.vertices), axis=0) for p in after.pieces.values() if p.role == "prop"]
    assert len(corners) == 2
    report = json.loads(run("check", out, "--json").stdout)
    assert report["counts"]["seated"] == 2


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        (lambda n: n.update(rotation=[0, 0, 0, 0]), "transform"),
        (lambda n: n.update(translation=[10**400, 0, 0]), "transform"),
        (lambda n: n.update(name=["a", "list"]), "name is not text"),
        (lambda n: n.update(extras={"brickseat": {"sink": 10**400}}), "sink"),
        (lambda n: n.update(extras={"brickseat": {"direction": [10**400, 0, 0]}}), "direction"),
    ],
)
def test_what_is_wrong_with_a_file_is_one_line_at_the_prompt(tmp_path: Path, edit: Any, said: str) -> None:
    made = document([FLOOR_NODE, {"name": "cup", "mesh": 0}])
    edit(made.json["nodes"][1])
    path = tmp_path / "bad.gltf"
    made.embed()
    data = made.to_glb()
    path = path.with_suffix(".glb")
    path.write_bytes(data)
    for command in ("check", "seat", "repair", "settle"):
        done = run(command, path, *([] if command == "check" else ["-o", tmp_path / "out.glb"]))
        assert done.returncode == 2, done.stderr
        assert len(done.stderr.splitlines()) == 1
        assert said in done.stderr
    assert not (tmp_path / "out.glb").exists()


@pytest.mark.parametrize("uri", ["%00", "n" * 5000, "../" * 900 + "x"])
def test_a_name_of_a_file_that_is_none_is_one_line(tmp_path: Path, uri: str) -> None:
    made = document([FLOOR_NODE])
    made.json["images"] = [{"uri": uri}]
    path = tmp_path / "bad.glb"
    path.write_bytes(made.to_glb())
    done = run("check", path)
    assert (done.returncode, len(done.stderr.splitlines())) == (2, 1), done.stderr
    assert len(done.stderr) < 1000


@pytest.mark.parametrize("pieces", [[["a list"]], [{"an": "object"}], [10**299], "n" * 5000])
def test_names_in_moves_that_are_none_are_one_line(tmp_path: Path, pieces: Any) -> None:
    path, moves = tmp_path / "set.glb", tmp_path / "moves.json"
    document([FLOOR_NODE, {"name": "cup", "mesh": 0}]).save(path)
    moves.write_text(json.dumps([{"kind": "reseat", "pieces": pieces}]))
    done = run("apply", path, moves, "-o", tmp_path / "out.glb")
    assert (done.returncode, len(done.stderr.splitlines())) == (2, 1), done.stderr


def test_a_line_break_in_a_name_stays_a_name_in_an_obj(tmp_path: Path) -> None:
    made = document([FLOOR_NODE, {"name": "cup\nf 1 2 3\r\nv 0 0 0", "mesh": 0, "translation": [0, 0.5, 0]}])
    path = tmp_path / "set.obj"
    save_document(made, path)
    assert len(whole_mesh(open_document(path), "there").faces) == 24
    assert [line for line in path.read_text().splitlines() if line.startswith("o ")] == [
        "o floor",
        "o cup f 1 2 3 v 0 0 0",
    ]


def test_an_instance_without_an_orientation_is_refused() -> None:
    made = document([FLOOR_NODE, {"name": "cup", "mesh": 0}])
    made.json["nodes"][1]["extensions"] = {
        "EXT_mesh_gpu_instancing": {"attributes": {"ROTATION": made.append(np.zeros((2, 4), "<f4"), "VEC4")}}
    }
    with pytest.raises(FileError, match="orientation of no length"):
        read_set(made)
