"""Work in a process of its own: whatever it does there, one error says it, and whoever asked goes on."""

import os
import time
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from brickseat_core.budget import Budget, Stopped
from brickseat_core.formats.apart import Limits, TooMuch, is_apart, run_apart
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.height_image import make_terrain
from brickseat_core.formats.making import look_at, make_apart
from brickseat_core.formats.opening import known
from brickseat_core.geometry.cube import cube

QUICK = Limits(seconds=2.0, memory=256 << 20, output=1 << 20)


def test_what_it_gives_comes_back() -> None:
    assert run_apart(divmod, 17, 5) == [3, 2]
    assert run_apart(os.getpid) != os.getpid()
    assert not is_apart()
    # Within such a process no other one is made.
    assert run_apart(run_apart, is_apart) is True


@pytest.mark.parametrize(
    ("run", "args", "words"),
    [
        (time.sleep, (60,), "more than 2 s"),
        (bytearray, (1 << 30,), "more than 256 MB"),
        (os.abort, (), "gave up"),
        (os._exit, (0,), "gave up"),
        (int, ("no number",), "ValueError"),
        (Path.read_text, (Path("/no/such/file"),), "FileNotFoundError"),
    ],
)
def test_what_goes_wrong_there_is_said_in_one_line(run: object, args: tuple[object, ...], words: str) -> None:
    with pytest.raises(TooMuch, match=words):
        run_apart(run, *args, limits=QUICK)  # type: ignore[arg-type]
    assert run_apart(abs, -3) == 3


def test_it_writes_no_more_than_it_may(tmp_path: Path) -> None:
    with pytest.raises(TooMuch):
        run_apart(Path.write_bytes, tmp_path / "large", b"x" * (2 << 20), limits=QUICK)
    assert run_apart(Path.write_bytes, tmp_path / "small", b"x" * 1000, limits=QUICK) == 1000


def test_a_refusal_of_its_own_is_not_too_much() -> None:
    with pytest.raises(FileError, match="neither read nor written") as refused:
        run_apart(known, Path("jug.exe"))
    assert not isinstance(refused.value, TooMuch)


def test_it_ends_when_it_is_no_longer_wanted() -> None:
    begun = time.monotonic()
    with pytest.raises(Stopped):
        run_apart(time.sleep, 60, budget=Budget(on_progress=lambda done, total: time.monotonic() < begun + 0.3))


@pytest.mark.parametrize(
    ("name", "text", "words"),
    [
        ("far.obj", "v 0 0 0\nv 1e7 0 0\nv 0 0 1\nf 1 2 3\n", "farther than"),
        ("small.obj", "v 0 0 0\nv 1e-9 0 0\nv 0 0 1e-9\nf 1 2 3\n", "smaller than"),
        ("line.obj", "v 0 0 0\nv 1 0 0\nv 2 0 0\nf 1 2 3\n", "no surface"),
        ("again.obj", "v 0 0 0\nv 1 0 0\nv 0 0 1\n" + "f 1 2 3\n" * 300, "the same triangle 300 times"),
    ],
)
def test_meshes_of_which_nothing_can_be_said_are_refused(tmp_path: Path, name: str, text: str, words: str) -> None:
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(FileError, match=words):
        make_apart(path, None, None, (), tmp_path / "made.glb")
    assert not (tmp_path / "made.glb").exists()


@pytest.mark.parametrize(
    "wrong",
    [
        {"name": []}, {"pbrMetallicRoughness": 99}, {"pbrMetallicRoughness": {"baseColorFactor": [1, 1, 1]}},
        {"pbrMetallicRoughness": {"baseColorFactor": [1, 1, None, 1]}}, {"pbrMetallicRoughness": {"roughnessFactor": "rough"}},
        {"pbrMetallicRoughness": {"metallicFactor": True}}, {"pbrMetallicRoughness": {"metallicFactor": 1e308}},
    ],
)  # fmt: skip
def test_a_material_that_no_page_could_draw_is_refused(wrong: dict[str, Any]) -> None:
    surface = Surface(Paint("clay", (0.5, 0.4, 0.3)), cube().vertices, cube().faces)
    document = prop_document("cube", [surface])
    look_at(document.to_glb(), "glb")
    document.json["materials"][0].update(wrong)
    with pytest.raises(FileError, match=r"materials\[0\]"):
        look_at(document.to_glb(), "glb")


def test_a_height_image_is_one_of_the_formats_that_are_meant(tmp_path: Path) -> None:
    picture = tmp_path / "ground.gif"
    Image.new("L", (9, 9)).save(picture)
    with pytest.raises(FileError, match="save it as PNG"):
        make_terrain(str(picture), "ground", 4.0, 4.0, 1.0, str(tmp_path / "made.glb"))
