"""Pictures of sets: in perspective, what is behind who looks is left out, and what reaches past them is cut."""

import io

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from brickseat_core.formats import set_picture
from brickseat_core.formats.gltf.building import Surface, prop_document
from brickseat_core.formats.set_picture import before_lens, picture_of_set
from test_prop_picture import BLUE, RED, block


def drawn(*surfaces: Surface) -> np.ndarray:
    data = picture_of_set(prop_document("set", list(surfaces)), (0.0, 1.0, 5.0), (0.0, 1.0, 0.0))
    return np.asarray(Image.open(io.BytesIO(data))).astype(int)


def test_what_is_twice_as_far_is_half_as_large_and_what_is_behind_is_not_seen() -> None:
    near = block(RED, (1, 1, 0.02), (-1.0, 1.0, 1.0))
    far = block(BLUE, (1, 1, 0.02), (1.0, 1.0, -3.0))
    behind = block(RED, (9, 9, 0.02), (0.0, 1.0, 9.0))
    picture = drawn(near, far, behind)
    red = (picture[:, :, 0] > picture[:, :, 2] + 60) & (picture[:, :, 1] < 60)
    blue = (picture[:, :, 2] > picture[:, :, 0] + 60) & (picture[:, :, 1] < 60)
    across = [np.ptp(np.nonzero(found)[1]) for found in (red, blue)]
    focal = 0.5 * set_picture.HEIGHT / np.tan(np.radians(0.5 * set_picture.FIELD_DEG))
    np.testing.assert_allclose(across, [focal / 4.0, focal / 8.0], atol=3.0)


def test_a_floor_that_reaches_behind_fills_the_lower_half() -> None:
    picture = drawn(block(RED, (400, 0.02, 400), (0.0, 0.0, 0.0)))
    low = picture[set_picture.HEIGHT // 2 + 12 :]
    assert (low[:, :, 0] > low[:, :, 2] + 60).all()


CORNER = st.tuples(*[st.floats(-3.0, 3.0)] * 3)


@given(st.lists(st.tuples(CORNER, CORNER, CORNER), min_size=1, max_size=6))
def test_what_is_kept_lies_before_the_lens_and_covers_just_that_part(triangles: list) -> None:
    at = np.array(triangles)
    kept = before_lens(at, at)
    assert (kept.at[:, :, 2] <= -set_picture.NEAREST + 1e-9).all()
    np.testing.assert_allclose(kept.at, kept.colours)
    whole = [np.linalg.norm(np.cross(t[1] - t[0], t[2] - t[0])) for t in at]
    areas = np.linalg.norm(np.cross(kept.at[:, 1] - kept.at[:, 0], kept.at[:, 2] - kept.at[:, 0]), axis=1)
    beyond = before_lens(at * [1, 1, -1] + [0, 0, -2 * set_picture.NEAREST], at)
    other = np.linalg.norm(np.cross(beyond.at[:, 1] - beyond.at[:, 0], beyond.at[:, 2] - beyond.at[:, 0]), axis=1)
    np.testing.assert_allclose(areas.sum() + other.sum(), sum(whole), atol=1e-6)
