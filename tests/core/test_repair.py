"""Repair: least movement, from the ground up, spiked pieces untouched, no fault traded for another."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from shapes import FLOOR, ball, box, piece, revolved, standing


def test_floating_sunk_and_stacked_are_mended_bottom_up() -> None:
    table = piece("table", box(1.0, 0.6, 0.6), (0.0, 0.35, 0.0))
    book = piece("book", box(0.2, 0.03, 0.2), (0.3, 0.65 + 0.015, 0.0))
    sunk = piece("sunk", box(0.2, 0.2, 0.2), (2.0, 0.08, 0.0))
    index = standing(FLOOR, table, book, sunk)
    result = repair(index)
    assert not result.left
    assert {f.state for f in check(index).values()} == {"seated"}
    assert index.pieces["table"].pose.position[1] == pytest.approx(0.3, abs=1e-9)
    assert index.pieces["book"].pose.position[1] == pytest.approx(0.615, abs=1e-9)
    assert index.pieces["sunk"].pose.position[1] == pytest.approx(0.1, abs=1e-9)


def test_a_clash_is_pushed_aside_by_no_more_than_it_needs() -> None:
    left = piece("left", box(0.2, 0.2, 0.2), (0.0, 0.1, 0.0), spiked=True)
    right = piece("right", box(0.2, 0.2, 0.2), (0.19, 0.1, 0.0))
    index = standing(FLOOR, left, right)
    result = repair(index)
    assert [d.key for d in result.change.deltas] == ["right"]
    moved = np.array(index.pieces["right"].pose.position) - np.array(right.pose.position)
    assert np.linalg.norm(moved) == pytest.approx(0.01, abs=1e-4)
    assert {f.state for f in check(index).values()} == {"seated"}


def test_a_plate_over_the_edge_is_pushed_back_on() -> None:
    shelf = piece("shelf", box(1.0, 0.02, 0.3), (0.0, 0.99, 0.0), bearer=True)
    plate = piece("plate", revolved([(0, 0), (0.06, 0), (0.12, 0.02), (0, 0.01)]), (0.53, 1.0, 0.0))
    index = standing(shelf, FLOOR, plate)
    assert check(index)["plate"].faults == ("tippy",)
    assert not repair(index).left
    assert check(index)["plate"].state == "seated"
    assert index.pieces["plate"].pose.position[0] > 0.45


def test_spiked_pieces_stay_and_say_why() -> None:
    index = standing(FLOOR, piece("lamp", box(0.1, 0.3, 0.1), (0.0, 0.4, 0.0), spiked=True))
    result = repair(index)
    assert not result.change.deltas
    assert result.left[0].key == "lamp"
    assert "spiked" in result.left[0].reason


def test_wanted_sink_and_stand_off_are_respected() -> None:
    index = standing(
        FLOOR,
        piece("stone", ball(0.1), (0.0, 0.5, 0.0), sink=0.02),
        piece("hover", box(0.1, 0.1, 0.1), (1.0, 0.3, 0.0), stand_off=0.05),
    )
    assert not repair(index).left
    assert index.pieces["hover"].pose.position[1] == pytest.approx(0.1, abs=1e-9)
    assert index.pieces["stone"].pose.position[1] == pytest.approx(0.08, abs=2e-4)


def test_what_cannot_be_mended_is_named() -> None:
    result = repair(standing(FLOOR, piece("lost", box(0.1, 0.1, 0.1), (99.0, 1.0, 0.0))))
    assert result.left[0].key == "lost"
    assert "rest on" in result.left[0].reason


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_repair_never_lowers_the_count_of_good_pieces(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shapes = [box(0.12, 0.1, 0.2), box(0.3, 0.02, 0.3), revolved([(0, 0), (0.05, 0), (0.08, 0.1), (0, 0.1)], 12)]
    pieces = [
        piece(
            f"p{i}",
            shapes[int(rng.integers(3))],
            (float(rng.uniform(-0.4, 0.4)), float(rng.uniform(0.0, 0.35)), float(rng.uniform(-0.4, 0.4))),
            spiked=bool(rng.random() < 0.15),
        )
        for i in range(9)
    ]
    index = standing(FLOOR, *pieces)
    before = check(index)
    repair(index, fits=before)
    after = check(index)
    assert sum(not f.faults for f in after.values()) >= sum(not f.faults for f in before.values())
    assert all(index.pieces[p.key].pose == p.pose for p in pieces if p.spiked)


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_a_second_repair_finds_nothing_more_to_do(seed: int) -> None:
    """What could not be mended is tried again when something near it moves: nothing that could be mended is left."""
    rng = np.random.default_rng(seed)
    meshes = (box(0.2, 0.1, 0.15), box(0.12, 0.3, 0.12), ball(0.08, 2))
    index = standing(FLOOR)
    for n in range(9):
        x, z = rng.uniform(-0.35, 0.35, 2)
        index.put(piece(f"p{n}", meshes[n % 3], (float(x), float(rng.uniform(0.02, 0.6)), float(z))))
    first = repair(index)
    again = repair(index)
    assert [d.key for d in again.change.deltas] == []
    assert {left.key for left in again.left} == {left.key for left in first.left}


def test_repair_tells_how_far_it_is_and_is_ended_by_what_that_raises() -> None:
    class Enough(Exception): ...

    progress: list[tuple[int, int]] = []

    def on_progress(done: int, total: int) -> None:
        progress.append((done, total))
        if len(progress) == 3:
            raise Enough

    floating = [piece(f"p{n}", box(0.1, 0.1, 0.1), (0.3 * n, 0.2, 0.0)) for n in range(5)]
    index = standing(FLOOR, *floating)
    with pytest.raises(Enough):
        repair(index, on_progress=on_progress)
    assert progress == [(0, 5), (1, 5), (2, 5)]
    heights = [round(p.pose.position[1], 9) for p in index.pieces.values() if p.role == "prop"]
    assert heights == [0.05, 0.05, 0.2, 0.2, 0.2]
