"""The fit check: every state, its measure and its reason, against hand-made scenes."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.kernels.balance import balance_margin, offset_to_balance, support_polygon
from brickseat_core.fit.check import check
from brickseat_core.fit.measuring import Fit, measure_fit
from brickseat_core.scene import Piece
from brickseat_core.tolerances import SEATED_TOLERANCE
from shapes import FLOOR, ball, bounds, box, inward, piece, revolved, sheet, standing, turned


def fit_of(moving: Piece, *others: Piece) -> Fit:
    return measure_fit(standing(*others, moving), moving)


def test_seated_box_has_no_gap_and_four_corners() -> None:
    fit = fit_of(piece("box", box(0.4, 0.2, 0.3), (1.0, 0.1, 0.0)), FLOOR)
    assert fit.state == "seated"
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert fit.depth == 0.0
    assert fit.rests_on == ("floor",)
    corners = {(round(x, 6), round(z, 6)) for x, _, z in fit.contacts}
    assert {(0.8, -0.15), (0.8, 0.15), (1.2, -0.15), (1.2, 0.15)} <= corners
    assert fit.balance_margin == pytest.approx(0.15, abs=1e-9)
    assert fit.reason == "sits on floor"


def test_floating_says_how_far_and_above_what() -> None:
    fit = fit_of(piece("box", box(0.4, 0.2, 0.3), (1.0, 0.1123, 0.0)), FLOOR)
    assert fit.faults == ("floating",)
    assert fit.gap == pytest.approx(0.0123, abs=1e-9)
    assert fit.reason == "12.3 mm above floor"
    assert fit.contacts == ()


def test_under_the_tolerance_counts_as_seated() -> None:
    fit = fit_of(piece("box", box(0.4, 0.2, 0.3), (1.0, 0.1004, 0.0)), FLOOR)
    assert fit.state == "seated"
    assert fit.gap == pytest.approx(0.0004, abs=1e-9)


def test_sunk_measures_the_depth_and_names_the_bearer() -> None:
    fit = fit_of(piece("box", box(0.4, 0.2, 0.3), (1.0, 0.093, 0.0)), FLOOR)
    assert fit.faults == ("sunk",)
    assert fit.depth == pytest.approx(0.007, abs=1e-9)
    assert fit.clashes[0].other == "floor"
    assert np.allclose(fit.clashes[0].normal, (0.0, 1.0, 0.0))


def test_a_wanted_sink_is_no_fault_and_one_too_deep_is() -> None:
    shape = box(0.4, 0.2, 0.4)
    assert fit_of(piece("as wanted", shape, (0.0, 0.07, 0.0), sink=0.03), FLOOR).state == "seated"
    deeper = fit_of(piece("deeper", shape, (0.0, 0.05, 0.0), sink=0.03), FLOOR)
    assert deeper.faults == ("sunk",)
    assert deeper.depth == pytest.approx(0.02, abs=1e-9)


def test_a_wanted_stand_off_is_no_fault() -> None:
    fit = fit_of(piece("kept off", box(0.4, 0.2, 0.4), (0.0, 0.11, 0.0), stand_off=0.01), FLOOR)
    assert fit.state == "seated"
    assert fit.gap == pytest.approx(0.01, abs=1e-9)


@pytest.mark.parametrize("overlap", [0.001, 0.01, 0.04])
def test_clash_of_two_boxes_is_the_overlap(overlap: float) -> None:
    left = piece("left", box(0.2, 0.2, 0.2), (0.0, 0.1, 0.0))
    right = piece("right", box(0.2, 0.2, 0.2), (0.2 - overlap, 0.1, 0.03))
    fit = fit_of(left, FLOOR, right)
    assert fit.state == "clashing"
    assert fit.clashes[0].other == "right"
    assert fit.clashes[0].depth == pytest.approx(overlap, abs=1e-9)
    assert abs(fit.clashes[0].normal[0]) == pytest.approx(1.0)
    assert fit.gap == pytest.approx(0.0, abs=1e-9)
    assert fit.rests_on == ("floor",)


def test_clash_of_two_balls_is_right_to_two_per_cent() -> None:
    radius, apart = 0.1, 0.18
    a = piece("a", ball(radius, 4), (0.0, radius, 0.0))
    b = piece("b", ball(radius, 4), (apart, radius, 0.0))
    assert fit_of(a, FLOOR, b).clashes[0].depth == pytest.approx(2 * radius - apart, rel=0.02)


def test_touching_is_not_clashing_and_a_ring_round_a_peg_is_not() -> None:
    left = piece("left", box(0.2, 0.2, 0.2), (0.0, 0.1, 0.0))
    right = piece("right", box(0.2, 0.2, 0.2), (0.2, 0.1, 0.0))
    assert fit_of(left, FLOOR, right).state == "seated"
    ring = piece("ring", revolved([(0.08, 0), (0.1, 0), (0.1, 0.03), (0.08, 0.03), (0.08, 0)]), (1.0, 0.0, 0.0))
    peg = piece("peg", box(0.05, 0.5, 0.05), (1.0, 0.25, 0.0), bearer=True)
    assert fit_of(ring, FLOOR, peg).state == "seated"


def test_full_containment_is_caught_both_ways() -> None:
    crate = piece("crate", box(0.6, 0.6, 0.6), (0.0, 0.3, 0.0))
    stone = piece("stone", box(0.1, 0.1, 0.1), (0.0, 0.3, 0.0))
    assert "crate" in {c.other for c in fit_of(stone, FLOOR, crate).clashes}
    assert "stone" in {c.other for c in fit_of(crate, FLOOR, stone).clashes}


def test_buried_under_the_ground_is_sunk_in_it() -> None:
    ground = piece("ground", sheet([(-5, 0, -5), (-5, 0, 5), (5, 0, 5), (5, 0, -5)]), bearer=True)
    fit = fit_of(piece("stone", box(0.1, 0.1, 0.1), (0.0, -0.3, 0.0)), ground)
    assert fit.faults == ("sunk",)
    assert fit.depth == pytest.approx(0.35, abs=1e-9)


def test_standing_in_a_room_is_not_inside_a_solid() -> None:
    room = piece("room", inward(box(6, 3, 6)), (0.0, 1.5, 0.0), bearer=True)
    assert fit_of(piece("crate", box(0.4, 0.4, 0.4), (0.0, 0.2, 0.0)), room).state == "seated"


def test_tippy_over_an_edge() -> None:
    shelf = piece("shelf", box(1.0, 0.02, 0.3), (0.0, 0.99, 0.0), bearer=True)
    fit = fit_of(piece("jar", box(0.1, 0.2, 0.1), (0.53, 1.1, 0.0)), shelf, FLOOR)
    assert fit.faults == ("tippy",)
    assert fit.balance_margin == pytest.approx(-0.03, abs=1e-9)


def test_a_tilted_box_on_its_edge_balances_only_over_that_edge() -> None:
    quarter = (0.0, 0.0, math.sin(math.radians(22.5)), math.cos(math.radians(22.5)))
    fit = fit_of(piece("on edge", turned(box(0.2, 0.2, 0.2), quarter), (0.0, 0.1 * math.sqrt(2), 0.0)), FLOOR)
    assert fit.state == "seated"
    assert fit.balance_margin == pytest.approx(0.0, abs=3e-4)
    lean = (0.0, 0.0, math.sin(math.radians(5)), math.cos(math.radians(5)))
    shape = turned(box(0.2, 0.2, 0.2), lean)
    fit = fit_of(piece("leaning", shape, (0.0, -float(shape.vertices[:, 1].min()), 0.0)), FLOOR)
    assert fit.faults == ("tippy",)


def test_unborne_where_nothing_is() -> None:
    fit = fit_of(piece("lost", box(0.1, 0.1, 0.1), (99.0, 1.0, 0.0)), FLOOR)
    assert fit.state == "unborne"
    assert fit.gap is None


def test_hanging_is_seated_upwards() -> None:
    ceiling = piece("ceiling", box(4, 0.2, 4), (0.0, 2.6, 0.0), bearer=True)
    lamp = piece("lamp", box(0.2, 0.3, 0.2), (0.0, 2.35, 0.0), direction=(0.0, 1.0, 0.0))
    fit = fit_of(lamp, ceiling, FLOOR)
    assert fit.state == "seated"
    assert fit.rests_on == ("ceiling",)


def test_what_lies_on_a_piece_is_not_what_it_rests_on() -> None:
    table = piece("table", box(1.0, 0.6, 0.6), (0.0, 0.3, 0.0))
    book = piece("book", box(0.2, 0.03, 0.2), (0.4, 0.615, 0.0))
    fits = check(standing(FLOOR, table, book))
    assert fits["table"].rests_on == ("floor",)
    assert fits["book"].rests_on == ("table",)


def test_only_what_a_move_can_touch_is_checked_again() -> None:
    table = piece("table", box(1.0, 0.6, 0.6), (0.0, 0.3, 0.0))
    book = piece("book", box(0.2, 0.03, 0.2), (0.4, 0.615, 0.0))
    afar = piece("afar", box(0.2, 0.2, 0.2), (5.0, 0.1, 0.0))
    index = standing(FLOOR, table, book, afar)
    assert set(index.affected_by([bounds(table)], SEATED_TOLERANCE)) == {"table", "book"}


def test_the_check_agrees_with_itself_however_it_is_asked() -> None:
    """A thousand pieces over the threads, and one by one."""
    rng = np.random.default_rng(5)
    shapes = [box(0.1, 0.1, 0.1), ball(0.05, 2), revolved([(0, 0), (0.05, 0), (0.06, 0.08), (0, 0.08)], 16)]
    pieces = [
        piece(
            f"p{i}", shapes[i % 3], (float(rng.uniform(-3, 3)), float(rng.uniform(0.0, 0.3)), float(rng.uniform(-3, 3)))
        )
        for i in range(200)
    ]
    index = standing(FLOOR, *pieces)
    together = check(index)
    assert all(measure_fit(index, p) == together[p.key] for p in pieces)


@settings(max_examples=200)
@given(
    st.lists(st.tuples(st.floats(-1, 1), st.floats(-1, 1)), min_size=1, max_size=12), st.floats(-2, 2), st.floats(-2, 2)
)
def test_the_support_polygon_holds_all_points_and_the_margin_is_a_distance(
    points: list[tuple[float, float]], x: float, y: float
) -> None:
    cloud, centre = np.array(points), np.array([x, y])
    polygon = support_polygon(cloud)
    assert all(balance_margin(polygon, p) >= -1e-7 for p in cloud)
    margin = balance_margin(polygon, centre)
    way = offset_to_balance(polygon, centre)
    assert np.linalg.norm(way) == pytest.approx(abs(margin), abs=1e-9)
    assert abs(balance_margin(polygon, centre + way)) < 1e-7


def test_two_copies_in_the_very_same_planes_clash() -> None:
    """No two of their faces cut: tops, bottoms and fronts lie in one plane. They overlap all the same."""
    tile = box(0.2, 0.016, 0.2)
    shifted = fit_of(piece("a", tile, (0.0, 0.008, 0.0)), FLOOR, piece("b", tile, (0.19, 0.008, 0.0)))
    assert shifted.state == "clashing"
    assert shifted.depth == pytest.approx(0.01, abs=1e-5)
    twice = fit_of(piece("a", tile, (0.0, 0.008, 0.0)), FLOOR, piece("b", tile, (0.0, 0.008, 0.0)))
    assert twice.faults
    assert twice.depth == pytest.approx(0.016, abs=1e-5)


def test_what_two_props_do_to_each_other_is_measured_once_and_kept_for_both() -> None:
    a = piece("a", ball(0.1), (0.0, 0.1, 0.0))
    b = piece("b", box(0.2, 0.2, 0.2), (0.18, 0.1, 0.02))
    index = standing(FLOOR, a, b)
    fits = check(index)
    (mine,), (theirs,) = fits["a"].clashes, fits["b"].clashes
    assert (mine.other, theirs.other) == ("b", "a")
    assert mine.depth == theirs.depth == pytest.approx(0.02, rel=0.02)
    assert mine.normal == tuple(-v for v in theirs.normal)
    assert mine.normal[0] < -0.99
    assert measure_fit(index, a) == fits["a"]
    assert measure_fit(index, b) == fits["b"]
