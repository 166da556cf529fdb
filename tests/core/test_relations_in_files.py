"""Seats, ties and cut-outs in glTF files and on the command line: read, applied, written, and read again."""

import json
import time
from pathlib import Path

import numpy as np
import pytest

from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.moves_file import apply_moves
from brickseat_core.scene import in_world
from test_command_line import run
from test_gltf import FLOOR_NODE, document

SEATS = [
    {"name": "foot", "point": [0, -0.5, 0], "facing": [0, -1, 0], "clock": [0, 0, 1], "step_deg": 90},
    {"name": "head", "point": [0, 0.5, 0], "facing": [0, 2, 0], "clock": [0, 0.3, 1]},
]
WALL_NODE = {
    "name": "back wall",
    "mesh": 0,
    "translation": [0, 1.5, -4],
    "scale": [6, 3, 0.4],
    "extras": {"brickseat": {"role": "bearer"}},
}


def block(name: str, at: list[float], **more: object) -> dict[str, object]:
    return {"name": name, "mesh": 0, "translation": at, "extras": {"brickseat": {"seats": SEATS}}, **more}


def test_seats_are_read_at_any_depth_and_written_for_copies() -> None:
    lid = {"name": "lid", "mesh": 0, "translation": [0, 1, 0], "extras": {"brickseat": {"seats": SEATS}}}
    group = {"name": "all", "children": [2, 3], "translation": [1, 0, 0], "rotation": [0, 0.7071068, 0, 0.7071068]}
    found = read_set(
        document([FLOOR_NODE, group, block("chest", [0, 0.5, 0], children=[4]), block("a", [3, 0.5, 0]), lid])
    )
    chest = next(p for p in found.dressed.pieces.values() if p.name == "chest")
    assert [s.name for s in chest.prop.seats] == ["foot", "head", "foot (2)", "head (2)"]
    lid_head = in_world(chest.prop.seats[3], chest.pose)
    assert lid_head.point == pytest.approx([1, 2.0, 0], abs=1e-6)
    assert lid_head.facing == pytest.approx([0, 1, 0], abs=1e-9)
    assert abs(lid_head.clock @ lid_head.facing) < 1e-12
    applied = apply_moves(found.dressed, [{"kind": "copy", "pieces": ["a"], "by": [0, 0, -2]}])
    store_set(found, applied.dressed)
    again = read_set(GltfDocument.parse(found.document.to_glb())).dressed
    copy = max(again.pieces.values(), key=lambda p: int(p.key))
    assert [s.name for s in copy.prop.seats] == ["foot", "head"]


@pytest.mark.parametrize(
    ("seats", "said"),
    [
        ([{"name": "x", "point": [0, 0, 0], "facing": [0, 0, 0]}], r"seats\[0\]: it faces nowhere"),
        ([{"point": [0, 0, 0], "facing": [0, 1, 0]}], "a seat is an object with a name"),
        ([*SEATS, SEATS[0]], "two seats are named 'foot'"),
        ([{"name": "x", "point": [0, 0], "facing": [0, 1, 0]}], "is not 3 numbers"),
        ([{"name": "x", "point": [0, 0, 0], "facing": [0, 1, 0], "step_deg": -3}], "is not an angle"),
        ({}, "seats are a list"),
    ],
)
def test_bad_seats_are_refused_with_their_place(seats: object, said: str) -> None:
    node = {"name": "a", "mesh": 0, "extras": {"brickseat": {"seats": seats}}}
    with pytest.raises(FileError, match=said):
        read_set(document([FLOOR_NODE, node]))


def test_apply_makes_every_move_of_the_contract_and_the_file_keeps_it(tmp_path: Path) -> None:
    path, out, moves = tmp_path / "set.glb", tmp_path / "out.glb", tmp_path / "moves.json"
    nodes = [
        FLOOR_NODE,
        WALL_NODE,
        block("post 1", [0, 0.5, 0]),
        block("post 2", [3, 2, 0]),
        block("bench", [-3, 0.5, 1]),
        block("jug 1", [2, 0.5, 2], scale=[0.2, 0.2, 0.2]),
        {
            "name": "hatch",
            "mesh": 0,
            "translation": [2, 1.5, -3.8],
            "scale": [0.5, 0.5, 0.1],
            "extras": {"brickseat": {"direction": [0, 0, -1]}},
        },
    ]
    document(nodes).save(path)
    made = [
        {
            "kind": "join",
            "piece": "post 2",
            "seat": "foot",
            "to": "post 1",
            "to_seat": "head",
            "turn_deg": 30,
            "keep": True,
        },
        {"kind": "tie", "tie": "gap", "piece": "bench", "side": [0, 0, -1], "to": "back wall", "distance_m": 0.3},
        {"kind": "tie", "tie": "square", "piece": "bench", "to": "back wall", "angle_deg": 0},
        {"kind": "slide", "pieces": ["bench"], "by": [1.0, 0, 0.8]},
        {
            "kind": "line_up",
            "pieces": ["jug 1"],
            "to": "bench",
            "axis": "up",
            "mine": "low",
            "theirs": "high",
            "gap_m": 0,
        },
        {"kind": "line_up", "pieces": ["jug 1"], "to": "bench", "axis": "across", "reseat": False},
        {"kind": "line_up", "pieces": ["jug 1"], "to": "bench", "axis": [0, 0, 1], "reseat": True},
        {"kind": "tie", "tie": "cling", "piece": "jug 1", "to": "bench"},
        {"kind": "cut", "piece": "hatch", "bearer": "back wall", "clearance_m": 0.002},
        {"kind": "slide", "pieces": ["post 1"], "by": [0.5, 0, 0]},
    ]
    moves.write_text(json.dumps(made))
    done = run("apply", path, moves, "-o", out)
    assert (done.returncode, done.stderr) == (0, ""), done.stderr
    document_after = GltfDocument.open(out)
    after = read_set(document_after).dressed
    by_name = {p.name: p for p in after.pieces.values()}
    assert by_name["post 2"].pose.position == pytest.approx((0.5, 1.5, 0), abs=1e-6)
    assert by_name["bench"].pose.position == pytest.approx((-2, 0.5, -3.0), abs=1e-6)
    assert by_name["jug 1"].pose.position == pytest.approx((-2, 1.1, -3.0), abs=1e-6)
    assert sorted(t.tie for t in after.ties.values()) == ["cling", "gap", "join", "square"]
    wall = next(n for n in document_after.json["nodes"] if n["name"] == "back wall")
    assert wall["extras"]["brickseat"]["whole"] == 0
    assert wall["mesh"] != 0
    fits = check(index_of(after))
    assert {by_name[n].key: fits[by_name[n].key].state for n in ("post 1", "post 2", "bench", "jug 1")} == {
        by_name[n].key: "seated" for n in ("post 1", "post 2", "bench", "jug 1")
    }
    # What ties forbid fails by number, names them, and writes nothing.
    out.unlink()
    moves.write_text(json.dumps([*made, {"kind": "slide", "pieces": ["bench"], "by": [0, 0, 1]}]))
    refused = run("apply", path, moves, "-o", out)
    assert refused.returncode == 2
    assert "move 11" in refused.stderr
    assert "the gap of 300.0 mm from bench to back wall" in refused.stderr
    assert not out.exists()
    # Opened again, the wall is whole underneath, and filling in draws it so.
    moves.write_text(json.dumps([{"kind": "fill_in", "pieces": ["hatch"]}]))
    apply_moves(after, json.loads(moves.read_text()))
    document_after.save(out)
    assert run("apply", out, moves, "-o", out).returncode == 0
    filled = next(n for n in GltfDocument.open(out).json["nodes"] if n["name"] == "back wall")
    assert filled["mesh"] == 0
    assert "whole" not in filled["extras"]["brickseat"]


def test_a_row_follows_a_line_of_the_file_which_stays_as_it_was(tmp_path: Path) -> None:
    path, out, moves = tmp_path / "set.glb", tmp_path / "out.glb", tmp_path / "moves.json"
    made = document([FLOOR_NODE, block("post", [5, 0.5, 5])])
    corners = np.array([[0, 0, 0], [2, 0, 0], [2, 0, 2]], dtype="<f4")
    place = made.append(corners, "VEC3")
    made.json["meshes"].append({"name": "path", "primitives": [{"attributes": {"POSITION": place}, "mode": 3}]})
    made.json["nodes"].append({"name": "path", "mesh": len(made.json["meshes"]) - 1, "translation": [-1, 0, 0]})
    made.json["scenes"][0]["nodes"].append(len(made.json["nodes"]) - 1)
    made.save(path)
    moves.write_text(json.dumps([{"kind": "row", "prop": "post", "line": "path", "count": 5}]))
    done = run("apply", path, moves, "-o", out)
    assert (done.returncode, done.stderr) == (0, "")
    after = read_set(GltfDocument.open(out)).dressed
    laid = sorted((p for p in after.pieces.values() if p.recipe), key=lambda p: p.number or 0)
    assert [p.pose.position[0] for p in laid] == pytest.approx([-1, 0, 1, 1, 1], abs=1e-6)
    assert [p.pose.position[2] for p in laid] == pytest.approx([0, 0, 0, 1, 2], abs=1e-6)
    assert GltfDocument.open(out).json["nodes"][2]["mesh"] == 1 + made.json["nodes"][0]["mesh"]
    moves.write_text(json.dumps([{"kind": "row", "prop": "post", "line": "post", "count": 5}]))
    refused = run("apply", path, moves, "-o", out)
    assert (refused.returncode, "those that do: path" in refused.stderr) == (2, True)


def test_seat_repair_and_settle_keep_what_is_joined_together(tmp_path: Path) -> None:
    path, out, moves = tmp_path / "set.glb", tmp_path / "out.glb", tmp_path / "moves.json"
    document([FLOOR_NODE, block("low", [0, 0.5, 0]), block("high", [3, 2, 0])]).save(path)
    moves.write_text(
        json.dumps(
            [
                {"kind": "join", "piece": "high", "seat": "foot", "to": "low", "to_seat": "head"},
                {"kind": "carry", "pieces": ["low"], "by": [0, 0.3, 0]},
            ]
        )
    )
    assert run("apply", path, moves, "-o", path).returncode == 0
    for command in ("seat", "repair", "settle"):
        assert run(command, path, "-o", out).returncode == 0
        after = read_set(GltfDocument.open(out)).dressed
        low, high = after.pieces.values() if len(after.pieces) == 2 else list(after.pieces.values())[1:]
        up = low.pose.linear[:, 1]
        assert high.pose.origin - low.pose.origin == pytest.approx(up, abs=1e-6)
        assert low.pose.position[1] == pytest.approx(0.5, abs=1e-5)
        assert run("check", out).returncode == 0


def test_ten_joins_and_ten_line_ups_take_a_moment(capsys: pytest.CaptureFixture[str]) -> None:
    nodes = [FLOOR_NODE, WALL_NODE, *(block(f"b {n}", [2 * n, 0.5, 3]) for n in range(11))]
    found = read_set(document(nodes))
    moves = [
        {"kind": "join", "piece": f"b {n + 1}", "to": f"b {n}", "seat": "foot", "to_seat": "head"} for n in range(10)
    ]
    moves += [
        {"kind": "line_up", "pieces": ["b 0"], "to": "back wall", "axis": "along", "gap_m": 3 + n} for n in range(10)
    ]
    began = time.perf_counter()
    applied = apply_moves(found.dressed, moves)
    print(f"{time.perf_counter() - began:.2f} s")
    top = next(p for p in applied.dressed.pieces.values() if p.name == "b 10")
    assert top.pose.position == pytest.approx((0, 10.5, top.pose.position[2]), abs=1e-9)
    assert np.isfinite(top.pose.matrix).all()
