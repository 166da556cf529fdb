"""The command line keeps its contract: keys, exit codes, one line on errors, nothing written on errors."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
import trimesh

from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set
from test_gltf import FLOOR_NODE, document


def run(*args: object) -> subprocess.CompletedProcess[str]:
    code = "import sys; from brickseat.command_line import main; sys.exit(main(sys.argv[1:]))"
    return subprocess.run(
        [sys.executable, "-c", code, *map(str, args)], capture_output=True, text=True, timeout=300, check=False
    )


@pytest.fixture
def wrong_set(tmp_path: Path) -> Path:
    path = tmp_path / "set.glb"
    nodes = [
        FLOOR_NODE,
        {"name": "afloat", "mesh": 0, "translation": [0, 0.7, 0]},
        {"name": "sunk", "mesh": 0, "translation": [3, 0.4, 0]},
        {"name": "spiked", "mesh": 0, "translation": [6, 0.6, 0], "extras": {"brickseat": {"spiked": True}}},
    ]
    document(nodes).save(path)
    return path


def report(path: Path, *more: object) -> dict[str, Any]:
    done = run("check", path, "--json", *more)
    assert done.stderr == ""
    found: dict[str, Any] = json.loads(done.stdout)
    return found


def heights(path: Path) -> dict[str, float]:
    return {p.name: p.pose.position[1] for p in read_set(GltfDocument.open(path)).dressed.pieces.values()}


def test_check_reports_to_the_contract(wrong_set: Path) -> None:
    found = report(wrong_set)
    assert found["version"] == 1
    assert found["tolerance_m"] == 0.0005
    assert found["counts"]["floating"] == 2
    by_name = {p["name"]: p for p in found["pieces"]}
    assert set(by_name["afloat"]) == {
        "name", "state", "faults", "gap_m", "depth_m", "rests_on", "clashes", "contacts", "balance_margin_m",
        "tilt_deg", "reason",
    }  # fmt: skip
    assert by_name["afloat"]["gap_m"] == pytest.approx(0.2, abs=1e-9)
    assert by_name["afloat"]["rests_on"] == ["floor"]
    assert set(by_name["sunk"]["clashes"][0]) == {"with", "depth_m", "point", "normal"}
    assert by_name["sunk"]["depth_m"] == pytest.approx(0.1, abs=1e-9)
    assert run("check", wrong_set).returncode == 1
    assert report(wrong_set, "--tolerance", "25cm")["counts"]["seated"] == 3


def test_seat_and_repair_write_whole_files(wrong_set: Path, tmp_path: Path) -> None:
    seated, mended = tmp_path / "seated.glb", tmp_path / "mended.glb"
    assert run("seat", wrong_set, "-o", seated, "--only", "af*").returncode == 0
    assert heights(seated)["afloat"] == pytest.approx(0.5, abs=1e-9)
    assert heights(seated)["sunk"] == pytest.approx(0.4)
    done = run("repair", wrong_set, "-o", mended)
    assert done.returncode == 0
    assert "spiked" in done.stdout
    assert heights(mended)["sunk"] == pytest.approx(0.5, abs=1e-9)
    assert heights(mended)["spiked"] == pytest.approx(0.6)
    assert run("repair", wrong_set, "-o", mended, "--strict").returncode == 1
    assert report(mended)["counts"]["seated"] == 2


def test_seat_may_tilt_to_a_stand(tmp_path: Path) -> None:
    """A tilted box written by another library: dropped it tips, rested it lies flat and the check is clean."""
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((4, 0.1, 4)), node_name="ground floor")
    aslant = trimesh.transformations.rotation_matrix(0.4, (0, 0.3, 1), (0.1, 0, 0))
    aslant[1, 3] += 1.0
    scene.add_geometry(trimesh.creation.box((0.4, 0.2, 0.3)), node_name="crate", transform=aslant)
    path, dropped, rested = tmp_path / "a.glb", tmp_path / "dropped.glb", tmp_path / "rested.glb"
    scene.export(path)
    bearer = ("--bearer", "ground*")
    assert run("seat", path, "-o", dropped, *bearer, "--strict").returncode == 1
    assert report(dropped, *bearer)["counts"]["tippy"] == 1
    assert run("seat", path, "-o", rested, "--mode", "rest", *bearer, "--strict").returncode == 0
    (crate,) = report(rested, *bearer)["pieces"]
    assert crate["state"] == "seated"
    assert len(crate["contacts"]) >= 3
    assert crate["balance_margin_m"] == pytest.approx(0.15, abs=0.01)


def test_bearers_can_be_named(tmp_path: Path) -> None:
    scene = trimesh.Scene()
    scene.add_geometry(trimesh.creation.box((4, 0.1, 4)), node_name="ground floor")
    path = tmp_path / "plain.glb"
    scene.export(path)
    assert report(path)["counts"]["unborne"] == 1
    assert report(path, "--bearer", "ground*")["pieces"] == []


def test_measure_knows_size_volume_sides_and_health(tmp_path: Path) -> None:
    box = trimesh.creation.box((0.2, 0.4, 0.6))
    for kind in ("glb", "obj", "ply", "stl"):
        path = tmp_path / f"box.{kind}"
        box.export(path)
        found = json.loads(run("measure", path, "--json").stdout)
        assert found["size_m"] == pytest.approx({"width": 0.2, "height": 0.4, "depth": 0.6})
        assert found["volume_m3"] == pytest.approx(0.048, rel=1e-6)
        assert found["health"]["closed"]
        assert len(found["resting_sides"]) == 6
        assert abs(found["resting_sides"][0]["down"][0]) == pytest.approx(1.0)


def test_convert_passes_sets_on_and_repair_takes_any_of_them(wrong_set: Path, tmp_path: Path) -> None:
    usd, mended = tmp_path / "set.usdc", tmp_path / "mended.usda"
    assert run("convert", wrong_set, "-o", usd).returncode == 0
    assert report(usd) == report(wrong_set)
    assert run("repair", usd, "-o", mended).returncode == 0
    assert report(mended)["counts"]["seated"] == 2
    inches = tmp_path / "box.stl"
    trimesh.creation.box((10, 10, 30)).export(inches)
    found = json.loads(run("measure", inches, "--json", "--unit", "in", "--up", "z").stdout)
    assert found["size_m"]["height"] == pytest.approx(0.762)
    assert found["questions"] == []
    asked = json.loads(run("measure", inches, "--json", "--shapes").stdout)
    assert [q["about"] for q in asked["questions"]] == ["unit"]
    shapes = {s["kind"]: s for s in asked["contact_shapes"]}
    assert shapes["box"]["bulge_m"] == pytest.approx(0.0, abs=1e-6)
    assert shapes["ball"]["bulge_m"] > 1.0


@pytest.mark.parametrize(
    "args",
    [
        ["check", "nowhere.glb"],
        ["convert", "{set}", "-o", "out.fbx"],
        ["convert", "{set}", "-o", "out.obj", "--bend", "knee:q=3"],
        ["convert", "{set}", "-o", "out.obj", "--bend", "knee:x=3"],
        ["check", "{set}", "--tolerance", "thick"],
        ["seat", "{set}"],
        ["seat", "{set}", "-o", "out.glb", "--only", "nobody"],
        ["repair", "{set}", "-o", "out.fbx"],
        ["measure", "{text}"],
        ["polish", "{set}"],
    ],
)
def test_bad_usage_and_bad_input_end_with_one_line_and_two(args: list[str], wrong_set: Path, tmp_path: Path) -> None:
    text = tmp_path / "prop.obj"
    text.write_text("this is not a mesh\n")
    given = [a.replace("{set}", str(wrong_set)).replace("{text}", str(text)) for a in args]
    before = set(tmp_path.iterdir())
    done = run(*given)
    assert done.returncode == 2
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1
    assert "Traceback" not in done.stderr
    assert set(tmp_path.iterdir()) == before


def moves_file(tmp_path: Path, *moves: Any) -> Path:
    path = tmp_path / "moves.json"
    path.write_text(json.dumps(moves))
    return path


def test_apply_makes_moves_one_after_the_other(wrong_set: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.glb"
    moves = moves_file(
        tmp_path,
        {"kind": "reseat", "pieces": ["afloat"]},
        {"kind": "copy", "pieces": ["afloat"], "by": [0, 0, 2]},
        {"kind": "turn", "pieces": ["afloat"], "angle_deg": 90},
        {"kind": "slide", "pieces": ["cube 1"], "by": [0, 0, 1]},
        {"kind": "repair"},
        {"kind": "remove", "pieces": ["afloat"]},
    )
    done = run("apply", wrong_set, moves, "-o", out)
    assert (done.returncode, done.stdout.splitlines()[0]) == (0, "set down afloat")
    assert "spiked left: spiked, and 100.0 mm above floor" in done.stderr
    assert heights(out) == {"floor": -0.5, "cube 1": pytest.approx(0.5), "sunk": pytest.approx(0.5), "spiked": 0.6}
    assert run("apply", wrong_set, moves, "-o", out, "--strict").returncode == 1


def test_what_is_printed_comes_as_json_too_and_not_at_all_when_quiet(wrong_set: Path, tmp_path: Path) -> None:
    out = tmp_path / "out.glb"
    moves = moves_file(tmp_path, {"kind": "reseat", "pieces": ["afloat"]}, {"kind": "repair"})
    output = {
        command: json.loads(run(*command.split(), wrong_set, *more, "-o", out, "--json").stdout)
        for command, more in {"seat": [], "repair": [], "apply": [moves], "settle": ["--trials", 2]}.items()
    }
    assert output["seat"] == {"left": []}
    assert [m["name"] for m in output["repair"]["mended"]] == ["afloat", "sunk"]
    assert [entry["name"] for entry in output["repair"]["left"]] == ["spiked"]
    assert output["apply"]["moves"][0] == "set down afloat"
    assert [entry["name"] for entry in output["apply"]["left"]] == ["spiked"]
    assert [(t["seed"], t["settled"], t["faults"]) for t in output["settle"]["trials"]] == [(0, 2, 0), (1, 2, 0)]
    assert output["settle"]["kept_seed"] in (0, 1)
    for command, more in {"check": [], "seat": ["-o", out], "repair": ["-o", out], "settle": ["-o", out]}.items():
        done = run(command, wrong_set, *more, "--quiet")
        assert (done.stdout, done.stderr) == ("", "")
    assert run("apply", wrong_set, moves, "-o", out, "--quiet").stderr == ""


def test_help_names_every_command_and_no_command_is_help() -> None:
    done = run("--help")
    assert done.returncode == 0
    for command in ("check", "seat", "settle", "apply", "schema", "repair", "measure", "convert", "demo", "serve"):
        assert f"  {command} " in done.stdout
    assert run().stdout == done.stdout
    assert "0.5mm" in run("check", "--help").stdout


@pytest.mark.parametrize(
    ("moves", "words"),
    [
        ([{"kind": "slide", "pieces": ["afloat"], "by": [1, 0, 0]}, {"kind": "fly"}], "move 2: a move is an object"),
        ([{"kind": "slide", "pieces": ["nobody"], "by": [1, 0, 0]}], "move 1: there is no piece named 'nobody'"),
        ([{"kind": "slide", "pieces": ["spiked"], "by": [1, 0, 0]}], "move 1: spiked is spiked"),
        ([{"kind": "slide", "pieces": ["afloat"], "by": [1, 0]}], "move 1: slide.by"),
        ([{"kind": "turn", "pieces": ["afloat"]}], "move 1: turn.angle_deg: field required"),
        ([{"kind": "set_down", "prop": "gold", "pose": {"position": [0, 0, 0]}}], "move 1: no piece of the file"),
        ([7], "move 1"),
        ({"kind": "repair"}, "is not a list"),
    ],
)
def test_apply_names_the_bad_move_and_writes_nothing(moves: Any, words: str, wrong_set: Path, tmp_path: Path) -> None:
    path, out = tmp_path / "moves.json", tmp_path / "out.glb"
    path.write_text(json.dumps(moves))
    out.write_bytes(b"what was there before")
    done = run("apply", wrong_set, path, "-o", out)
    assert done.returncode == 2
    assert words in done.stderr
    assert len(done.stderr.splitlines()) == 1
    assert out.read_bytes() == b"what was there before"


def test_the_schemas_are_published(tmp_path: Path) -> None:
    found = json.loads(run("schema", "moves").stdout)
    assert found["type"] == "array"
    assert "SlideMove" in found["$defs"]
    assert found["$defs"]["TurnMove"]["required"] == ["kind", "pieces", "angle_deg"]
    report = json.loads(run("schema", "report").stdout)
    assert set(report["required"]) == {"version", "tolerance_m", "counts", "pieces"}
    assert run("schema", "nothing").returncode == 2


def test_seat_goes_on_until_nothing_moves_and_names_what_cannot_be_right(wrong_set: Path, tmp_path: Path) -> None:
    path, out = tmp_path / "mixed.glb", tmp_path / "out.glb"
    nodes = [
        FLOOR_NODE,
        {"name": "wall", "mesh": 0, "translation": [4, 1, 0], "extras": {"brickseat": {"role": "bearer"}}},
        {"name": "board", "mesh": 0, "translation": [0, 1, 0], "scale": [0.2, 1, 1]},
        {"name": "jar", "mesh": 0, "translation": [0, 2.2, 0], "scale": [0.1, 0.2, 0.1]},
        {"name": "lost", "mesh": 0, "translation": [80, 2, 0]},
    ]
    nodes[2]["extras"] = {"brickseat": {"direction": [1, 0, 0]}}
    document(nodes).save(path)
    for mode in ("drop", "rest"):
        done = run("seat", path, "-o", out, "--mode", mode)
        assert done.returncode == 0
        assert done.stderr.splitlines() == ["lost: left where it is, nothing in its direction to rest on"]
        found = heights(out)
        assert found["jar"] == pytest.approx(0.1, abs=1e-6), (
            "the board went to the wall, and the jar came down after it"
        )


def test_another_seed_settles_otherwise_and_the_same_alike(tmp_path: Path) -> None:
    path = tmp_path / "stack.glb"
    nodes = [FLOOR_NODE] + [
        {"name": f"brick {n}", "mesh": 0, "scale": [0.2, 0.06, 0.1], "translation": [0.03 * n, 0.1 + 0.08 * n, 0]}
        for n in range(3)
    ]
    document(nodes).save(path)
    outs = {}
    for name, more in {
        "a": ("--seed", 1),
        "b": ("--seed", 1),
        "c": ("--seed", 2),
        "d": ("--shake", 0, "--lift", "5cm"),
    }.items():
        out = tmp_path / f"{name}.glb"
        assert run("settle", path, "-o", out, *more).returncode == 0
        outs[name] = {p.name: p.pose for p in read_set(GltfDocument.open(out)).dressed.pieces.values()}
    assert outs["a"] == outs["b"]
    assert outs["a"] != outs["c"]
