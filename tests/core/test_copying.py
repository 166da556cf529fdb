"""Copies stand as their originals do, whatever the order of choosing, and at a place that is free."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from dressing import Dressed
from shapes import FLOOR, ball, box, piece, roof

TABLE = piece("table", box(0.6, 0.4, 0.4), (0, 0.2, 0))
BOWL = piece("bowl", box(0.1, 0.06, 0.1), (-0.2, 0.43, 0))
CUP = piece("cup", box(0.05, 0.05, 0.05), (-0.2, 0.485, 0.01))
STONE = piece("stone", ball(0.1), (0.9, 0.1, 0.3))
LAID = ("table", "bowl", "cup", "stone")


@given(st.permutations(LAID), st.tuples(st.floats(-4.0, 4.0), st.floats(-0.3, 0.8), st.floats(2.0, 5.0)))
def test_a_laid_table_is_copied_as_it_stands_in_whatever_order_it_is_chosen(
    order: list[str], by: tuple[float, float, float]
) -> None:
    """Over a flat floor every copy keeps its place to the others to the last digit, and all of them sit."""
    dressed = Dressed(FLOOR, TABLE, BOWL, CUP, STONE)
    outcome = dressed.do("copy", pieces=order, by=by)
    made = [dressed.set.pieces[d.key] for d in outcome.change.deltas]
    assert [p.prop.key for p in made] == order
    offsets = np.array(
        [p.pose.origin - dressed.set.pieces[key].pose.origin for key, p in zip(order, made, strict=True)]
    )
    np.testing.assert_allclose(offsets, [[by[0], 0.0, by[2]]] * 4, atol=1e-9)
    assert {dressed.fits[p.key].state for p in made} == {"seated"}


def test_on_a_slope_each_stack_is_seated_where_it_arrives() -> None:
    """The table with all on it comes down as one; the stone beside it finds its own height."""
    ridge = piece("ridge", roof(6.0, 2.0, 0.5, along_x=True), (0.0, 0.0, 6.0), bearer=True)
    dressed = Dressed(FLOOR, ridge, TABLE, BOWL, CUP, STONE)
    made = dressed.do("copy", pieces=list(LAID), by=(0.0, 0.0, 6.0)).change.pieces()
    table, bowl, cup, stone = made.values()
    assert table is not None
    assert bowl is not None
    assert cup is not None
    assert stone is not None
    np.testing.assert_allclose(bowl.pose.origin - table.pose.origin, BOWL.pose.origin - TABLE.pose.origin, atol=1e-9)
    np.testing.assert_allclose(cup.pose.origin - table.pose.origin, CUP.pose.origin - TABLE.pose.origin, atol=1e-9)
    assert stone.pose.position[1] < 0.1 + 0.5
    assert dressed.fits[stone.key].gap == pytest.approx(0.0, abs=1e-6)


def test_what_hangs_is_copied_hanging_with_what_stands_on_it() -> None:
    ceiling = piece("ceiling", box(8, 0.2, 8), (0.0, 2.6, 0.0), bearer=True)
    lamp = piece("lamp", box(0.3, 0.5, 0.3), (0.0, 2.25, 0.0), direction=(0.0, 1.0, 0.0))
    dressed = Dressed(FLOOR, ceiling, lamp)
    made = dressed.do("copy", pieces=["lamp"], by=(1.0, -0.4, 0.0)).change.pieces()["new-1"]
    assert made is not None
    assert made.pose.position == pytest.approx((1.0, 2.25, 0.0), abs=1e-9)


def test_copies_are_in_a_group_of_their_own() -> None:
    dressed = Dressed(FLOOR, *(replace(p, group="tea") for p in (TABLE, BOWL)), STONE)
    made = dressed.do("copy", pieces=["table", "bowl", "stone"], by=(0, 0, 2)).change.pieces()
    assert [p.group for p in made.values() if p] == ["tea 2", "tea 2", ""]
    alone = dressed.do("copy", pieces=["bowl"], by=(0, 0, 4)).change.pieces()
    assert [p.group for p in alone.values() if p] == [""]


def test_ties_between_what_is_copied_are_copied() -> None:
    dressed = Dressed(FLOOR, TABLE, STONE)
    dressed.do("tie", tie="gap", piece="stone", to="table", side=[-1, 0, 0], distance_m=0.5)
    (tie,) = dressed.set.ties.values()
    outcome = dressed.do("copy", pieces=["stone", "table"], by=(0, 0, 2))
    (copied,) = (t for t in dressed.set.ties.values() if t.key != tie.key)
    made = list(outcome.change.pieces())
    assert (copied.piece, copied.to, copied.distance) == (made[0], made[1], tie.distance)


def test_a_copy_goes_to_the_nearest_place_that_is_free() -> None:
    """Beside the jar on the table stands another; the copy comes to stand behind both, and not on top of either."""
    table = piece("table", box(0.8, 0.4, 0.8), (0.0, 0.2, 0.0))
    jars = [piece(name, box(0.2, 0.3, 0.2), (x, 0.55, 0.2)) for name, x in (("jar", 0.0), ("other", 0.22))]
    dressed = Dressed(FLOOR, table, *jars)
    exact = dressed.look("copy", pieces=["jar"], by=(0.22, 0.0, 0.0)).change.pieces()["new-1"]
    assert exact is not None
    assert exact.pose.position[1] > 0.8, "just there it stands on the other"
    outcome = dressed.do("copy", pieces=["jar"], by=(0.22, 0.0, 0.0), to_free_place=True)
    (made,) = outcome.change.pieces().values()
    assert made is not None
    assert made.pose.position[1] == pytest.approx(0.55, abs=1e-9)
    assert dressed.fits[made.key].state == "seated"
    assert outcome.change.words == "copied jar to the nearest free place, 0.22 m on"


def test_where_nothing_is_taken_it_is_just_there_without_a_word() -> None:
    dressed = Dressed(FLOOR, TABLE, BOWL)
    outcome = dressed.do("copy", pieces=["bowl", "table"], by=(0.7, 0.0, 0.0), to_free_place=True)
    assert outcome.change.words == "copied 2 pieces"
    assert {f.state for f in dressed.fits.values()} == {"seated"}
