"""Scatter on the command line: to the contract, the same bytes every time, and laid again out of the file it was written to."""

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import trimesh

from brickseat_core.budget import UNLIMITED
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.painted import painted_prop, with_chalk
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.moves_file import apply_moves
from brickseat_core.formats.prop_facts import falls_of
from brickseat_core.recipes.records import recipe_of
from brickseat_core.recipes.scatter_schema import recipe_json
from brickseat_core.scene import Piece, Set
from test_command_line import report, run
from test_gltf import FLOOR_NODE, document

STONE = {"name": "stone 1", "mesh": 0, "translation": [6, 0.1, 6], "scale": [0.2, 0.2, 0.2]}
KILN = {
    "name": "kiln", "mesh": 0, "translation": [0, 0.5, 0], "extras": {"brickseat": {"role": "bearer"}},
}  # fmt: skip
BOX = {
    "name": "box 1", "mesh": 0, "translation": [-3, 0, -3], "scale": [3, 2, 3],
    "extras": {"brickseat": {"role": "region"}},
}  # fmt: skip


@pytest.fixture
def yard(tmp_path: Path) -> Path:
    path = tmp_path / "yard.glb"
    document([FLOOR_NODE, STONE, KILN, BOX]).save(path)
    (tmp_path / "props").mkdir()
    trimesh.creation.icosphere(1, 0.08).export(tmp_path / "props" / "pebble.obj")
    return path


def written(folder: Path, **more: Any) -> Path:
    recipe: dict[str, Any] = {
        "props": [
            {"file": "props/pebble.obj", "share": 2, "size": [0.8, 1.2]},
            {"piece": "stone 1", "elbow_room_m": 0.1},
        ],
        "on": ["floor"],
        "count": 60,
        "density_per_m2": None,
        "pattern": "even",
        "seed": 1,
        "no_overlap": "shape",
        "rules": {"slope_deg": [0, 25], "far": [{"of": "kiln", "beyond_m": 1.0, "fade_m": 0.5}]},
        "keep_out": ["box 1"],
        "only_inside": [],
        "exceptions": {"taken_out": [], "nudged": {}},
        **more,
    }
    path = folder / "stones.json"
    path.write_text(json.dumps(recipe))
    return path


def opened(path: Path) -> Set:
    return read_set(GltfDocument.open(path)).dressed


def laid(path: Path) -> dict[int, Piece]:
    return {p.number: p for p in opened(path).pieces.values() if p.number is not None}


def test_a_recipe_is_laid_to_the_contract(yard: Path) -> None:
    out = yard.with_name("out.glb")
    done = run("scatter", yard, written(yard.parent), "-o", out)
    assert done.returncode == 0, done.stderr
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1
    assert "laid 60" in done.stderr
    found = laid(out)
    assert len(found) == 60
    recipes = opened(out).recipes
    assert {p.recipe for p in found.values()} == set(recipes)
    for number, piece in found.items():
        assert piece.name == f"{'pebble' if piece.prop.name == 'pebble' else piece.prop.name} {number}"
        x, _, z = piece.pose.position
        assert np.hypot(max(abs(x) - 0.5, 0), max(abs(z) - 0.5, 0)) >= 1.0 - 1e-9
        assert max(abs(x + 3), abs(z + 3)) > 1.5
    assert 25 < sum(len(p.prop.mesh.faces) == 80 for p in found.values()) < 55
    checked = {p["name"]: p for p in report(out)["pieces"]}
    assert all(checked[p.name]["state"] == "seated" for p in found.values())
    # What draws the new prop came along: its mesh is in the file once.
    drawn = json.loads(json.dumps(GltfDocument.open(out).json))
    assert len(drawn["meshes"]) == 2
    named = next(n for n in drawn["nodes"] if n.get("name") == found[min(found)].name)
    assert named["extras"]["brickseat"]["number"] == min(found)


def test_the_same_recipe_gives_the_same_bytes(yard: Path) -> None:
    recipe = written(yard.parent)
    one, other, seeded = (yard.with_name(f"{n}.glb") for n in "abc")
    for out in (one, other):
        assert run("scatter", yard, recipe, "-o", out).returncode == 0
    assert one.read_bytes() == other.read_bytes()
    done = run("scatter", yard, recipe, "-o", seeded, "--seed", 2, "--json")
    assert json.loads(done.stdout)["laid"] == 60
    assert {p.pose for p in laid(seeded).values()} != {p.pose for p in laid(one).values()}


def test_exceptions_are_kept_and_the_rest_stays(yard: Path) -> None:
    one, other = yard.with_name("a.glb"), yard.with_name("b.glb")
    run("scatter", yard, written(yard.parent), "-o", one)
    first = laid(one)
    out, moved = sorted(first)[2], sorted(first)[4]
    place = [*first[moved].pose.position]
    place[1] += 0.3
    exceptions = {"taken_out": [out], "nudged": {str(moved): {"position": place}}}
    run("scatter", yard, written(yard.parent, exceptions=exceptions), "-o", other)
    second = laid(other)
    assert set(second) == set(first) - {out}
    assert list(second[moved].pose.position) == pytest.approx(place)
    same = [n for n in second if n != moved]
    assert all(second[n].pose == first[n].pose for n in same)


def test_a_recipe_comes_back_with_the_file_and_is_laid_again(yard: Path) -> None:
    out = yard.with_name("out.glb")
    run("scatter", yard, written(yard.parent, count=20), "-o", out)
    dressed = opened(out)
    (record,) = dressed.recipes.values()
    again = recipe_of(record)
    assert dressed.pieces[again.on[0]].name == "floor"
    assert dressed.regions[again.keep_out[0]].name == "box 1"
    move = {"kind": "scatter", "recipe": {**record_by_name(out), "seed": record.seed}, "again": record.key}
    applied = apply_moves(dressed, [move])
    before = {p.number: p.pose for p in dressed.pieces.values() if p.recipe}
    after = {p.number: p.pose for p in applied.dressed.pieces.values() if p.recipe}
    assert set(after) == set(before)
    # A file keeps positions to the last bit, but turns and sizes only as a matrix.
    assert all(np.allclose(after[n].matrix, before[n].matrix, atol=1e-9) for n in before)
    assert recipe_json(again)["rules"]["far"][0]["beyond_m"] == 1.0


def record_by_name(path: Path) -> dict[str, Any]:
    """The parameters of the one recipe of a file, in which all goes by name."""
    found: dict[str, Any] = GltfDocument.open(path).json["scenes"][0]["extras"]["brickseat"]["recipes"][0]["parameters"]
    return found


def test_pieces_are_thrown_by_what_the_file_says_of_their_props(yard: Path) -> None:
    out = yard.with_name("thrown.glb")
    recipe = written(yard.parent, throw_m=0.2, count=20, rules={})
    done = run("scatter", str(yard), str(recipe), "-o", str(out))
    assert done.returncode == 0, done.stderr
    assert "threw 2 props: laid" in done.stderr
    fits = {p["name"]: p["state"] for p in report(out)["pieces"]}
    thrown = [name for name in fits if name.startswith(("pebble ", "stone 1 "))]
    assert len(thrown) >= 15
    assert {fits[name] for name in thrown} == {"seated"}
    again = yard.with_name("again.glb")
    run("scatter", str(yard), str(recipe), "-o", str(again))
    assert again.read_bytes() == out.read_bytes()


def test_chalk_is_written_as_vertex_colours_and_read_from_them() -> None:
    plain = document([FLOOR_NODE])
    assert painted_prop(plain) is None
    chalked = with_chalk(plain, lambda points: np.where(points[:, 0] > 0.0, 1.0, 0.25))
    assert painted_prop(plain) is None, "the document itself was changed"
    painting = painted_prop(GltfDocument.parse(chalked.to_glb()))
    assert painting is not None
    assert np.unique(painting.colours[painting.corners[..., 0] > 0.0]).tolist() == [1.0]
    assert np.unique(painting.colours[painting.corners[..., 0] <= 0.0]).tolist() == [0.25]
    across = np.array(
        [[painting.corners[..., 0].max() - 1e-6, 0.0, 0.0], [painting.corners[..., 0].min() + 1e-6, 0.0, 0.0]]
    )
    assert painting.at(across)[:, 0] == pytest.approx([1.0, 0.25], abs=1e-3)


def test_a_mesh_that_is_drawn_twice_has_other_chalk_at_each_place() -> None:
    twice = document([{"name": "left", "mesh": 0}, {"name": "right", "mesh": 0, "translation": [5, 0, 0]}])
    chalked = with_chalk(twice, lambda points: np.where(points[:, 0] > 2.5, 1.0, 0.0))
    painting = painted_prop(chalked)
    assert painting is not None
    assert np.array_equal(painting.colours[..., 0] == 1.0, painting.corners[..., 0] > 2.5)


def test_lines_beside_the_triangles_of_a_model_get_no_chalk() -> None:
    made = document([FLOOR_NODE])
    made.json["meshes"][0]["primitives"].append({"attributes": {}, "mode": 1})
    chalked = with_chalk(made, lambda points: np.ones(len(points)))
    triangles, lines = chalked.json["meshes"][0]["primitives"]
    assert "COLOR_0" in triangles["attributes"]
    assert lines["attributes"] == {}


def test_a_recipe_of_a_file_goes_by_its_vertex_colours(yard: Path) -> None:
    here = read_set(GltfDocument.parse(yard.read_bytes()))
    # The floor's own mesh is a large board; the kiln and the stone have others of their own.
    chalked = with_chalk(here.document, lambda points: np.where(points[:, 2] > 0.0, 1.0, 0.0))
    chalked.save(yard)
    out = yard.with_name("painted.glb")
    recipe = written(yard.parent, rules={"paint": [{"channel": "red", "on": "floor"}]}, keep_out=[], count=40)
    done = run("scatter", str(yard), str(recipe), "-o", str(out))
    assert done.returncode == 0, done.stderr
    pieces = read_set(GltfDocument.parse(out.read_bytes())).dressed.pieces.values()
    laid = np.array([p.pose.position[2] for p in pieces if p.recipe])
    # From one end of the board, where its corners are black, they grow denser to the other.
    assert len(laid) == 40
    assert laid.mean() > 0.1 * np.ptp(laid)


def test_what_falls_goes_by_its_extras() -> None:
    ball = {**STONE, "extras": {"brickseat": {"friction": 0.9, "mass": 2.0, "contact_shape": "ball"}}}
    found = read_set(document([FLOOR_NODE, ball]))
    stone = next(p for p in found.dressed.pieces.values() if p.name == "stone 1")
    falling = falls_of(found)(stone.prop, UNLIMITED)
    assert (falling.shape.kind, falling.properties.friction, falling.properties.mass) == ("ball", 0.9, 2.0)
    plain = falls_of(read_set(document([FLOOR_NODE, STONE])))(stone.prop, UNLIMITED)
    assert plain.shape.kind != "ball"
    assert plain.properties.mass is None


def test_volumes_are_marked_out_and_wiped_out_in_files(yard: Path) -> None:
    moves, out, again = yard.with_name("moves.json"), yard.with_name("out.glb"), yard.with_name("again.glb")
    pose = {"position": [4, 1, 4], "scale": [2, 2, 2]}
    moves.write_text(json.dumps([{"kind": "mark_out", "prop": "kiln", "pose": pose, "name": "round the gate"}]))
    done = run("apply", yard, moves, "-o", out)
    assert done.returncode == 0, done.stderr
    regions = {r.name: r for r in opened(out).regions.values()}
    assert set(regions) == {"box 1", "round the gate"}
    assert regions["round the gate"].pose.position == (4.0, 1.0, 4.0)
    run("scatter", out, written(yard.parent, keep_out=["round the gate"]), "-o", again)
    assert all(max(abs(p.pose.position[0] - 4), abs(p.pose.position[2] - 4)) > 1 for p in laid(again).values())
    moves.write_text(json.dumps([{"kind": "wipe_out", "regions": ["box 1", "round the gate"]}]))
    assert run("apply", out, moves, "-o", again).returncode == 0
    assert not opened(again).regions
    assert {p.name for p in opened(again).pieces.values()} == {p.name for p in opened(yard).pieces.values()}
    assert run("apply", yard, moves, "-o", out).stderr.endswith("see the nodes of role region\n")


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ({"on": ["nowhere"]}, "no piece and no region named 'nowhere'"),
        ({"props": [{"file": "props/missing.obj"}]}, "missing.obj"),
        ({"props": [{"file": "props/pebble.obj", "piece": "stone 1"}]}, "only one of them"),
        ({"count": -1}, "count"),
        ({"keep_out": ["box 9"]}, "box 9"),
    ],
)
def test_bad_recipes_write_nothing(yard: Path, more: dict[str, Any], said: str) -> None:
    out = yard.with_name("out.glb")
    done = run("scatter", yard, written(yard.parent, **more), "-o", out)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert said in done.stderr
    assert not out.exists()


def test_the_schema_says_what_a_recipe_may_hold() -> None:
    found = json.loads(run("schema", "scatter").stdout)
    assert {"props", "on", "count", "density_per_m2", "rules", "keep_out", "exceptions"} <= set(found["properties"])
    assert "elbow_room_m" in found["$defs"]["PropRule"]["properties"]
