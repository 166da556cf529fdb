"""Which boxes meet others, against comparing each with each."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.contact import boxes
from brickseat_core.contact.boxes import meeting


def each_with_each(lo: np.ndarray, hi: np.ndarray, below: np.ndarray, above: np.ndarray) -> np.ndarray:
    return ((lo[:, None] <= above[None]) & (hi[:, None] >= below[None])).all(axis=2).any(axis=1)


@given(
    seed=st.integers(0, 10_000),
    count=st.integers(0, 60),
    others=st.integers(0, 60),
    size=st.sampled_from([0.0, 0.02, 0.3]),
    open_share=st.sampled_from([0.0, 0.2, 1.0]),
)
def test_the_sweep_finds_what_comparing_each_with_each_finds(
    seed: int, count: int, others: int, size: float, open_share: float
) -> None:
    rng = np.random.default_rng(seed)
    # On a coarse grid, so that many only touch.
    lo = np.round(rng.uniform(0, 1, (count, 3)), 1)
    hi = lo + np.round(rng.uniform(0, 1, (count, 3)) * rng.choice([size, 4 * size], (count, 1)), 1)
    hi[rng.uniform(size=(count, 3)) < open_share] = np.inf
    lo[rng.uniform(size=(count, 3)) < open_share] = -np.inf
    below = np.round(rng.uniform(0, 1, (others, 3)), 1)
    above = below + np.round(rng.uniform(0, 1, (others, 3)) * size, 1)
    below[rng.uniform(size=(others, 3)) < 0.5 * open_share] = -np.inf
    above[rng.uniform(size=(others, 3)) < 0.5 * open_share] = np.inf
    assert (meeting(lo, hi, below, above) == each_with_each(lo, hi, below, above)).all()


def test_pairs_are_compared_in_bounded_portions(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(boxes, "MOST_PAIRS", 7)
    rng = np.random.default_rng(3)
    lo, below = rng.uniform(0, 1, (80, 3)), rng.uniform(0, 1, (90, 3))
    found = meeting(lo, lo + 0.1, below, below + 0.1)
    assert 0 < found.sum() < 80
    assert (found == each_with_each(lo, lo + 0.1, below, below + 0.1)).all()
