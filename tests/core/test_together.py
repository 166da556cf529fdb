"""Formations: several pieces moved as one body keep their arrangement and obey what one piece obeys."""

import numpy as np
import pytest

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.placing.making import compute
from brickseat_core.placing.moves import Fix, Group, Move, MoveRefused, Rest, Seat, Size, Slide, Swap, Turn
from brickseat_core.scene import Piece, Pose, rotation_about
from shapes import FLOOR, box, piece, standing

WALL = piece("wall", box(0.01, 2, 6), (1.0, 1, 0), bearer=True)
TABLE = piece("table", box(0.6, 0.4, 0.4), (0, 0.2, 0))
BOWL = piece("bowl", box(0.1, 0.06, 0.1), (-0.2, 0.43, 0))
CUP = piece("cup", box(0.05, 0.05, 0.05), (0.25, 0.425, 0.1))
LAID = ("table", "bowl", "cup")


def after(index: SceneIndex, move: Move) -> dict[str, Piece]:
    before = dict(index.pieces)
    fits = check(index)
    change = compute(index, move, 0.0005, fits).change
    assert dict(index.pieces) == before
    assert [d.key for d in change.deltas if d.before != before[d.key]] == []
    made = {d.key: d.after for d in change.deltas if d.after is not None}
    for moved in made.values():
        index.put(moved)
    assert {f.state for k, f in check(index).items() if k in made and made[k].role == "prop"} <= {"seated"}
    return {**before, **made}


def test_a_laid_table_slides_to_the_wall_and_stays_laid() -> None:
    index = standing(FLOOR, WALL, TABLE, BOWL, CUP)
    found = after(index, Slide(LAID, (2.0, 0.0, 0.0), together=True))
    by = found["table"].pose.origin - TABLE.pose.origin
    assert by == pytest.approx((0.695, 0.0, 0.0), abs=1e-9)
    for before in (BOWL, CUP):
        assert found[before.key].pose.origin - before.pose.origin == pytest.approx(by, abs=1e-12)


def test_one_by_one_the_same_pieces_would_leave_the_table() -> None:
    index = standing(FLOOR, TABLE, CUP)
    found = after(index, Slide(("cup",), (0.4, 0.0, 0.0)))
    assert found["cup"].pose.position[1] == pytest.approx(0.025, abs=1e-9)


def test_they_turn_and_grow_about_what_they_stand_on() -> None:
    index = standing(FLOOR, TABLE, BOWL, CUP)
    found = after(index, Turn(LAID, np.pi / 2, together=True))
    assert found["cup"].pose.origin == pytest.approx((0.1, 0.425, -0.25), abs=1e-9)
    grown = after(standing(FLOOR, TABLE, BOWL, CUP), Size(LAID, 2.0, together=True))
    assert grown["bowl"].pose.origin == pytest.approx((-0.4, 0.86, 0.0), abs=1e-9)
    with pytest.raises(MoveRefused, match="sized evenly"):
        after(standing(FLOOR, TABLE, BOWL), Size(("table", "bowl"), (1.0, 2.0, 1.0), together=True))


def test_a_tilted_stack_comes_to_rest_as_one() -> None:
    tilt = rotation_about(np.array([0.0, 0.0, 1.0]), 0.05)
    tilted = [p.at(Pose.of(tilt, tilt @ p.pose.origin + [0.0, 0.1, 0.0])) for p in (TABLE, BOWL, CUP)]
    found = after(standing(FLOOR, *tilted), Rest(LAID, together=True))
    for before in (TABLE, BOWL, CUP):
        apart = found[before.key].pose.origin - found["table"].pose.origin
        assert apart == pytest.approx(before.pose.origin - TABLE.pose.origin, abs=1e-4)
    lifted = [p.at(p.pose.moved(np.array([0.0, 0.3, 0.0]))) for p in (TABLE, BOWL, CUP)]
    seated = after(standing(FLOOR, *lifted), Seat(LAID, together=True))
    assert seated["cup"].pose.origin == pytest.approx(CUP.pose.origin, abs=1e-9)


def test_the_index_forgets_the_visitor() -> None:
    index = standing(FLOOR, TABLE, BOWL, CUP)
    check(index)
    forest, rows = index.forest, dict(index.row)
    compute(index, Turn(LAID, 0.3, together=True), 0.0005, {})
    assert index.forest is forest
    assert index.row == rows


def test_swapped_pieces_stand_where_the_others_stood() -> None:
    index = standing(FLOOR, TABLE, BOWL)
    found = after(index, Swap(("bowl",), CUP.prop))
    assert found["bowl"].prop is CUP.prop
    assert found["bowl"].pose.origin == pytest.approx((-0.2, 0.425, 0.0), abs=1e-9)


def test_marks_move_nothing_and_refuse_nonsense() -> None:
    index = standing(FLOOR, TABLE, BOWL)
    assert {p.group for p in after(index, Group(("table", "bowl"), "lunch")).values()} == {"", "lunch"}
    fixed = after(standing(FLOOR, TABLE, BOWL), Fix(("table",), True))
    assert fixed["table"].role == "bearer"
    assert fixed["table"].pose == TABLE.pose
    with pytest.raises(MoveRefused, match="two pieces"):
        compute(index, Group(("bowl",), "alone"), 0.0005, {})
