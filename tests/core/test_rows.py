"""Rows: even along straight lines, curves and edges, each seated and facing along; laid again in their place."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.moves import MoveRefused
from brickseat_core.proposals.row.places_along import NoRow, border_near, places_along
from dressing import Dressed
from shapes import FLOOR, box, piece, revolved

seeds = st.integers(0, 2**32 - 1)


@settings(max_examples=100, deadline=None)
@given(seeds, st.integers(2, 30), st.booleans())
def test_places_are_even_along_any_line(seed: int, count: int, closed: bool) -> None:
    line = np.random.default_rng(seed).uniform(-2, 2, (7, 3))
    found = places_along(line, count, None, closed)
    assert len(found) == count
    points = np.concatenate([line, line[:1]]) if closed else line
    at = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    step = at[-1] / (count if closed else count - 1)
    for k, place in enumerate(found):
        wanted = [np.interp(step * k, at, points[:, c]) for c in range(3)]
        assert place.point == pytest.approx(wanted, abs=1e-9)
        assert np.linalg.norm(place.tangent) == pytest.approx(1, abs=1e-12)


def test_on_a_curve_chords_are_longer_than_what_is_walked_along_it() -> None:
    angle = np.linspace(0, np.pi, 400)
    arc = np.stack([np.cos(angle), np.zeros(400), np.sin(angle)], axis=1)
    by_chord = [p.point for p in places_along(arc, None, 0.5, False, chord=True)]
    gaps = np.linalg.norm(np.diff(by_chord, axis=0), axis=1)
    assert gaps == pytest.approx(np.full(len(gaps), 0.5), abs=1e-9)
    by_arc = [p.point for p in places_along(arc, None, 0.5, False)]
    assert (np.linalg.norm(np.diff(by_arc, axis=0), axis=1) < 0.4951).all()
    assert len(by_arc) == 7
    # A chord of 0.5 on the unit circle spans 2 asin(0.25).
    assert len(by_chord) == int(np.pi / (2 * np.arcsin(0.25))) + 1


def test_borders_are_split_at_corners_and_closed_where_they_are_round() -> None:
    line, closed = border_near(box(2, 1, 1), np.array([0.3, 0.5, 0.49]))
    assert not closed
    assert sorted(line[:, 0].tolist()) == [-1, 1]
    assert (line[:, 1:] == [0.5, 0.5]).all()
    disc = revolved([(0, 0), (0.5, 0), (0.5, 0.1), (0, 0.1)], 48)
    rim, closed = border_near(disc, np.array([0.5, 0.1, 0.0]))
    assert closed
    assert np.hypot(rim[:, 0], rim[:, 2]) == pytest.approx(np.full(48, 0.5), abs=1e-6)


def test_jars_stand_along_the_edge_of_a_table_and_are_laid_again() -> None:
    table = piece("table", box(2.0, 0.7, 0.8), (0, 0.35, 0), bearer=True)
    jar = piece("jar", box(0.1, 0.2, 0.06), (5, 0.1, 5))
    d = Dressed(FLOOR, table, jar)
    out = d.do("row", prop="jar", on="table", near=[0.2, 0.7, 0.39], count=5, offset_m=0.1)
    made = [p for p in out.change.pieces().values() if p is not None]
    assert out.change.words == "laid a row of 5 jar"
    assert {d.fit(p.key).state for p in made} == {"seated"}
    assert {d.fit(p.key).rests_on for p in made} == {("table",)}
    xs = sorted(p.pose.position[0] for p in made)
    assert xs == pytest.approx([-1, -0.5, 0, 0.5, 1], abs=1e-9)
    assert {round(abs(p.pose.position[2]), 9) for p in made} in ({0.3}, {0.5})
    # The front runs along the edge.
    assert {round(abs(float(p.pose.linear[0, 2])), 9) for p in made} == {1.0}
    (recipe,) = d.set.recipes
    again = d.do("row", prop="jar", on="table", near=[0.2, 0.7, 0.39], spacing_m=0.25, offset_m=0.1, recipe=recipe)
    assert len([p for p in d.set.pieces.values() if p.recipe == recipe]) == 9
    assert sorted(p.number for p in d.set.pieces.values() if p.recipe) == list(range(1, 10))
    d.take(again.change.backwards())
    assert len([p for p in d.set.pieces.values() if p.recipe == recipe]) == 5
    with pytest.raises(MoveRefused, match="no longer there"):
        d.look("row", prop="jar", line=[[0, 0, 0], [1, 0, 0]], count=2, recipe="gone")
    with pytest.raises(MoveRefused, match="how many stand in the row"):
        d.look("row", prop="jar", line=[[0, 0, 0], [1, 0, 0]])


def test_what_cannot_stand_in_its_place_is_left_out_of_a_row_and_counted() -> None:
    table = piece("table", box(2.0, 0.7, 0.8), (0, 0.35, 0), bearer=True)
    tall = piece("tall", box(0.1, 0.5, 0.3), (0, 0.95, 0.1))
    d = Dressed(table, tall, props=[piece("jar", box(0.1, 0.2, 0.06)).prop])
    line = [[-0.9, 0.7, 0], [1.5, 0.7, 0]]
    out = d.do("row", prop="jar", line=line, spacing_m=0.3)
    # One stands on the tall box as well as it can, and those beyond the end of the table have nothing below them.
    assert {d.fit(p.key).state for p in out.change.pieces().values() if p is not None} == {"seated"}
    assert (
        out.counts["laid"] + sum(n for k, n in out.counts.items() if k not in ("laid", "wanted"))
        == out.counts["wanted"]
    )
    assert out.counts["afloat"] >= 1
    assert "would not touch" in out.change.words
    with pytest.raises(MoveRefused, match="nothing of the row can stand there: 3 would not touch"):
        d.look("row", prop="jar", line=[[5, 0, 0], [6, 0, 0]], count=3)


def test_a_line_without_length_lays_nothing() -> None:
    with pytest.raises(NoRow, match="no length"):
        places_along(np.zeros((3, 3)), 2, None, False)
    with pytest.raises(NoRow, match="farther apart"):
        places_along(np.array([[0.0, 0, 0], [90, 0, 0]]), None, 0.002, False)
