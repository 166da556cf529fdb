"""Bed: pieces get a wanted sink or stand-off, or are raised each from its own."""

import pytest

from dressing import Dressed
from shapes import FLOOR, box, piece


def bedded(**sinks: float) -> Dressed:
    on = Dressed(FLOOR, *(piece(name, box(0.2, 0.2, 0.2), (n, 0.1, 0.0)) for n, name in enumerate(sinks)))
    for name, sink in sinks.items():
        on.do("bed", pieces=[name], sink=sink)
    return on


def own(on: Dressed, key: str) -> tuple[float, float, float]:
    p = on.piece(key)
    return p.sink, p.stand_off, p.pose.position[1]


def test_each_is_raised_from_its_own_sink() -> None:
    """Before, all of a selection got the sink of the first one."""
    on = bedded(deep=0.05, shallow=0.01, off=-0.02)
    outcome = on.do("bed", pieces=["deep", "shallow", "off"], raise_by=0.02)
    assert outcome.change.words.startswith("raised by 20.0 mm")
    assert own(on, "deep") == pytest.approx((0.03, 0.0, 0.07))
    assert own(on, "shallow") == pytest.approx((0.0, 0.01, 0.11))
    assert own(on, "off") == pytest.approx((0.0, 0.04, 0.14))


def test_what_is_raised_and_lowered_again_is_as_it_was() -> None:
    on = bedded(one=0.003, other=-0.0071)
    before = [own(on, key) for key in ("one", "other")]
    for by in (0.001, 0.0023, -0.001, -0.0023):
        on.do("bed", pieces=["one", "other"], raise_by=by)
    after = [own(on, key) for key in ("one", "other")]
    assert [sunk[:2] for sunk in after] == [sunk[:2] for sunk in before], "to the last bit"
    assert [sunk[2] for sunk in after] == pytest.approx([sunk[2] for sunk in before])
    assert on.do("bed", pieces=["one"], raise_by=-0.01).change.words.startswith("lowered by 10.0 mm")
