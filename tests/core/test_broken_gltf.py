"""Whatever is wrong in a glTF document, wherever it stands: it is read all the same, or refused in one line that says where."""

import json
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.light import light_copy
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.skin import joints_of
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.gltf.surfaces import stiffen
from brickseat_core.formats.opening import save_document
from brickseat_core.formats.prop_file import whole_prop
from broken_models import BAD_VALUES, changed, glb, model, paths
from test_command_line import run

GIVEN = model()
JSON, BINARY = GIVEN["json"], GIVEN["binary"]
PLACES = list(paths(JSON))


def moved_and_stored(document: GltfDocument) -> None:
    """As the commands do: a piece is moved and renamed, an instance is moved, one is taken away."""
    found = read_set(document)
    pieces = dict(found.dressed.pieces)
    pieces.pop(list(pieces)[-1])
    for key in [*list(pieces)[:1], *[key for key in pieces if ":" in key][:1]]:
        piece = pieces[key]
        pieces[key] = replace(piece, name=f"{piece.name} moved", pose=replace(piece.pose, position=(1.0, 2.0, 3.0)))
    store_set(found, replace(found.dressed, pieces=pieces))
    document.to_glb()


def as_prop(document: GltfDocument) -> None:
    joints_of(document)
    stiffen(document)
    whole_prop(GltfDocument.parse(document.to_glb()), "the model")


def thinned(document: GltfDocument) -> None:
    light_copy(document, 4)[0].to_glb()


def converted(document: GltfDocument) -> None:
    with tempfile.TemporaryDirectory() as folder:
        for kind in ("usda", "obj"):
            save_document(document, Path(folder) / f"model.{kind}")


@pytest.mark.parametrize("use", [moved_and_stored, as_prop, thinned, converted])
@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(place=st.sampled_from(PLACES), value=st.sampled_from(BAD_VALUES))
def test_one_wrong_value_is_read_or_refused_in_one_line(
    use: Callable[[GltfDocument], None], place: tuple[Any, ...], value: Any
) -> None:
    data, refusal = glb(changed(JSON, place, value), BINARY), ""
    try:
        use(GltfDocument.parse(data))
    except FileError as problem:
        refusal = str(problem)
    assert len(refusal) < 900
    assert "\n" not in refusal


@pytest.mark.parametrize("use", [moved_and_stored, as_prop, thinned, converted])
def test_the_model_itself_is_right(use: Callable[[GltfDocument], None]) -> None:
    use(GltfDocument.parse(glb(JSON, BINARY)))


@pytest.mark.parametrize(
    ("place", "value", "words"),
    [
        (("scenes", 0, "nodes"), 5, "scenes[0].nodes is not a list of whole numbers"),
        (("nodes", 0, "children"), "x", "nodes[0].children is not a list of whole numbers"),
        (("nodes", 3, "extensions"), 5, "nodes[3].extensions is not an object"),
        (("nodes", 3, "extensions", "EXT_mesh_gpu_instancing"), [], "EXT_mesh_gpu_instancing is not an object"),
        (("nodes", 3, "extensions", "EXT_mesh_gpu_instancing"), {}, "EXT_mesh_gpu_instancing.attributes is left out"),
        (("nodes", 2, "matrix", 15), 0, "nodes[2] has a matrix whose last row is not 0, 0, 0, 1"),
        (("nodes", 2, "matrix", 12), 1e30, "is farther than"),
        (("nodes", 1, "translation"), [1e308, 1e308, 1e308], "farther"),
        (("nodes", 1, "rotation"), [1e308, 0, 0, 1e308], "nodes[1] has a transform that is not made of numbers"),
        (("extensionsRequired",), True, "extensionsRequired is not a list of texts"),
        (("meshes", 0, "primitives"), None, "meshes[0].primitives is not a list of objects"),
        (("meshes", 1, "primitives"), [], "“figure”: it has no triangles"),
        (("meshes", 1), {}, "meshes[1].primitives is left out"),
        (("meshes", 0, "primitives", 0, "extensions"), 1e308, "meshes[0].primitives[0].extensions is not an object"),
        (("buffers", 0), {}, "buffers[0].byteLength is left out"),
    ],
)
def test_a_command_says_where_a_document_is_wrong(
    place: tuple[Any, ...], value: Any, words: str, tmp_path: Path
) -> None:
    path = tmp_path / "set.glb"
    path.write_bytes(glb(changed(JSON, place, value), BINARY))
    done = run("check", path)
    assert done.returncode == 2
    assert done.stdout == ""
    assert done.stderr.count("\n") == 1
    assert words in done.stderr


def test_a_paint_that_is_no_number_is_refused_where_it_is_needed(tmp_path: Path) -> None:
    path, out = tmp_path / "set.glb", tmp_path / "set.obj"
    place = ("materials", 0, "pbrMetallicRoughness", "baseColorFactor")
    path.write_bytes(glb(changed(JSON, place, "red"), BINARY))
    done = run("convert", path, "-o", out)
    assert (done.returncode, out.exists()) == (2, False)
    assert f"{path}: materials[0] has a factor that is not a number" in done.stderr
    missing = run("convert", path, "-o", tmp_path / "no" / "set.glb")
    assert (missing.returncode, str(path) in missing.stderr) == (2, False)
    assert f"{tmp_path / 'no' / 'set.glb'}: cannot be written" in missing.stderr
    # The fit does not depend on it.
    assert json.loads(run("check", path, "--json").stdout)["version"] == 1
