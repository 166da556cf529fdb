"""The turn and size between two readings of the same points."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.geometry.similarity import similarity_between
from brickseat_core.scene import Vec, rotation_matrix

seeds = st.integers(0, 2**32 - 1)


def some(rng: np.random.Generator) -> tuple[Vec, Vec]:
    q = rng.normal(size=4)
    return rng.normal(size=(int(rng.integers(3, 40)), 3)) + 2.0, 10.0 ** rng.uniform(-3, 3) * rotation_matrix(tuple(q))


@settings(max_examples=80, deadline=None)
@given(seeds, st.booleans())
def test_what_was_turned_and_sized_is_found_again_from_solids_and_from_sheets(seed: int, flat: bool) -> None:
    rng = np.random.default_rng(seed)
    points, linear = some(rng)
    if flat:
        points[:, 1] = 0.0
    found = similarity_between(points, points @ linear.T)
    assert found == pytest.approx(linear, abs=1e-9 * float(np.abs(linear).max()))


@settings(max_examples=40, deadline=None)
@given(seeds)
def test_what_is_no_turn_and_size_is_none(seed: int) -> None:
    points, linear = some(np.random.default_rng(seed))
    mirrored = np.diag([-1.0, 1.0, 1.0]) if len(points) > 3 else np.diag([1.0, 3.0, 0.2])
    moved = points @ (linear @ mirrored).T
    assert similarity_between(points, moved) is None
    assert similarity_between(points, points[:-1]) is None
    assert similarity_between(points[:1].repeat(4, axis=0), moved[:1].repeat(4, axis=0)) is None
    assert similarity_between(np.zeros((4, 3)), np.zeros((4, 3))) is None
