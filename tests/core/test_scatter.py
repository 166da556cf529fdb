"""Scatter: what is laid lies where the rules allow, touches, is in balance, and stays where it lies whatever else changes."""

from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core import executing
from brickseat_core.budget import Budget, Stopped
from brickseat_core.executing import cluster_of, executor
from brickseat_core.fit.check import check
from brickseat_core.geometry.painting import Painting
from brickseat_core.moves import MoveRefused, PropFacts
from brickseat_core.proposals.scatter import laying
from brickseat_core.proposals.scatter.dots import dots_of
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.records import recipe_of, record_of
from brickseat_core.recipes.scatter_schema import BadRecipe, parse_recipe, recipe_json
from brickseat_core.scene import Piece, Pose, Prop, Region, Vec
from dressing import Dressed
from shapes import FLOOR, ball, bounds, box, piece, world
from yards import PROPS, YARD, yard

GAP = 1e-5
"""Metres by which a laid piece may be off what carries it."""


def dressed(*pieces: Piece, rough: float = 1.0) -> Dressed:
    return Dressed(yard(rough), *pieces, props=PROPS.values())


def recipe(count: int = 40, **more: Any) -> dict[str, Any]:
    rule = more.pop("rule", {})
    return {"props": [{"prop": "pot", **rule}], "on": ["ground"], "count": count, "seed": 3, **more}


def laid(on: Dressed) -> dict[int, Piece]:
    return {p.number: p for p in on.set.pieces.values() if p.recipe and p.number is not None}


def scattered(on: Dressed, **fields: Any) -> dict[int, Piece]:
    on.do("scatter", recipe=recipe(**fields))
    return laid(on)


def assert_all_sit(on: Dressed) -> None:
    for fit in check(on.index, on.set.tolerance).values():
        assert fit.state == "seated", fit.reason
        assert fit.gap is not None
        assert fit.gap < GAP
        assert fit.depth < GAP or on.piece(fit.key).sink > 0.0


def feet(pieces: dict[int, Piece]) -> Vec:
    """(n, 3) where they stand: under the middle of their boxes."""
    boxes = [bounds(p) for p in pieces.values()]
    return np.array([[0.5 * (lo[0] + hi[0]), lo[1], 0.5 * (lo[2] + hi[2])] for lo, hi in boxes])


@pytest.mark.parametrize("lean", [0.0, 0.5, 1.0])
def test_all_that_is_laid_sits(lean: float) -> None:
    on = dressed()
    outcome = on.do("scatter", recipe=recipe(200, rule={"lean": lean, "size": [0.7, 1.3]}))
    assert outcome.counts["laid"] == 200
    assert outcome.change.words.startswith("scattered pot: laid 200")
    assert_all_sit(on)
    sizes = [float(np.linalg.norm(p.pose.linear[:, 0])) for p in laid(on).values()]
    assert min(sizes) >= 0.7 - 1e-9
    assert max(sizes) <= 1.3 + 1e-9
    assert np.std(sizes) == pytest.approx(0.6 / np.sqrt(12), rel=0.15)


def test_without_bedding_only_what_is_in_balance_is_laid() -> None:
    on = dressed(rough=2.0)
    outcome = on.do("scatter", recipe=recipe(60, rule={"auto_bed": False}))
    assert outcome.counts["tips"] > 0
    assert_all_sit(on)
    assert all(p.sink == 0.0 for p in laid(on).values())
    other = dressed(rough=2.0)
    assert "tips" not in other.do("scatter", recipe=recipe(60)).counts
    assert any(p.sink > 0.0 for p in laid(other).values())


numbers = st.integers(5, 60)
rules = st.fixed_dictionaries(
    {},
    optional={
        "slope_deg": st.sampled_from([[0, 8], [5, 30]]),
        "height_m": st.sampled_from([[None, 0.0], [0.05, None], [-0.1, 0.1]]),
        "near": st.just([{"of": "kiln", "within_m": 1.5, "fade_m": 0.5}]),
        "far": st.just([{"of": "kiln", "beyond_m": 1.0, "fade_m": 0.3}]),
        "chalk": st.just([{"on": "ground", "points": [[-2, 0, -2], [2, 0, 2]], "radius_m": 1.2, "fade_m": 0.4}]),
        "area": st.just({"at": [0.5, 0, 0.5], "across_m": 4, "along_m": 5, "round": False, "turn_deg": 20}),
    },
)
KILN = piece("kiln", box(1.0, 1.2, 1.0), (0.0, 0.5, 0.0), bearer=True)


@given(numbers, rules, st.integers(0, 1000), st.sampled_from(["even", "random", "clumped"]))
@settings(max_examples=15, deadline=None)
def test_any_recipe_lays_only_where_its_rules_allow(
    count: int, ground: dict[str, Any], seed: int, pattern: str
) -> None:
    on = dressed(KILN)
    pieces = scattered(on, count=count, rules=ground, seed=seed, pattern=pattern)
    assert_all_sit(on)
    if not pieces:
        return
    at = feet(pieces)
    # Bedding and the slope below a foot are no part of the rules: they are asked of the ground where the piece lies.
    points = dots_of(
        Places(on.set, on.index.fork()), parse_recipe(recipe(500, rules=ground, seed=seed, pattern=pattern))
    ).at
    away = np.abs(at[:, None, [0, 2]] - points[None][:, :, [0, 2]]).max(axis=2).min(axis=1)
    assert away.max() < 1e-9
    x, z = at[:, 0], at[:, 2]
    from_kiln = np.hypot(np.maximum(np.abs(x) - 0.5, 0), np.maximum(np.abs(z) - 0.5, 0))
    if "near" in ground:
        assert (from_kiln < 1.5 + 0.05).all()
    if "far" in ground:
        assert (np.hypot(from_kiln, 0.35) > 1.0 - 0.05).all()
    if "chalk" in ground:
        along = np.clip((x + z) / 2, -2, 2)
        assert (np.hypot(x - along, z - along) <= 1.2 + 1e-9).all()
    if "area" in ground:
        turn = np.radians(20)
        across, length = (
            np.cos(turn) * (x - 0.5) - np.sin(turn) * (z - 0.5),
            np.sin(turn) * (x - 0.5) + np.cos(turn) * (z - 0.5),
        )
        assert (np.abs(across) <= 2 + 1e-9).all()
        assert (np.abs(length) <= 2.5 + 1e-9).all()


@given(st.integers(1, 60), st.integers(1, 60), st.sampled_from(["shape", "elbow"]), st.sampled_from(["even", "random"]))
@settings(max_examples=15, deadline=None)
def test_more_never_moves_one_that_lies(few: int, more: int, clearing: str, pattern: str) -> None:
    fields = {"no_overlap": clearing, "pattern": pattern, "rule": {"elbow_room_m": 0.3, "lean": 0.5, "size": [0.5, 2]}}
    one = scattered(dressed(), count=few, **fields)
    both = scattered(dressed(), count=few + more, **fields)
    assert {n: p.pose for n, p in one.items()} == {n: both[n].pose for n in one}


def test_one_worker_lays_what_many_do(monkeypatch: pytest.MonkeyPatch) -> None:
    fields = {"count": 120, "rule": {"lean": 0.5, "size": [0.5, 1.5]}}
    many = scattered(dressed(), **fields)
    monkeypatch.setattr("os.cpu_count", lambda: 1)
    assert {n: p.pose for n, p in scattered(dressed(), **fields).items()} == {n: p.pose for n, p in many.items()}


def test_what_is_laid_depends_on_nothing_but_the_recipe() -> None:
    one, other = dressed(), dressed()
    scattered(other, count=7, seed=9)
    for key in [p.key for p in laid(other).values()]:
        other.do("remove", pieces=[key])
    other.do("clear", recipe=next(iter(other.set.recipes)))
    assert {n: p.pose for n, p in scattered(one, count=50).items()} == {
        n: p.pose for n, p in scattered(other, count=50).items()
    }


def test_another_word_moves_as_little_as_it_can() -> None:
    props = [{"prop": "pot", "share": 1}, {"prop": "stone", "share": 1}]
    before = scattered(dressed(), count=150, props=props)
    after = scattered(dressed(), count=150, props=[props[0], {"prop": "stone", "share": 1.2}])
    assert sum(after[n].prop == p.prop for n, p in before.items() if n in after) > 135
    turned = scattered(dressed(), count=150, props=[{**p, "turn_step_deg": 90} for p in props])
    same = [n for n in before if n in turned and turned[n].prop == before[n].prop]
    assert len(same) > 145
    assert np.abs(feet({n: turned[n] for n in same}) - feet({n: before[n] for n in same}))[:, [0, 2]].max() < 0.02


def test_shares_turns_steps_and_sizes_are_kept() -> None:
    on = dressed(rough=0.0)
    props = [
        {"prop": "pot", "share": 3, "turn_deg": [0, 360], "turn_step_deg": 90, "size": [0.5, 1.5], "size_step": 0.5},
        {"prop": "brick", "share": 1, "size_up": [2, 2], "turn_deg": [30, 30]},
    ]
    pieces = scattered(on, count=300, props=props)
    bricks = [p for p in pieces.values() if p.prop.key == "brick"]
    assert len(bricks) == pytest.approx(75, abs=25)
    assert all(float(np.ptp(world(p)[:, 1])) == pytest.approx(0.12, abs=1e-9) for p in bricks)
    for p in pieces.values():
        x = p.pose.linear[:, 0] / np.linalg.norm(p.pose.linear[:, 0])
        angle = np.degrees(np.arctan2(-x[2], x[0]))
        if p.prop.key == "brick":
            assert angle == pytest.approx(30.0, abs=1e-6)
        else:
            assert abs(angle / 90 - round(angle / 90)) < 1e-6
            assert float(np.linalg.norm(p.pose.linear[:, 0])) in (
                pytest.approx(0.5),
                pytest.approx(1),
                pytest.approx(1.5),
            )


def test_elbow_room_is_kept_also_from_what_stands() -> None:
    jug = piece("jug", box(0.4, 0.5, 0.4), (1.0, 0.5, 1.0))
    on = dressed(jug, rough=0.0)
    on.do("reseat", pieces=["jug"])
    pieces = scattered(on, count=100, no_overlap="elbow", rule={"elbow_room_m": 0.3})
    at = feet(pieces)[:, [0, 2]]
    away = np.linalg.norm(at[:, None] - at[None], axis=2) + 10.0 * np.eye(len(at))
    assert away.min() >= 0.6 - 1e-9
    aside = np.maximum(np.abs(at - 1.0) - 0.2, 0.0)
    assert np.linalg.norm(aside, axis=1).min() >= 0.3 - 1e-9


def test_a_crowd_is_laid_as_far_as_there_is_room() -> None:
    table = piece("table", box(1.0, 0.1, 1.0), (0.0, 0.5, 0.0), bearer=True)
    on = Dressed(FLOOR, table, props=PROPS.values())
    outcome = on.do("scatter", recipe={**recipe(400), "on": ["table"]})
    assert outcome.counts["laid"] < 100
    assert outcome.counts["no_room"] > 100
    assert f"laid {outcome.counts['laid']} of 400" in outcome.change.words
    assert "found no room" in outcome.change.words
    assert_all_sit(on)


def test_none_on_another_may_be_left_out() -> None:
    on = Dressed(piece("table", box(1.0, 0.1, 1.0), bearer=True), props=PROPS.values())
    found = on.do("scatter", recipe={**recipe(400, no_overlap="none"), "on": ["table"]})
    assert found.counts["laid"] == 400


@pytest.mark.parametrize("count", [60, 120])
def test_smaller_ones_gather_round_larger_ones(count: int) -> None:
    on = dressed()
    props = [
        {"prop": "stone", "share": 1, "size": [4, 6]},
        {"prop": "pot", "share": 5, "size": [0.5, 0.8], "gather_m": 0.5},
    ]
    pieces = scattered(on, count=count, props=props)
    assert_all_sit(on)
    large = {n: p for n, p in pieces.items() if p.prop.key == "stone"}
    small = {n: p for n, p in pieces.items() if p.prop.key == "pot"}
    # In the midst of a turn some more may lie of those that come first.
    assert len(large) + len(small) == count
    assert 0 <= len(large) - count // 6 <= 2
    widths = np.array([float(np.ptp(world(p)[:, [0, 2]], axis=0).mean()) for p in large.values()])
    away = np.linalg.norm(feet(small)[:, None, [0, 2]] - feet(large)[None][:, :, [0, 2]], axis=2) - 0.5 * widths
    assert away.min(axis=1).max() < 0.5 + 0.05
    assert np.median(away.min(axis=1)) < 0.25


def test_what_gathers_catches_up_when_there_is_room_again() -> None:
    """On crowded ground no turn finds room for its share of pots; nothing is tried twice, and later turns make up for it."""
    on = dressed()
    props = [
        {"prop": "stone", "share": 1, "size": [4, 6]},
        {"prop": "pot", "share": 5, "size": [0.5, 0.8], "gather_m": 0.5},
    ]
    counts = on.do("scatter", recipe=recipe(1000, props=props)).counts
    assert counts["laid"] > 990
    # What was refused is not tried again: else the same candidate is counted at every turn.
    assert counts.get("no_room", 0) < 1000
    assert_all_sit(on)


def test_one_kind_gives_way_to_another() -> None:
    on = dressed()
    props = [{"prop": "brick", "share": 1}, {"prop": "pot", "share": 4, "clear_m": 0.6, "clear_fade_m": 0.2}]
    pieces = scattered(on, count=100, props=props)
    assert_all_sit(on)
    bricks = feet({n: p for n, p in pieces.items() if p.prop.key == "brick"})
    pots = feet({n: p for n, p in pieces.items() if p.prop.key == "pot"})
    # In the midst of a turn some more may lie of those that come first.
    assert 0 <= len(bricks) - 20 <= 3
    # From the side of a brick: half of its width in plan, some 8 cm, lies between.
    assert np.linalg.norm(pots[:, None] - bricks[None], axis=2).min() > 0.6


def with_region(on: Dressed, region: Region) -> None:
    on.set = type(on.set)(**{**on.set.__dict__, "regions": {region.key: region}})


@pytest.mark.parametrize("turned_out", [True, False])
def test_keep_outs_and_volumes_to_stay_in(turned_out: bool) -> None:
    mesh = ball(1.5)
    if not turned_out:
        mesh = type(mesh)(mesh.vertices, mesh.faces[:, ::-1])
    bay = Region("bay", "bay", Prop("bay", "bay", mesh), Pose((0.5, 0.0, 0.0)))
    on = dressed()
    with_region(on, bay)
    out = scattered(on, count=150, keep_out=["bay"])
    assert len(out) == 150
    assert min(float(np.linalg.norm(world(p) - bay.pose.origin, axis=1).min()) for p in out.values()) > 1.49
    inside = dressed()
    with_region(inside, bay)
    found = scattered(inside, count=60, only_inside=["bay"])
    assert len(found) > 30
    assert max(float(np.linalg.norm(world(p) - bay.pose.origin, axis=1).max()) for p in found.values()) < 1.5


def test_a_volume_is_marked_out_named_and_wiped_out() -> None:
    on = dressed()
    pose = {"position": [0.5, 0.3, 0.5], "scale": [10.0, 20.0, 12.0]}
    outcome = on.do("mark_out", prop="brick", pose=pose)
    (region,) = on.set.regions.values()
    assert (region.name, outcome.change.words) == ("brick 1", "marked out brick 1")
    assert set(on.set.pieces) == {"ground"}
    pieces = scattered(on, count=80, keep_out=[region.key])
    for laid_piece in pieces.values():
        inside = np.abs(world(laid_piece) - [0.5, 0.3, 0.5]) < [1.0, 0.6, 0.6]
        assert not inside.all(axis=1).any()
    assert on.do("mark_out", prop="brick", pose=pose, name="path").change.words == "marked out path"
    before = on.set
    gone = on.do("wipe_out", regions=[region.key])
    assert [r.name for r in on.set.regions.values()] == ["path"]
    assert gone.change.backwards().on(on.set) == before
    with pytest.raises(MoveRefused, match="no longer there"):
        on.look("wipe_out", regions=[region.key])
    on.props["open"] = Prop("open", "open", yard().prop.mesh)
    with pytest.raises(MoveRefused, match="open is not closed"):
        on.look("mark_out", prop="open", pose=pose)


def test_not_inside_the_kiln() -> None:
    hollow = piece("kiln", box(2.0, 1.0, 2.0), (0.0, 0.3, 0.0), bearer=True)
    pieces = scattered(dressed(hollow), count=120, keep_out=["kiln"])
    assert all((np.abs(world(p)[:, [0, 2]]).max(axis=1) > 1.0 - 1e-9).all() for p in pieces.values())


def test_walls_and_ceilings_by_their_direction() -> None:
    wall = piece("wall", box(4.0, 3.0, 0.2), (0.0, 1.5, 0.0), bearer=True)
    on = Dressed(wall, props=PROPS.values())
    on.do(
        "scatter",
        recipe={**recipe(40, facing="surface", rules={"slope_deg": [80, 100]}, rule={"prop": "brick"}), "on": ["wall"]},
    )
    pieces = laid(on)
    assert len(pieces) == 40
    assert all(abs(p.direction[1]) < 1e-9 for p in pieces.values())
    assert_all_sit(on)
    beam = piece("beam", box(4.0, 0.2, 4.0), (0.0, 2.5, 0.0), bearer=True)
    under = Dressed(beam, props=PROPS.values())
    under.do("scatter", recipe={**recipe(40, facing="up", rule={"side": "top"}), "on": ["beam"]})
    assert len(laid(under)) == 40
    assert all(p.direction == (0.0, 1.0, 0.0) and bounds(p)[1][1] == pytest.approx(2.4) for p in laid(under).values())


def test_several_surfaces_share_by_their_areas() -> None:
    one = piece("one", box(1.0, 0.1, 1.0), (0.0, 0.0, 0.0), bearer=True)
    other = piece("other", box(3.0, 0.1, 1.0), (5.0, 0.0, 0.0), bearer=True)
    on = Dressed(one, other, props=PROPS.values())
    on.do("scatter", recipe={**recipe(80, rule={"prop": "stone", "size": [0.3, 0.3]}), "on": ["one", "other"]})
    assert sum(p.pose.position[0] < 2.0 for p in laid(on).values()) == pytest.approx(20, abs=5)
    assert_all_sit(on)


TABLE = piece("table", box(2.0, 0.05, 1.0), (0.0, 1.0, 0.0), bearer=True)


def from_rim(at: Vec) -> Vec:
    """(n,) metres of points on the table from its rim, in plan."""
    return np.asarray(np.minimum(1.0 - np.abs(at[:, 0]), 0.5 - np.abs(at[:, 2])))


@pytest.mark.parametrize("mirrored", [1.0, -1.0])
def test_near_to_and_far_from_the_edge_of_what_it_lies_on(mirrored: float) -> None:
    table = TABLE.at(Pose.of(np.diag([mirrored, 1.0, 1.0]), TABLE.pose.origin))
    on = Dressed(table, props=PROPS.values())
    close = {"near": [{"edge": True, "within_m": 0.2}]}
    on.do("scatter", recipe=recipe(30, on=["table"], rules=close, rule={"size": [0.3, 0.3]}))
    assert len(laid(on)) == 30
    assert from_rim(feet(laid(on))).max() <= 0.2 + 1e-3
    inner = {"far": [{"edge": True, "beyond_m": 0.2}]}
    (key,) = on.set.recipes
    on.do("scatter", recipe=recipe(30, on=["table"], rules=inner, rule={"size": [0.3, 0.3]}), again=key)
    assert len(laid(on)) == 30
    assert from_rim(feet(laid(on))).min() >= 0.2 - 1e-3


def test_the_edge_of_open_ground_is_its_border_and_not_its_waves() -> None:
    pieces = scattered(dressed(), count=60, rules={"near": [{"edge": True, "within_m": 0.6}]})
    at = feet(pieces)
    assert len(at) == 60
    assert (0.5 * YARD - np.abs(at[:, [0, 2]]).max(axis=1)).max() <= 0.61
    inner = scattered(dressed(), count=200, rules={"far": [{"edge": True, "beyond_m": 0.6}]})
    at = feet(inner)
    assert (0.5 * YARD - np.abs(at[:, [0, 2]]).max(axis=1)).min() >= 0.5
    assert np.hypot(at[:, 0], at[:, 2]).min() < 1.0, "waves of the ground were taken for its edge"


def test_near_to_and_far_from_a_chalked_line() -> None:
    line = [[-3.0, 0.0, -2.0], [0.0, 0.0, -2.0], [0.0, 0.0, 3.0]]

    def away(at: Vec) -> Vec:
        level = np.hypot(np.maximum(np.abs(at[:, 0] + 1.5) - 1.5, 0.0), at[:, 2] + 2.0)
        upright = np.hypot(at[:, 0], np.maximum(np.abs(at[:, 2] - 0.5) - 2.5, 0.0))
        return np.asarray(np.minimum(level, upright))

    near = scattered(dressed(rough=0.0), count=60, rules={"near": [{"line": line, "within_m": 0.5}]})
    assert len(near) == 60
    assert away(feet(near)).max() <= 0.5
    far = scattered(dressed(rough=0.0), count=150, rules={"far": [{"line": line, "beyond_m": 0.5}]})
    assert len(far) == 150
    assert away(feet(far)).min() >= 0.5
    point = scattered(dressed(rough=0.0), count=5, rules={"near": [{"line": [[1.0, 0.0, 1.0]], "within_m": 0.6}]})
    assert np.linalg.norm(feet(point) - [1.0, 0.0, 1.0], axis=1).max() <= 0.6


@pytest.mark.parametrize("said", [{}, {"of": "ground", "edge": True}, {"kind": "pot", "line": [[0, 0, 0]]}])
def test_a_distance_is_from_one_thing(said: dict[str, Any]) -> None:
    with pytest.raises(BadRecipe, match=r"rules\.far\.0: give"):
        parse_recipe(recipe(5, rules={"far": [{"beyond_m": 0.5, **said}]}))


def test_only_where_the_model_is_painted() -> None:
    ground = yard(0.0)
    corners = ground.prop.mesh.vertices[ground.prop.mesh.faces]
    # Red grows from left to right; green is a patch, sharp but for the triangles at its border.
    colours = np.zeros_like(corners)
    colours[..., 0] = corners[..., 0] / YARD + 0.5
    colours[..., 1] = np.hypot(corners[..., 0] - 2.0, corners[..., 2]) < 1.0

    def painted(prop: Prop) -> Painting:
        assert prop.key == ground.prop.key
        return Painting(corners, colours)

    facts = PropFacts(painted=painted)

    def where(**rule: Any) -> Vec:
        on = dressed(rough=0.0)
        on.do("scatter", facts=facts, recipe=recipe(200, rules={"paint": [rule]}, rule={"size": [0.5, 0.5]}))
        assert len(laid(on)) == 200
        return feet(laid(on))

    patch = where(channel="green", on="ground")
    assert np.hypot(patch[:, 0] - 2.0, patch[:, 2]).max() < 1.3
    right = where(channel="red")
    # The density grows evenly: two thirds across on average.
    assert (right[:, 0] / YARD + 0.5).mean() == pytest.approx(2.0 / 3.0, abs=0.03)
    left = where(channel="red", reverse=True)
    assert (left[:, 0] / YARD + 0.5).mean() == pytest.approx(1.0 / 3.0, abs=0.03)
    with pytest.raises(MoveRefused, match=r"rules\.paint: the model of ground has no vertex colours"):
        dressed().do("scatter", recipe=recipe(5, rules={"paint": [{"channel": "red"}]}))
    # Said of no surface by name, it counts where there are colours.
    on = Dressed(ground, TABLE.at(Pose((6.0, 1.0, 0.0))), props=PROPS.values())
    both = recipe(60, on=["ground", "table"], rules={"paint": [{"channel": "green"}]}, rule={"size": [0.3, 0.3]})
    on.do("scatter", facts=PropFacts(painted=lambda prop: painted(prop) if prop == ground.prop else None), recipe=both)
    at = feet(laid(on))
    assert {bool(x) for x in at[:, 0] > 4.5} == {True, False}
    assert np.hypot(at[at[:, 0] < 4.5, 0] - 2.0, at[at[:, 0] < 4.5, 2]).max() < 1.3
    # A rule of another surface says nothing of this one.
    assert len(scattered(dressed(), count=5, rules={"paint": [{"on": "elsewhere"}]})) == 5


def test_a_density_lays_so_many_a_square_metre() -> None:
    on = dressed(rough=0.0)
    on.do("scatter", recipe={**recipe(), "count": None, "density_per_m2": 2.0})
    assert len(laid(on)) == pytest.approx(2.0 * YARD**2, rel=0.05)


def test_what_is_taken_out_and_nudged_stays_so() -> None:
    on = dressed()
    first = scattered(on, count=80)
    key = next(iter(on.set.recipes))
    out, moved, free = sorted(first)[3], sorted(first)[5], sorted(first)[7]
    on.do("remove", pieces=[first[out].key])
    on.do("carry", pieces=[first[moved].key], by=[0.02, 0.3, 0.0])
    on.do("release", pieces=[first[free].key])
    assert on.set.recipes[key].taken_out == tuple(sorted((out, free)))
    assert [n for n, _ in on.set.recipes[key].nudged] == [moved]
    again = recipe_of(on.set.recipes[key])
    on.do("scatter", recipe=recipe_json(again), again=key)
    assert laid(on) == {**{n: p for n, p in first.items() if n not in (out, free)}, moved: on.piece(first[moved].key)}
    assert on.piece(first[free].key).recipe == ""
    # More of them, and another rule: what is out stays out, and nothing lies where it lay.
    on.do("scatter", recipe={**recipe_json(again), "count": 120, "rules": {"height_m": [-0.2, None]}}, again=key)
    assert out not in laid(on)
    assert laid(on)[moved].pose == on.piece(first[moved].key).pose
    assert float(np.linalg.norm(feet(laid(on)) - feet({0: first[out]}), axis=1).min()) > 0.05


def test_a_swapped_piece_stays_swapped() -> None:
    on = dressed()
    first = scattered(on, count=30)
    key, number = next(iter(on.set.recipes)), min(first)
    on.do("swap", pieces=[first[number].key], prop="stone")
    on.do("scatter", recipe=recipe_json(recipe_of(on.set.recipes[key])), again=key)
    assert laid(on)[number].prop.key == "stone"


def test_a_spiked_piece_is_never_moved_and_what_is_changed_by_hand_stays() -> None:
    on = dressed()
    first = scattered(on, count=40)
    key = next(iter(on.set.recipes))
    spiked, renamed = sorted(first)[1], sorted(first)[2]
    on.do("spike", pieces=[first[spiked].key], spiked=True)
    on.do("rename", piece=first[renamed].key, name="the old pot")
    # Even a recipe that knows nothing of it leaves it, and lays all others anew.
    for asked in (recipe(40, seed=9), recipe(40, rules={"height_m": [5, 6]})):
        again = on.look("scatter", recipe=asked, again=key).change.on(on.set)
        assert again.pieces[first[spiked].key] == on.piece(first[spiked].key)
    on.do("scatter", recipe=recipe_json(recipe_of(on.set.recipes[key])), again=key)
    assert (laid(on)[spiked].spiked, laid(on)[renamed].name) == (True, "the old pot")
    assert {n: p.pose for n, p in laid(on).items()} == {n: p.pose for n, p in first.items()}


@pytest.mark.parametrize(("count", "shares"), [(25, [1, 1]), (100, [1, 1, 1]), (7, [2, 1, 1])])
def test_parts_of_a_count_make_the_whole(count: int, shares: list[int]) -> None:
    on = dressed()
    kinds = ["brick", "pot", "stone"]
    props = [
        {"prop": kind, "share": share, "size": [0.5, 0.5], **({"clear_m": 0.0} if k else {})}
        for k, (kind, share) in enumerate(zip(kinds, shares, strict=False))
    ]
    assert on.do("scatter", recipe=recipe(count, props=props)).counts["laid"] == count


def test_a_cluster_seats_a_share_and_the_outcome_is_the_same(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(laying, "POOLED_FROM", 50)
    rule = {"lean": 0.5, "size": [0.6, 1.2]}
    here = scattered(dressed(), count=120, rule=rule)
    distributed = pytest.importorskip("distributed")
    opened: list[Executor] = []

    @contextmanager
    def pool() -> Iterator[Executor]:
        with executor(cluster=cluster.scheduler_address) as found:
            opened.append(found)
            yield found

    def stop(done: int, total: int) -> bool:
        return False

    with distributed.LocalCluster(
        n_workers=1, threads_per_worker=1, processes=False, dashboard_address=None
    ) as cluster:
        on = dressed()
        on.do("scatter", pool=pool, recipe=recipe(120, rule=rule))
        assert opened
        assert {n: p.pose for n, p in laid(on).items()} == {n: p.pose for n, p in here.items()}
        with pytest.raises(MoveRefused, match="stopped"):
            dressed().do("scatter", pool=pool, budget=Budget(on_progress=stop), recipe=recipe(120, seed=8))
    away = cluster_of({"BRICKSEAT_CLUSTER": "tcp://127.0.0.1:1"})
    assert cluster_of({}) is None
    monkeypatch.setattr(executing, "CLUSTER_SECONDS", 0.5)
    with pytest.raises(MoveRefused, match="no cluster answers"):
        dressed().do("scatter", pool=away, recipe=recipe(120))


def test_laying_is_given_up_while_points_are_looked_for() -> None:
    on = dressed()
    progress: list[int] = []

    def stop(done: int, total: int) -> bool:
        progress.append(done)
        return len(progress) < 3

    with pytest.raises(Stopped):
        dots_of(Places(on.set, on.index.fork(), budget=Budget(on_progress=stop)), parse_recipe(recipe(4000, seed=77)))
    assert len(progress) == 3


def test_laying_again_keeps_keys_and_undo_takes_it_back() -> None:
    on = dressed()
    before = on.set
    outcome = on.do("scatter", recipe=recipe(30))
    after = on.set
    key = next(iter(on.set.recipes))
    again = on.look("scatter", recipe=recipe(30), again=key)
    assert again.change.deltas == ()
    on.take(outcome.change.backwards())
    assert on.set == before
    on.take(outcome.change)
    assert on.set == after


def test_clearing_takes_all_or_only_the_recipe() -> None:
    on = dressed()
    scattered(on, count=20)
    key = next(iter(on.set.recipes))
    kept = on.look("clear", recipe=key, keep=True).change.on(on.set)
    assert len(kept.pieces) == 21
    assert not any(p.recipe for p in kept.pieces.values())
    assert not kept.recipes
    on.do("clear", recipe=key)
    assert set(on.set.pieces) == {"ground"}


def test_a_record_keeps_all_of_a_recipe() -> None:
    whole = parse_recipe(
        {
            **recipe(20, rules={"slope_deg": [0, 20], "near": [{"of": "kiln", "within_m": 2}]}),
            "exceptions": {"taken_out": [4, 2], "nudged": {"7": {"position": [1, 2, 3]}}},
        }
    )
    again = recipe_of(record_of("r", "a recipe", whole))
    assert recipe_json(again)["rules"] == recipe_json(whole)["rules"]
    assert again.exceptions.taken_out == (2, 4)
    assert again.exceptions.nudged[7].position == (1.0, 2.0, 3.0)
    assert (again.seed, again.count, again.props) == (whole.seed, whole.count, whole.props)


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"count": None}, "count: say how many"),
        ({"density_per_m2": 3}, "and not both"),
        ({"props": []}, "props"),
        ({"props": [{"prop": "pot", "piece": "x"}]}, r"props\.0: name a prop, a piece or a file"),
        ({"props": [{"prop": "pot", "size": [2, 1]}]}, r"props\.0\.size: 2 is more than 1"),
        ({"rules": {"slope_deg": [30, 10]}}, r"rules\.slope_deg: 30 is more than 10"),
        ({"rules": {"near": [{"within_m": 1}]}}, r"rules\.near\.0"),
        ({"pattern": "spiral"}, "pattern"),
        ({"props": [{"prop": "pot", "gather_m": 1}]}, "one of them at least lies without others"),
        ({"on": ["nowhere"]}, "there is no piece 'nowhere'"),
        ({"keep_out": ["ground"]}, "is not closed"),
        ({"rules": {"far": [{"of": "path", "beyond_m": 1}]}}, "there is no piece and no region 'path'"),
    ],
)
def test_a_bad_recipe_is_refused_in_words(wrong: dict[str, Any], said: str) -> None:
    with pytest.raises((MoveRefused, BadRecipe), match=said):
        dressed().look("scatter", recipe={**recipe(), **wrong})


def test_ground_where_nothing_may_lie_is_shown() -> None:
    on = dressed(KILN, rough=0.0)
    ground = {
        "far": [{"of": "kiln", "beyond_m": 1.0}],
        "area": {"at": [0, 0, 0], "across_m": 6, "along_m": 6, "round": False},
    }
    dots = dots_of(Places(on.set, on.index), parse_recipe(recipe(10, rules=ground)))
    x, z = np.abs(dots.barred[:, 0]), np.abs(dots.barred[:, 2])
    outside = (x > 3.0) | (z > 3.0)
    close = np.hypot(np.maximum(x - 0.5, 0.0), np.maximum(z - 0.5, 0.0)) <= 1.0 + 1e-9
    assert (outside | close).all()
    # Evenly over all of it: of 64 square metres, 28 are outside and some 8 close.
    assert outside.sum() * dots.apart**2 == pytest.approx(28.0, rel=0.1)
    assert (close & ~outside).sum() * dots.apart**2 == pytest.approx(1.0 + 4.0 + np.pi, rel=0.2)
    plain = dots_of(Places(on.set, on.index), parse_recipe(recipe(10)))
    assert len(plain.barred) == 0


def test_dots_show_where_it_will_lie() -> None:
    on = dressed()
    data = recipe(60, no_overlap="elbow", rule={"elbow_room_m": 0.2})
    dots, wanted, _, _ = dots_of(Places(on.set, on.index.fork()), parse_recipe(data))
    pieces = scattered(
        on, **{k: v for k, v in data.items() if k not in ("props", "on", "seed")}, rule={"elbow_room_m": 0.2}
    )
    assert wanted == 60
    away = np.linalg.norm(feet(pieces)[:, None, [0, 2]] - dots[None][:, :, [0, 2]], axis=2).min(axis=1)
    assert away.max() < 1e-9
