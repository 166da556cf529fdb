"""Formations: several pieces moved as one body keep their arrangement and obey what one piece obeys."""

from typing import Any

import numpy as np
import pytest

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece, Pose, rotation_about
from shapes import FLOOR, box, made, piece, standing

WALL = piece("wall", box(0.01, 2, 6), (1.0, 1, 0), bearer=True)
TABLE = piece("table", box(0.6, 0.4, 0.4), (0, 0.2, 0))
BOWL = piece("bowl", box(0.1, 0.06, 0.1), (-0.2, 0.43, 0))
CUP = piece("cup", box(0.05, 0.05, 0.05), (0.25, 0.425, 0.1))
LAID = ("table", "bowl", "cup")


def after(index: SceneIndex, **move: Any) -> dict[str, Piece]:
    before = dict(index.pieces)
    fits = check(index)
    change = made(index, move, fits=fits).change
    assert dict(index.pieces) == before
    assert [d.key for d in change.deltas if d.before != before[d.key]] == []
    found = {key: p for key, p in change.pieces().items() if p is not None}
    for moved in found.values():
        index.put(moved)
    assert {f.state for k, f in check(index).items() if k in found and found[k].role == "prop"} <= {"seated"}
    return {**before, **found}


def test_a_laid_table_slides_to_the_wall_and_stays_laid() -> None:
    index = standing(FLOOR, WALL, TABLE, BOWL, CUP)
    found = after(index, kind="slide", pieces=LAID, by=(2.0, 0.0, 0.0), together=True)
    by = found["table"].pose.origin - TABLE.pose.origin
    assert by == pytest.approx((0.695, 0.0, 0.0), abs=1e-9)
    for before in (BOWL, CUP):
        assert found[before.key].pose.origin - before.pose.origin == pytest.approx(by, abs=1e-12)


def test_one_by_one_the_same_pieces_would_leave_the_table() -> None:
    index = standing(FLOOR, TABLE, CUP)
    found = after(index, kind="slide", pieces=["cup"], by=(0.4, 0.0, 0.0))
    assert found["cup"].pose.position[1] == pytest.approx(0.025, abs=1e-9)


def test_they_turn_and_grow_about_what_they_stand_on() -> None:
    index = standing(FLOOR, TABLE, BOWL, CUP)
    found = after(index, kind="turn", pieces=LAID, angle_deg=90, together=True)
    assert found["cup"].pose.origin == pytest.approx((0.1, 0.425, -0.25), abs=1e-9)
    grown = after(standing(FLOOR, TABLE, BOWL, CUP), kind="size", pieces=LAID, factor=2.0, together=True)
    assert grown["bowl"].pose.origin == pytest.approx((-0.4, 0.86, 0.0), abs=1e-9)
    with pytest.raises(MoveRefused, match="sized evenly"):
        after(
            standing(FLOOR, TABLE, BOWL), kind="size", pieces=("table", "bowl"), factor=(1.0, 2.0, 1.0), together=True
        )


def test_a_tilted_stack_comes_to_rest_as_one() -> None:
    tilt = rotation_about(np.array([0.0, 0.0, 1.0]), 0.05)
    tilted = [p.at(Pose.of(tilt, tilt @ p.pose.origin + [0.0, 0.1, 0.0])) for p in (TABLE, BOWL, CUP)]
    found = after(standing(FLOOR, *tilted), kind="rest", pieces=LAID, together=True)
    for before in (TABLE, BOWL, CUP):
        apart = found[before.key].pose.origin - found["table"].pose.origin
        assert apart == pytest.approx(before.pose.origin - TABLE.pose.origin, abs=1e-4)
    lifted = [p.at(p.pose.moved(np.array([0.0, 0.3, 0.0]))) for p in (TABLE, BOWL, CUP)]
    seated = after(standing(FLOOR, *lifted), kind="reseat", pieces=LAID, together=True)
    assert seated["cup"].pose.origin == pytest.approx(CUP.pose.origin, abs=1e-9)


def test_the_arena_lets_the_mesh_of_a_formation_go() -> None:
    index = standing(FLOOR, TABLE, BOWL, CUP)
    check(index)
    turn = {"kind": "turn", "pieces": LAID, "angle_deg": 17, "together": True}
    made(index, turn)
    meshes, forest, rows = len(index.arena), index.forest, dict(index.row)
    for _ in range(20):
        made(index, turn)
    assert len(index.arena) == meshes
    assert index.forest is forest, "the room of one formation is used again by the next"
    assert index.row == rows


def test_swapped_pieces_stand_where_the_others_stood() -> None:
    index = standing(FLOOR, TABLE, BOWL, CUP)
    found = after(index, kind="swap", pieces=["bowl"], prop="cup")
    assert found["bowl"].prop is CUP.prop
    assert found["bowl"].pose.origin == pytest.approx((-0.2, 0.425, 0.0), abs=1e-9)


def test_marks_move_nothing_and_refuse_nonsense() -> None:
    index = standing(FLOOR, TABLE, BOWL)
    assert {p.group for p in after(index, kind="group", pieces=("table", "bowl"), name="lunch").values()} == {
        "",
        "lunch",
    }
    fixed = after(standing(FLOOR, TABLE, BOWL), kind="fix", pieces=["table"])
    assert fixed["table"].role == "bearer"
    assert fixed["table"].pose == TABLE.pose
    with pytest.raises(MoveRefused, match="two pieces"):
        made(index, {"kind": "group", "pieces": ["bowl"], "name": "alone"})
