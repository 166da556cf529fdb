"""Fill on the command line: to the contract, the same bytes every time, and filled again out of the file it was written to."""

import json
from pathlib import Path
from typing import Any

import pytest
import trimesh

from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.moves_file import apply_moves
from brickseat_core.recipes.fill_records import fill_of
from brickseat_core.scene import Piece, Set
from test_command_line import report, run
from test_gltf import FLOOR_NODE, document

NICHE = {
    "name": "niche", "mesh": 0, "translation": [0, 0.3, 0], "scale": [0.8, 0.6, 0.4],
    "extras": {"brickseat": {"role": "region"}},
}  # fmt: skip
BLOCK = {"name": "block 1", "mesh": 0, "translation": [3, 0.05, 3], "scale": [0.15, 0.1, 0.2]}


@pytest.fixture
def yard(tmp_path: Path) -> Path:
    path = tmp_path / "yard.glb"
    document([FLOOR_NODE, NICHE, BLOCK]).save(path)
    (tmp_path / "props").mkdir()
    trimesh.creation.box((0.2, 0.06, 0.1)).export(tmp_path / "props" / "brick.stl")
    return path


def written(folder: Path, **more: Any) -> Path:
    brick = {
        "file": "props/brick.stl",
        "share": 3,
        "turn_step_deg": 90,
        "sides": "base",
        "size": [1, 1],
        "size_step": 0,
    }
    recipe = {"bay": "niche", "props": [brick], "count": None, "seed": 1, "square_to": "bay", **more}
    path = folder / "bricks.json"
    path.write_text(json.dumps(recipe))
    return path


def opened(path: Path) -> Set:
    return read_set(GltfDocument.open(path)).dressed


def placed(path: Path) -> dict[int, Piece]:
    return {p.number: p for p in opened(path).pieces.values() if p.number is not None}


def test_a_recipe_is_placed_to_the_contract(yard: Path) -> None:
    out = yard.with_name("out.glb")
    done = run("fill", yard, written(yard.parent), "-o", out)
    assert (done.returncode, done.stdout) == (0, ""), done.stderr
    assert done.stderr == "filled niche: placed 160, 100 % of the bay\n"
    found = placed(out)
    assert set(found) == set(range(1, 161))
    assert {p.name for p in found.values()} == {f"brick {n}" for n in found}
    checked = {p["name"]: p for p in report(out)["pieces"]}
    assert all(checked[p.name]["state"] == "seated" for p in found.values())
    assert "niche" not in checked
    json_of = GltfDocument.open(out).json
    node = next(n for n in json_of["nodes"] if n.get("name") == "brick 7")
    (record,) = opened(out).recipes.values()
    assert node["extras"]["brickseat"]["number"] == 7
    assert node["extras"]["brickseat"]["recipe"] == record.key
    # One mesh more than before, drawn by all of them.
    assert len({n["mesh"] for n in json_of["nodes"] if n.get("name", "").startswith("brick")}) == 1


def test_the_same_bytes_every_time_and_others_for_another_seed(yard: Path) -> None:
    props = [{"piece": "block 1", "sides": "any", "size": [0.1, 0.2]}, {"file": "props/brick.stl"}]
    recipe = written(yard.parent, props=props, rough=0.5, count=60)
    one, other, seeded = (yard.with_name(f"{n}.glb") for n in "abc")
    for out in (one, other):
        assert run("fill", yard, recipe, "-o", out).returncode == 0
    assert one.read_bytes() == other.read_bytes()
    done = run("fill", yard, recipe, "-o", seeded, "--seed", 2, "--json")
    assert json.loads(done.stdout) == {"laid": 60, "wanted": 60, "percent": json.loads(done.stdout)["percent"]}
    assert {p.pose for p in placed(seeded).values()} != {p.pose for p in placed(one).values()}


def test_the_props_may_be_a_table(yard: Path) -> None:
    (yard.parent / "list.csv").write_text("prop;count;sides;size_to\nprops/brick.stl;6;base;\nblock 1;2;any;0,1\n")
    out = yard.with_name("out.glb")
    done = run("fill", yard, written(yard.parent, props="list.csv"), "-o", out)
    assert done.returncode == 0, done.stderr
    assert len(placed(out)) == 8
    (yard.parent / "list.csv").write_text("prop;count\nprops/brick.stl;few\n")
    done = run("fill", yard, written(yard.parent, props="list.csv"), "-o", out)
    assert done.returncode == 2
    assert "list.csv: row 2: count: 'few' is no number" in done.stderr


def test_it_comes_back_with_the_file_and_is_filled_again(yard: Path) -> None:
    out = yard.with_name("out.glb")
    run("fill", yard, written(yard.parent, count=30), "-o", out)
    dressed = opened(out)
    (record,) = dressed.recipes.values()
    assert dressed.regions[fill_of(record).bay].name == "niche"
    recipe = {"bay": "niche", "props": [{"piece": "brick 1"}], "count": 40, "seed": 1}
    move = {"kind": "fill", "recipe": recipe, "again": record.key, "keep": True}
    after = apply_moves(dressed, [move]).dressed
    numbers = {p.number for p in after.pieces.values() if p.recipe == record.key}
    assert numbers == set(range(1, 41))


@pytest.mark.parametrize(
    ("more", "match"),
    [
        ({"bay": "nowhere"}, "no piece and no region named 'nowhere'"),
        ({"bay": "floor"}, "is no region|no region"),
        ({"props": [{"file": "props/none.stl"}]}, "none.stl"),
        ({"props": [{"piece": "block 1", "sides": "top"}]}, "sides"),
        ({"props": "none.csv"}, "none.csv: cannot be read"),
    ],
)
def test_a_recipe_that_cannot_be_placed_says_why_and_writes_nothing(yard: Path, more: Any, match: str) -> None:
    out = yard.with_name("out.glb")
    done = run("fill", yard, written(yard.parent, **more), "-o", out)
    assert done.returncode == 2
    assert match.split("|")[-1] in done.stderr
    assert done.stderr.count("\n") == 1
    assert not out.exists()


def test_the_schema_says_what_the_contract_says() -> None:
    found = json.loads(run("schema", "fill").stdout)
    assert {"bay", "props", "count", "seed", "square_to", "exceptions"} <= set(found["properties"])
    assert {"file", "piece", "share", "turn_step_deg", "sides", "size", "size_step"} <= set(
        found["$defs"]["FillRule"]["properties"]
    )
