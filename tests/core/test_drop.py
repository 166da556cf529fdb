"""The exact drop, on shapes whose answer is known on paper. Everything to 1e-9 m."""

import math

import numpy as np
import pytest
import trimesh

from brickseat_core.fit.measuring import measure_fit
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece
from brickseat_core.tolerances import SEATED_TOLERANCE
from shapes import FLOOR, ball, box, inward, mesh_of, piece, revolved, roof, sheet, standing, turned

EXACT = 1e-9


def seated_height(moving: Piece, *others: Piece) -> float:
    result = set_down(standing(*others), moving)
    assert result.travel is not None, result.reason
    return result.pose.position[1]


def test_box_on_floor() -> None:
    assert seated_height(piece("box", box(0.4, 0.2, 0.3), (0.3, 1.7, -0.2)), FLOOR) == pytest.approx(0.1, abs=EXACT)


def test_ball_on_floor_touches_with_its_lowest_vertex() -> None:
    sphere = ball(0.1)
    lowest = -float(sphere.vertices[:, 1].min())
    assert seated_height(piece("ball", sphere, (1.0, 3.0, 2.0)), FLOOR) == pytest.approx(lowest, abs=EXACT)


def test_floor_corner_under_a_wide_plate_is_face_against_vertex() -> None:
    spike = piece("spike", roof(1e-3, 0.3, 0.5, True), bearer=True)
    plate = piece("plate", box(4, 0.1, 4), (0.0, 2.0, 0.0))
    assert seated_height(plate, spike) == pytest.approx(0.55, abs=EXACT)


def test_tilted_box_stands_on_its_edge() -> None:
    quarter = (0.0, 0.0, math.sin(math.radians(22.5)), math.cos(math.radians(22.5)))
    tilted = piece("tilted", turned(box(0.2, 0.2, 0.2), quarter), (0.0, 1.0, 0.0))
    assert seated_height(tilted, FLOOR) == pytest.approx(0.1 * math.sqrt(2), abs=EXACT)


def test_crossed_roof_edges_meet_edge_on_edge_only() -> None:
    """Neither ridge has a vertex near the crossing: only edge against edge can see it."""
    below = piece("below", roof(2.0, 0.3, 0.5, True), bearer=True)
    upside_down = roof(2.0, 0.3, 0.5, False)
    upside_down = turned(upside_down, (0.0, 0.0, 1.0, 0.0))
    above = piece("above", upside_down, (0.1, 3.0, 0.05))
    assert seated_height(above, below) == pytest.approx(1.0, abs=EXACT)


def test_nested_bowls_touch_where_their_walls_meet() -> None:
    """A cone of the same slope as the bowl's inside, and of a known height above its apex."""
    outer = revolved([(0, 0), (0.2, 0.2), (0.2, 0.25), (0, 0.05)])
    inner = revolved([(0, 0), (0.1, 0.1), (0.1, 0.14), (0, 0.04)])
    bowl = piece("bowl", outer, bearer=True)
    assert seated_height(piece("cup", inner, (0.0, 1.0, 0.0)), bowl) == pytest.approx(0.05, abs=EXACT)


def test_prop_under_a_table_stays_under_it() -> None:
    table = piece("table", box(1.0, 0.04, 1.0), (0.0, 0.75, 0.0), bearer=True)
    assert seated_height(piece("crate", box(0.3, 0.3, 0.3), (0.0, 0.4, 0.0)), FLOOR, table) == pytest.approx(
        0.15, abs=EXACT
    )


def test_inward_facing_room_holds_what_stands_in_it() -> None:
    room = piece("room", inward(box(6, 3, 6)), (0.0, 1.5, 0.0), bearer=True)
    crate = piece("crate", box(0.4, 0.4, 0.4), (1.0, 1.0, 0.0))
    assert seated_height(crate, room, piece("other", box(0.1, 0.1, 0.1), (2.0, 0.05, 0.0))) == pytest.approx(
        0.2, abs=EXACT
    )


def test_up_to_a_ceiling_and_against_a_wall() -> None:
    ceiling = piece("ceiling", box(4, 0.2, 4), (0.0, 2.6, 0.0), bearer=True)
    lamp = piece("lamp", box(0.2, 0.3, 0.2), (0.0, 1.0, 0.0), direction=(0.0, 1.0, 0.0))
    assert seated_height(lamp, ceiling, FLOOR) == pytest.approx(2.35, abs=EXACT)
    wall = piece("wall", box(0.2, 3, 4), (-2.0, 1.5, 0.0), bearer=True)
    peg = piece("peg", box(0.1, 0.05, 0.05), (0.5, 1.5, 0.3), direction=(-1.0, 0.0, 0.0))
    result = set_down(standing(wall, FLOOR), peg)
    assert result.pose.position[0] == pytest.approx(-1.85, abs=EXACT)


def test_along_a_slanted_normal() -> None:
    """A ball towards a plane tilted by 30°: its support along the normal is known."""
    angle = math.radians(30)
    normal = np.array([math.sin(angle), math.cos(angle), 0.0])
    along = np.array([math.cos(angle), -math.sin(angle), 0.0])
    z = np.array([0.0, 0.0, 1.0])
    corners = [tuple(5 * (a * along + b * z)) for a, b in ((-1, -1), (-1, 1), (1, 1), (1, -1))]
    slope = piece("slope", sheet(corners), bearer=True)
    sphere = ball(0.1)
    start = 1.3 * normal
    moving = piece("ball", sphere, tuple(start), direction=tuple(-normal))
    result = set_down(standing(slope), moving)
    support = -float((sphere.vertices @ normal).min())
    assert np.dot(result.pose.position, normal) == pytest.approx(support, abs=EXACT)


def test_nothing_underneath_is_an_answer() -> None:
    result = set_down(standing(FLOOR), piece("box", box(1, 1, 1), (50.0, 4.0, 0.0)))
    assert result.travel is None
    assert result.pose.position == (50.0, 4.0, 0.0)
    assert "nothing" in result.reason


@pytest.mark.parametrize("depth", [0.003, 0.03, 0.09])
def test_sunk_goes_back_to_its_own_shelf(depth: float) -> None:
    """Through an 18 mm board, in part or wholly: back up to the top of this board, not the next one."""
    low = piece("low", box(1.0, 0.018, 0.3), (0.0, 0.5, 0.0), bearer=True)
    high = piece("high", box(1.0, 0.018, 0.3), (0.0, 0.8, 0.0), bearer=True)
    jar = piece("jar", box(0.1, 0.12, 0.1), (0.0, 0.509 + 0.06 - depth, 0.0))
    assert seated_height(jar, low, high, FLOOR) == pytest.approx(0.509 + 0.06, abs=EXACT)


def test_poking_up_into_the_board_above_comes_down() -> None:
    low = piece("low", box(1.0, 0.018, 0.3), (0.0, 0.5, 0.0), bearer=True)
    high = piece("high", box(1.0, 0.018, 0.3), (0.0, 0.7, 0.0), bearer=True)
    jar = piece("jar", box(0.1, 0.12, 0.1), (0.0, 0.64, 0.0))
    assert seated_height(jar, low, high, FLOOR) == pytest.approx(0.509 + 0.06, abs=EXACT)


def test_buried_whole_comes_out_on_top() -> None:
    assert seated_height(piece("stone", box(0.1, 0.1, 0.1), (0.0, -0.4, 0.0)), FLOOR) == pytest.approx(0.05, abs=EXACT)


def test_flush_neighbours_slide_past_each_other() -> None:
    left = piece("left", box(0.15, 0.01, 0.15), (-0.15, 0.005, 0.0))
    right = piece("right", box(0.15, 0.01, 0.15), (0.15, 0.005, 0.0))
    tile = piece("tile", box(0.15, 0.01, 0.15), (0.0, 0.2, 0.0))
    assert seated_height(tile, FLOOR, left, right) == pytest.approx(0.005, abs=EXACT)


def test_a_graze_beside_does_not_lift_a_piece_onto_its_neighbour() -> None:
    """32-bit files overlap neighbours by micrometres; a 40 µm graze must not send a crate upstairs."""
    neighbour = piece("neighbour", box(0.5, 0.5, 0.5), (0.5 - 4e-5, 0.25, 0.0))
    crate = piece("crate", box(0.5, 0.5, 0.5), (0.0, 0.31, 0.0))
    assert seated_height(crate, FLOOR, neighbour) == pytest.approx(0.25, abs=EXACT)


def test_card_on_edge_stops_at_its_edge() -> None:
    """An upright sheet has no area from above; its edge still lands."""
    card = sheet([(-0.1, 0.0, 0.0), (0.1, 0.0, 0.0), (0.1, 0.2, 0.0), (-0.1, 0.2, 0.0)])
    assert seated_height(piece("card", card, (0.0, 1.0, 0.0)), FLOOR) == pytest.approx(0.0, abs=EXACT)
    rail = sheet([(0.0, 0.0, -1.0), (0.0, 0.0, 1.0), (0.0, 0.5, 1.0), (0.0, 0.5, -1.0)])
    assert seated_height(piece("card", card, (0.0, 1.0, 0.0)), piece("rail", rail, bearer=True)) == pytest.approx(
        0.5, abs=EXACT
    )


def test_far_from_the_origin_nothing_is_lost() -> None:
    floor = piece("floor", box(20, 1, 20), (200_000.0, -0.5, -300_000.0), bearer=True)
    crate = piece("crate", box(0.4, 0.4, 0.4), (200_001.0, 0.9, -300_002.0))
    assert seated_height(crate, floor) == pytest.approx(0.2, abs=EXACT)


def test_sink_and_stand_off() -> None:
    bedded = piece("bedded", box(0.4, 0.2, 0.4), (0.0, 1.0, 0.0), sink=0.03)
    kept_off = piece("kept off", box(0.4, 0.2, 0.4), (2.0, 1.0, 0.0), stand_off=0.01)
    assert seated_height(bedded, FLOOR) == pytest.approx(0.07, abs=EXACT)
    assert seated_height(kept_off, FLOOR) == pytest.approx(0.11, abs=EXACT)


def test_what_lies_on_a_piece_does_not_hold_it_up() -> None:
    """A floating table with a crate flush on its top: the table still falls to the floor."""
    crate = piece("crate", box(0.3, 0.3, 0.3), (0.0, 0.95, 0.0))
    table = piece("table", box(1.0, 0.6, 0.6), (0.0, 0.5, 0.0))
    assert seated_height(table, FLOOR, crate) == pytest.approx(0.3, abs=EXACT)


@pytest.mark.parametrize("aside", [0.0, 1e-9, 1e-8, 3e-8, 1e-7, 1e-6])
@pytest.mark.parametrize("yaw", [0.0, 31.0])
@pytest.mark.parametrize("share", [0.001, 0.07, 0.5])
def test_a_copy_sunk_into_its_like_with_all_sides_flush_comes_out_on_top(
    aside: float, yaw: float, share: float
) -> None:
    """Two bricks of one footprint: no two of their triangles cross, and yet they overlap."""
    half = math.radians(yaw) / 2.0
    brick = turned(box(0.2, 0.06, 0.1), (0.0, math.sin(half), 0.0, math.cos(half)))
    lower = piece("lower", brick, (0.3, 0.03, -0.2))
    upper = piece("upper", brick, (0.3 + aside, 0.09 - share * 0.06, -0.2))
    index = standing(FLOOR, lower, upper)
    fit = measure_fit(index, upper)
    assert fit.depth == pytest.approx(share * 0.06, abs=1e-6), fit.reason
    assert fit.faults == (() if share * 0.06 < SEATED_TOLERANCE else ("sunk",)), fit.reason
    assert set_down(index, upper).pose.position[1] == pytest.approx(0.09, abs=EXACT)


@pytest.mark.parametrize("size", [0.004, 0.02, 2.0])
def test_exact_copies_in_one_place_come_out_one_by_one(size: float) -> None:
    cube = box(size, size, size)
    here = [piece("a", cube, (0.0, size, 0.0)), piece("b", cube, (0.0, 2.05 * size, 0.0))]
    assert seated_height(piece("c", cube, (0.0, size, 0.0)), FLOOR, here[0]) == pytest.approx(2.0 * size, abs=EXACT)
    assert seated_height(piece("d", cube, (0.0, size, 0.0)), FLOOR, *here) == pytest.approx(3.05 * size, abs=EXACT)


@pytest.mark.parametrize("closed", [True, False])
def test_a_piece_that_goes_through_a_floor_with_its_edges_in_it_is_sunk(closed: bool) -> None:
    """Corners of a finely divided bar lie in the very plane of the floor: no two triangles cross."""
    bar = mesh_of(trimesh.creation.box((0.2, 1.0, 0.2)).subdivide().subdivide())
    flat = FLOOR if closed else piece("ground", sheet([(-9, 0, -9), (-9, 0, 9), (9, 0, 9), (9, 0, -9)]), bearer=True)
    p = piece("bar", bar)
    index = standing(flat, p)
    fit = measure_fit(index, p)
    assert fit.state == "sunk", fit.reason
    assert fit.depth == pytest.approx(0.5, abs=2e-5)
    assert set_down(index, p).pose.position[1] == pytest.approx(0.5, abs=1e-9)


def test_a_piece_that_just_fits_between_two_boards_is_seated() -> None:
    lower, upper = piece("lower", box(2, 0.02, 1), (0, -0.01, 0)), piece("upper", box(2, 0.02, 1), (0, 0.41, 0))
    unit = Mesh(
        np.concatenate([p.pose.apply(p.prop.mesh.vertices) for p in (lower, upper)]),
        np.concatenate([lower.prop.mesh.faces, upper.prop.mesh.faces + len(lower.prop.mesh.vertices)]),
    )
    p = piece("jar", box(0.3, 0.4, 0.3), (0.1, 0.2, 0.1))
    fit = measure_fit(standing(piece("unit", unit, bearer=True), p), p)
    assert (fit.state, fit.gap, fit.depth) == ("seated", pytest.approx(0.0, abs=1e-9), pytest.approx(0.0, abs=1e-6))
