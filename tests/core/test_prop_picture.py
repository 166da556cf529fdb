"""Small pictures of props: what is drawn is what is seen, at its place and in its colour, and no model draws for ever."""

import io

import numpy as np
import pytest
from PIL import Image

from brickseat_core.formats import prop_picture
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.prop_picture import picture_of
from brickseat_core.geometry.cube import cube

RED, BLUE = Paint("red", (0.8, 0.0, 0.0)), Paint("blue", (0.0, 0.0, 0.8))


def block(paint: Paint, size: tuple[float, float, float], at: tuple[float, float, float]) -> Surface:
    mesh = cube()
    lo, hi = mesh.box
    unit = (mesh.vertices - 0.5 * (lo + hi)) / (hi - lo)
    return Surface(paint, unit * size + at, mesh.faces)


def drawn(document: GltfDocument, look: prop_picture.Look) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(picture_of(document, look))).convert("RGBA")).astype(int)


def test_a_front_is_filled_by_the_box_and_the_nearer_of_two_is_seen() -> None:
    """Blue is a quarter as large and stands before the lower left of red; a third, behind red, is not seen."""
    behind = block(Paint("green", (0.0, 0.8, 0.0)), (1.0, 0.5, 0.1), (0.0, 0.0, -0.5))
    document = prop_document(
        "two", [block(RED, (2, 1, 0.1), (0, 0, 0)), block(BLUE, (1, 0.5, 0.1), (-0.5, -0.25, 1)), behind]
    )
    picture = drawn(document, "front")
    height, width = picture.shape[:2]
    assert (width, height) == (prop_picture.SIZE_PX["front"], prop_picture.SIZE_PX["front"] // 2)
    assert (picture[:, :, 3] == 255).all(), "to its very edges"
    lower_left = picture[height // 2 + 2 :, : width // 2 - 2]
    assert (lower_left[:, :, 2] > 100).all()
    assert (lower_left[:, :, 0] == 0).all()
    rest = np.concatenate([picture[: height // 2 - 2].reshape(-1, 4), picture[:, width // 2 + 2 :].reshape(-1, 4)])
    assert (rest[:, 0] > 100).all()
    assert (rest[:, 1:3] == 0).all()


def test_from_a_corner_it_is_whole_on_nothing_and_lit_from_above() -> None:
    picture = drawn(prop_document("block", [block(RED, (1, 1, 1), (5, 5, 5))]), "corner")
    there = picture[:, :, 3] > 0
    assert not there[[0, -1]].any()
    assert not there[:, [0, -1]].any()
    rows, columns = np.nonzero(there)
    assert rows.min() + rows.max() == pytest.approx(len(picture) - 1, abs=1)
    assert columns.min() + columns.max() == pytest.approx(len(picture) - 1, abs=1)
    top, foot = picture[rows.min() + 12, len(picture) // 2, 0], picture[rows.max() - 12, len(picture) // 2, 0]
    assert top > foot + 20


def test_colours_of_corners_are_drawn() -> None:
    mesh = cube()
    colours = np.tile([[0.0, 1.0, 0.0]], (len(mesh.vertices), 1))
    picture = drawn(
        prop_document("green", [Surface(Paint("white", (1, 1, 1)), mesh.vertices, mesh.faces, colours)]), "front"
    )
    assert (picture[:, :, 1] > picture[:, :, 0] + 100).all()


def test_many_large_triangles_are_drawn_up_to_a_bound(monkeypatch: pytest.MonkeyPatch) -> None:
    """Sheets one behind the other, each over the whole picture: the kernel gives up, and a picture is there all the same."""
    sheets = 2000
    corners = np.array([[-1, -1, 0], [1, -1, 0], [0, 1, 0]], dtype=float)
    points = np.concatenate([corners + np.array([0, 0, 1e-4 * k]) for k in range(sheets)])
    faces = np.arange(3 * sheets, dtype=np.int32).reshape(-1, 3)
    image, depth = np.zeros((792, 792, 4)), np.full((792, 792), -np.inf)
    at = points[faces] * [396, -396, 1] + [396, 396, 0]
    prop_picture.draw(prop_picture.Corners(at, np.ones((sheets, 3, 3))), image, depth)
    assert 0.0 < depth.max() < 1e-4 * (prop_picture.MOST_STEPS / (0.9 * 792 * 792))
