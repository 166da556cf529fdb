"""Whatever is admitted is right by a full check on a fresh index, in any order of rules, and a longer list never changes a shorter one."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.admission.admission import Admission, Candidate
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.scene import Piece
from brickseat_core.tolerances import SEATED_TOLERANCE
from dressing import Dressed
from shapes import FLOOR, ball, box, piece, standing
from yards import PROPS, yard

seeds = st.integers(0, 2**32 - 1)
DISH = box(0.3, 0.015, 0.3)


def some_rule(rng: np.random.Generator, prop: str) -> dict[str, Any]:
    """A rule of any kind: sinks given or found, tilts, sizes, room, round others or off them."""
    rule: dict[str, Any] = {"prop": prop, "share": float(rng.uniform(0.3, 3.0)), "size": [0.6, 1.6]}
    if rng.random() < 0.5:
        rule["sink_m"] = float(rng.uniform(0.0, 0.04))
    if rng.random() < 0.5:
        rule["lean"] = float(rng.random())
    if rng.random() < 0.3:
        rule["tip_across_deg"] = [-20, 20]
    if rng.random() < 0.3:
        rule["auto_bed"] = False
    if rng.random() < 0.3:
        rule["elbow_room_m"] = float(rng.uniform(0.0, 0.2))
    return rule


def some_recipe(rng: np.random.Generator, count: int) -> dict[str, Any]:
    props = [some_rule(rng, name) for name in rng.permutation(list(PROPS))[: int(rng.integers(1, 4))].tolist()]
    for later in props[1:]:
        if rng.random() < 0.4:
            later[str(rng.choice(["gather_m", "clear_m"]))] = float(rng.uniform(0.2, 0.8))
    return {
        "props": props,
        "on": ["ground"],
        "count": count,
        "seed": int(rng.integers(1000)),
        "no_overlap": str(rng.choice(["shape", "elbow"])),
        "pattern": str(rng.choice(["even", "random", "clumped"])),
        "rules": {"area": {"at": [0, 0, 0], "across_m": 2.4, "along_m": 2.4}},
    }


def with_things(rng: np.random.Generator) -> Dressed:
    """The yard, with things on it that are bedded, stand, and lie low."""
    things = [
        piece(f"slab {n}", DISH, (float(x), 0.5, float(z)), sink=float(rng.choice([0.0, 0.01, 0.05])))
        for n, (x, z) in enumerate(rng.uniform(-1.2, 1.2, (6, 2)))
    ]
    here = Dressed(yard(), *things, props=PROPS.values())
    for thing in things:
        here.do("rest", pieces=[thing.key])
    return here


def laid(here: Dressed, recipe: dict[str, Any]) -> dict[int, Piece]:
    after = here.look("scatter", recipe=recipe).change.on(here.set)
    return {p.number: p for p in after.pieces.values() if p.recipe and p.number is not None}


@settings(max_examples=10, deadline=None)
@given(seeds)
def test_all_that_is_laid_is_seated_and_all_that_stood_is_as_right_as_before(seed: int) -> None:
    rng = np.random.default_rng(seed)
    here = with_things(rng)
    for _ in range(2):
        recipe = some_recipe(rng, 40)
        after = here.look("scatter", recipe=recipe).change.on(here.set)
        fits = check(SceneIndex(after.pieces.values()))
        for key, fit in fits.items():
            if key in here.fits:
                assert set(fit.faults) <= set(here.fits[key].faults), (recipe, fit.reason)
            else:
                assert fit.state == "seated", (recipe, fit.reason)
        here.do("scatter", recipe=recipe)


@settings(max_examples=20, deadline=None)
@given(seeds, st.integers(1, 50), st.integers(1, 50))
def test_more_never_moves_or_removes_one_that_lies(seed: int, few: int, more: int) -> None:
    rng = np.random.default_rng(seed)
    here = with_things(rng)
    recipe = some_recipe(rng, few)
    first, second = laid(here, recipe), laid(here, {**recipe, "count": few + more})
    assert {n: (p.pose, p.sink) for n, p in first.items()} == {
        n: (second[n].pose, second[n].sink) if n in second else None for n in first
    }


@pytest.mark.parametrize("sink", [0.0, 0.02])
@pytest.mark.parametrize("seed", range(8))
def test_pots_bricks_and_stones_lie_in_nobody(seed: int, sink: float) -> None:
    here = Dressed(yard(), props=PROPS.values())
    props = [{"prop": name, "sink_m": sink} for name in PROPS]
    area = {"at": [0, 0, 0], "across_m": 4.0, "along_m": 4.0}
    here.do("scatter", recipe={"props": props, "on": ["ground"], "count": 200, "seed": seed, "rules": {"area": area}})
    fits = check(SceneIndex(here.set.pieces.values()))
    assert len(fits) == 200
    assert [fit.reason for fit in fits.values() if fit.faults] == []


@settings(max_examples=30, deadline=None)
@given(seeds)
def test_candidates_are_decided_on_by_what_comes_before_them(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pieces = []
    for n in range(40):
        made = piece(
            f"p{n}", (box(0.2, 0.1, 0.15), ball(0.1, 2), DISH)[n % 3], sink=float(rng.choice([0.0, 0.0, 0.03]))
        )
        x, z = rng.uniform(-0.7, 0.7, 2)
        half = float(-made.prop.mesh.box[0][1])
        pieces.append(made.at(made.pose.moved(np.array([x, half - made.sink, z]))))
    room = [float(r) for r in rng.choice([0.0, 0.0, 0.1], len(pieces))]
    offered = [Candidate(p, at=p.pose.origin, room=r) for p, r in zip(pieces, room, strict=True)]

    def admitted(parts: list[int], most: int) -> list[str]:
        admission, found, begin = Admission(standing(FLOOR), SEATED_TOLERANCE), [], 0
        for end in [*parts, len(offered)]:
            found += admission.offer(offered[begin:end], most - len(found)).pieces
            begin = end
        fits = check(SceneIndex([FLOOR, *found]))
        assert [fit.reason for fit in fits.values() if fit.faults] == []
        return [p.key for p in found]

    whole = admitted([], 1000)
    assert whole, "something finds room"
    for _ in range(3):
        parts = sorted(rng.choice(len(offered), 3, replace=False).tolist())
        assert admitted(parts, 1000) == whole, "in whichever parts they are offered"
        most = int(rng.integers(1, len(whole) + 1))
        assert admitted(parts, most) == whole[:most]


def test_a_place_that_is_kept_is_not_stood_on_and_bears_nothing() -> None:
    admission = Admission(standing(FLOOR), SEATED_TOLERANCE)
    out, inside, above = (
        piece("out", box(0.2, 0.2, 0.2), (0, 0.1, 0)),
        piece("inside", box(0.1, 0.1, 0.1), (0.08, 0.05, 0)),
        piece("above", box(0.2, 0.2, 0.2), (0, 0.3, 0)),
    )
    found = admission.offer([Candidate(out, keeps_place=True), Candidate(inside), Candidate(above)], 3)
    assert (found.pieces, found.kept) == ((), (out,))
    assert found.refused == (None, "no_room", "afloat")
    assert set(admission.index.pieces) == {"floor"}


def test_a_newcomer_that_is_bedded_into_what_stands_is_refused() -> None:
    # It only touches the low dish where it is measured, and is 20 mm in it where it is drawn.
    dish = piece("dish", box(0.4, 0.03, 0.4), (0, 0.015, 0))
    post = piece("post", box(0.05, 0.3, 0.05), (0.1, 0.16, 0), sink=0.02)
    admission = Admission(standing(FLOOR, dish), SEATED_TOLERANCE)
    assert admission.offer([Candidate(post)], 1).refused == ("no_room",)
    beside = post.at(post.pose.moved(np.array([0.4, -0.03, 0.0])))
    assert admission.offer([Candidate(beside)], 1).pieces == (beside,)


def test_several_rules_of_one_prop_have_a_share_each() -> None:
    here = Dressed(yard(), props=PROPS.values())
    props = [{"prop": "stone", "size": [0.5, 0.5]}, {"prop": "stone", "size": [1, 1]}]
    found = laid(here, {"props": props, "on": ["ground"], "count": 300, "seed": 1})
    sizes = [round(float(p.pose.scale[1]), 2) for p in found.values()]
    assert 110 < sizes.count(0.5) < 190


def test_who_gives_way_keeps_off_the_widest_of_many_neighbours() -> None:
    # Four narrow ones are nearer by their middles than the wide one by its side.
    here = Dressed(yard(0.0), props=PROPS.values())
    props = [{"prop": "brick", "size": [0.3, 4]}, {"prop": "stone", "share": 3, "clear_m": 0.3}]
    found = laid(here, {"props": props, "on": ["ground"], "count": 160, "seed": 2})
    index = standing(yard(0.0), *found.values())
    bricks = [index.box_of(p) for p in found.values() if p.prop.key == "brick"]
    for stone in (p for p in found.values() if p.prop.key == "stone"):
        x, z = stone.pose.origin[[0, 2]]
        for lo, hi in bricks:
            half = 0.25 * (hi[0] - lo[0] + hi[2] - lo[2])
            middle = 0.5 * (lo + hi)
            assert np.hypot(x - middle[0], z - middle[2]) - half > 0.3 - 0.02


def test_room_is_kept_from_what_other_recipes_laid() -> None:
    here = Dressed(yard(0.0), props=PROPS.values())
    large = {"props": [{"prop": "pot", "elbow_room_m": 0.5}], "on": ["ground"], "count": 12, "no_overlap": "elbow"}
    small = {"props": [{"prop": "stone", "elbow_room_m": 0.05}], "on": ["ground"], "count": 200, "no_overlap": "elbow"}
    here.do("scatter", recipe=large)
    pots = [p.pose.origin for p in here.set.pieces.values() if p.prop.key == "pot"]
    here.do("scatter", recipe=small)
    stones = [p.pose.origin for p in here.set.pieces.values() if p.prop.key == "stone"]
    assert len(stones) == 200
    away = np.linalg.norm((np.array(stones)[:, None] - np.array(pots)[None])[:, :, [0, 2]], axis=2)
    assert away.min() > 0.55 - 0.02


def test_what_is_refused_keeps_no_room() -> None:
    flat = piece("flat", box(0.2, 0.1, 0.2), (0, 0.05, 0))
    floating = piece("floating", box(0.2, 0.1, 0.2), (0.6, 0.4, 0))
    near = piece("near", box(0.2, 0.1, 0.2), (0.9, 0.05, 0))
    admission = Admission(standing(FLOOR), SEATED_TOLERANCE)
    found = admission.offer([Candidate(p, at=p.pose.origin, room=0.25) for p in (flat, floating, near)], 3)
    assert found.pieces == (flat, near)
    assert found.refused == (None, "afloat", None)


def test_a_surface_named_twice_lays_once_and_their_order_moves_nothing() -> None:
    here = Dressed(yard(0.0), piece("shelf", box(2, 0.1, 2), (0, 1.5, 0), bearer=True), props=PROPS.values())
    asked = {"props": [{"prop": "stone"}], "count": 60, "seed": 4}
    one = laid(here, {**asked, "on": ["ground", "shelf"]})
    for on in (["shelf", "ground"], ["shelf", "ground", "shelf"]):
        assert {n: p.pose for n, p in laid(here, {**asked, "on": on}).items()} == {n: p.pose for n, p in one.items()}


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ({"count": 5, "rules": {"height_m": [50, 60]}}, "5 found no ground that the rules allow"),
        ({"density_per_m2": 10_000}, "are more than are laid at most"),
    ],
)
def test_what_is_not_laid_has_its_reason(asked: dict[str, Any], said: str) -> None:
    here = Dressed(yard(0.0), props=PROPS.values())
    recipe = {"props": [{"prop": "stone", "size": [0.02, 0.02]}], "on": ["ground"], **asked}
    assert said in here.look("scatter", recipe=recipe).change.words
