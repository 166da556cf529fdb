"""Fits as JSON and back, bit for bit; and what makes kept fits count for nothing."""

import json
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.fit.check import check
from brickseat_core.fit.encoding import decode_fit, encode_fit
from brickseat_core.fit.measured_by import measured_by
from brickseat_core.fit.measuring import STATES, Clash, Fit
from brickseat_core.scene import Prop, Set
from shapes import FLOOR, box, piece, standing

number = st.floats(allow_nan=False, allow_infinity=False)
triple = st.tuples(number, number, number)
clash = st.builds(Clash, st.text(max_size=5), number, triple, triple, number)
state = st.sampled_from(STATES)
fits = st.builds(
    Fit,
    key=st.text(max_size=5),
    state=state,
    faults=st.lists(state, max_size=3).map(tuple),
    gap=st.none() | number,
    depth=number,
    rests_on=st.lists(st.text(max_size=5), max_size=3).map(tuple),
    clashes=st.lists(clash, max_size=3).map(tuple),
    contacts=st.lists(triple, max_size=3).map(tuple),
    touch=st.none() | triple,
    balance_margin=st.none() | number,
    tilt_deg=number,
    reason=st.text(max_size=20),
    grip=st.none() | number,
)


@given(fits)
def test_a_fit_comes_back_as_it_was(fit: Fit) -> None:
    assert decode_fit(json.loads(json.dumps(encode_fit(fit)))) == fit


def test_measured_fits_come_back_as_they_were() -> None:
    index = standing(FLOOR, piece("sunk", box(1, 1, 1), (0, 0.4, 0)), piece("in it", box(1, 1, 1), (0.5, 0.5, 0.2)))
    for fit in check(index).values():
        assert decode_fit(json.loads(json.dumps(encode_fit(fit)))) == fit


def test_another_mesh_or_tolerance_is_measured_otherwise_and_another_place_is_not() -> None:
    it = piece("it", box(1, 1, 1), (0, 0.5, 0))
    dressed = Set.of("a set", [FLOOR, it])
    known = measured_by(dressed)
    assert measured_by(Set.of("another", [FLOOR, it.at(FLOOR.pose)])) == known
    larger = replace(it, prop=Prop(it.prop.key, it.prop.name, box(1, 1, 1.001)))
    assert measured_by(Set.of("a set", [FLOOR, larger])) != known
    assert measured_by(replace(dressed, settings=replace(dressed.settings, tolerance=0.002))) != known
