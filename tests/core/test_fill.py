"""Fill: what is placed in a bay sits, lies wholly inside, is as much as goes in, and is the same every time."""

from collections import Counter
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from bays import PLACE, PROPS, compartment, prism, shelf, shell, vault
from brickseat_core.budget import Budget, Stopped
from brickseat_core.contact.index import SceneIndex
from brickseat_core.executing import executor, run_all
from brickseat_core.fit.check import check
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.moves import MoveRefused
from brickseat_core.proposals.fill.bay import GROWN, bay_of, grown
from brickseat_core.proposals.fill.filling import Filled, Filling
from brickseat_core.proposals.fill.trials import FillTrial, fill_trials, run_fill_trial
from brickseat_core.recipes.fill_records import fill_of, fill_record
from brickseat_core.recipes.fill_schema import fill_json, parse_fill
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.scene import Change, Delta, Piece, Pose, Prop, Region, rotation_about
from dressing import Dressed
from shapes import ball, bounds, box, piece, world

EXACT = 1e-5
"""Metres of gap, depth, and standing out of the bay that a placed piece may have."""


def dressed(bearers: list[Piece], bay: Mesh, pose: Pose = PLACE) -> Dressed:
    """A set with one bay on it, of the key ``bay``."""
    on = Dressed(*bearers, props=PROPS.values())
    region = Region("bay", "niche", Prop("bay shape", "bay shape", bay), pose)
    on.take(Change("marked out", (Delta("region", "bay", None, region),)))
    return on


def recipe(*props: str | dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"bay": "bay", "props": [{"prop": p} if isinstance(p, str) else p for p in props], **more}


def placed(on: Dressed) -> dict[int, Piece]:
    return {p.number: p for p in on.set.pieces.values() if p.number is not None}


def filled(on: Dressed, *props: str | dict[str, Any], **more: Any) -> dict[int, Piece]:
    on.do("fill", recipe=recipe(*props, **more))
    return placed(on)


def assert_all_sit_inside(on: Dressed, bay: Mesh, pose: Pose = PLACE) -> None:
    """``bay``: a convex one, by the planes of its hull."""
    planes = ConvexHull(pose.apply(bay.vertices)).equations
    for fit in check(on.index, on.set.tolerance).values():
        assert fit.state == "seated", fit.reason
        assert fit.gap is not None
        assert fit.gap < EXACT
        assert fit.depth < EXACT
        out = world(on.piece(fit.key)) @ planes[:, :3].T + planes[:, 3]
        assert out.max() < EXACT, fit.key


@pytest.mark.parametrize("degrees", [0.0, 33.0, 90.0])
def test_a_bay_of_just_so_many_bricks_is_full(degrees: float) -> None:
    bay = compartment(0.8, 0.24, 0.4, degrees)
    on = dressed(shelf(0.8, 0.24, 0.4, degrees), bay)
    outcome = on.do("fill", recipe=recipe("brick"))
    assert outcome.counts == {"laid": 64, "percent": 100}
    assert_all_sit_inside(on, bay)


@pytest.mark.parametrize(("across", "along"), [(4.0, 0.0), (0.0, -12.0), (15.0, 0.0), (5.0, 6.0)])
def test_what_is_in_a_tilted_crate_lies_as_it_does(across: float, along: float) -> None:
    bay = compartment(0.6, 0.3, 0.4)
    x, z = np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0])
    tilt = rotation_about(z, np.radians(across)) @ rotation_about(x, np.radians(along))
    pose = Pose.of(tilt @ rotation_about(np.array([0.0, 1.0, 0.0]), 0.4), np.array([0.3, 0.5, 0.1]))
    on = dressed([board.at(pose) for board in shelf(0.6, 0.3, 0.4)], bay, pose)
    pieces = filled(on, "brick")
    assert_all_sit_inside(on, bay, pose)
    assert len(pieces) == 60
    for p in pieces.values():
        own = pose.linear.T @ p.pose.linear
        assert np.allclose(own, np.round(own), atol=1e-9)
    level = filled(
        dressed([board.at(pose) for board in shelf(0.6, 0.3, 0.4)], bay, pose), "pot", square_to="world", count=5
    )
    assert all(bounds(p)[0][1] > 0.3 for p in level.values())


def test_square_to_the_world_stands_straight_in_a_turned_bay() -> None:
    bay = compartment(0.8, 0.3, 0.5, 20.0)
    on = dressed(shelf(0.8, 0.3, 0.5, 20.0), bay)
    pieces = filled(on, "brick", square_to="world")
    assert len(pieces) > 10
    assert_all_sit_inside(on, bay)
    for p in pieces.values():
        assert np.allclose(np.abs(p.pose.linear), np.abs(np.round(p.pose.linear)), atol=1e-12)
    square = dressed(shelf(0.8, 0.3, 0.5, 20.0), bay)
    turned = rotation_about(np.array([0.0, 1.0, 0.0]), np.radians(20.0))
    for p in filled(square, "brick").values():
        own = turned.T @ p.pose.linear
        assert np.allclose(own, np.round(own), atol=1e-9)


@pytest.mark.parametrize(
    ("props", "least"),
    [
        (["pot"], 20),
        (["bowl"], 60),
        ([{"prop": "brick", "sides": "any"}, "crate"], 30),
        (["pot", "bowl", {"prop": "tile", "share": 2}], 45),
        (
            [
                {"prop": "pot", "size": [0.7, 1.1], "turn_step_deg": 0},
                {"prop": "bowl", "size": [0.8, 1.0], "size_step": 0.1},
            ],
            40,
        ),
    ],
)
def test_whatever_fills_a_shelf_sits_inside_it(props: list[Any], least: int) -> None:
    bay = compartment(0.7, 0.36, 0.3)
    on = dressed(shelf(0.7, 0.36, 0.3), bay)
    assert len(filled(on, *props)) >= least
    assert_all_sit_inside(on, bay)


def test_under_an_arch() -> None:
    bay = vault(0.6, 0.5, 0.4)
    on = dressed(shell(bay), bay)
    pieces = filled(on, "pot", {"prop": "tile", "turn_step_deg": 90})
    assert len(pieces) > 60
    assert_all_sit_inside(on, bay)
    # The arch is used: something stands higher than its springing.
    assert max(bounds(p)[1][1] for p in pieces.values()) > 0.3


def test_a_room_of_the_shape_of_the_bay_is_no_box_in_it() -> None:
    bay = compartment(0.8, 0.24, 0.4)
    # What touches the ceiling of a room without walls of its own is said to be in it: it is a little higher.
    higher = Mesh(bay.vertices * [1.0, 1.001, 1.0], bay.faces)
    on = dressed(shell(higher), bay)
    assert len(filled(on, "brick")) == 64
    assert_all_sit_inside(on, bay)


def test_a_bay_with_several_free_spans_over_one_point() -> None:
    xs, ys = [0.0, 0.24, 0.7], [0.0, 0.2, 0.25, 0.45]
    bay = prism(xs, ys, {(0, 0), (1, 0), (0, 1), (0, 2), (1, 2)}, 0.4)
    assert bay.health.closed
    assert not bay.health.inward
    floor = piece("floor", box(2, 0.1, 2), (0.0, -0.05, 0.0), bearer=True)
    board = piece("board", box(0.46, 0.05, 0.4), (0.47, 0.225, 0.0), bearer=True)
    on = dressed([floor, board], bay)
    pieces = filled(on, "brick")
    boxes = [bounds(p) for p in pieces.values()]
    assert {p.state for p in check(on.index).values()} == {"seated"}
    for lo, hi in boxes:
        assert (lo >= np.array([0.0, 0.0, -0.2]) - EXACT).all()
        assert (hi <= np.array([0.7, 0.45, 0.2]) + EXACT).all()
        # Not in the notch where the board is.
        assert hi[0] <= 0.24 + EXACT or hi[1] <= 0.2 + EXACT or lo[1] >= 0.25 - EXACT
    right = [lo[1] for lo, _ in boxes if lo[0] >= 0.23]
    assert sum(y < 0.2 for y in right) > 15
    assert sum(y >= 0.25 - EXACT for y in right) > 15
    # The open column on the left is stacked through.
    assert max(hi[1] for lo, hi in boxes if hi[0] <= 0.24 + EXACT) > 0.4


def test_stones_are_laid_to_rest() -> None:
    bay = compartment(0.4, 0.2, 0.3)
    on = dressed(shelf(0.4, 0.2, 0.3), bay)
    pieces = filled(on, {"prop": "stone", "turn_step_deg": 30}, count=14)
    assert len(pieces) == 14
    assert_all_sit_inside(on, bay)


def test_bowls_nest_where_they_may() -> None:
    bay = compartment(0.16, 0.3, 0.16)
    nested = filled(dressed(shelf(0.16, 0.3, 0.16), bay), "bowl")
    feet = sorted(p.pose.position[1] for p in nested.values())
    assert len(nested) > 8
    # One bowl is 5 cm high.
    assert max(np.diff(feet)) < 0.03
    apart = dressed(shelf(0.16, 0.3, 0.16), bay)
    pieces = filled(apart, {"prop": "bowl", "nest": False}, {"prop": "tile", "nest": False})
    assert_all_sit_inside(apart, bay)
    for p in pieces.values():
        over = [q for q in pieces.values() if bounds(q)[0][1] < bounds(p)[0][1]]
        assert all(bounds(q)[1][1] <= bounds(p)[0][1] + 0.25 * 0.05 for q in over)


@pytest.mark.parametrize(
    ("across", "up", "along", "count"),
    [
        (
            1.0,
            0.2,
            1.0,
            68,
        ),  # nine rows of eight and seven in the gaps of each other, where eight by eight go in straight
        (0.84, 0.4, 1.5, 182),
        (1.0, 0.2, 0.5, 32),  # eight by four straight, 30 in the gaps
        (0.25, 0.2, 0.5, 8),
    ],
)
def test_round_tins_stand_in_the_rows_that_hold_most(across: float, up: float, along: float, count: int) -> None:
    bay = compartment(across, up, along, 20.0)
    on = dressed(shelf(across, up, along, 20.0), bay)
    pieces = filled(on, "tin")
    assert len(pieces) == count
    assert_all_sit_inside(on, bay)
    # Layer by layer, and the first one is numbered first.
    heights = [pieces[number].pose.position[1] for number in sorted(pieces)]
    assert heights == pytest.approx(sorted(heights), abs=1e-6)


def test_rows_in_the_gaps_begin_at_the_front_where_that_comes_first() -> None:
    bay = compartment(1.0, 0.25, 1.0)
    on = dressed(shelf(1.0, 0.25, 1.0), bay)
    pieces = filled(on, "tin", first_row="front", front_room_m=0.05)
    assert_all_sit_inside(on, bay)
    assert len(pieces) >= 60
    z = [pieces[number].pose.position[2] for number in sorted(pieces)]
    assert z[0] == max(z)
    assert z[0] == pytest.approx(0.5 - 0.05 - 0.06, abs=EXACT)


def highest_stack(on: Dressed) -> int:
    """How many stand on each other at most. What only leans on others may stand on the floor."""
    feet = {p.key: bounds(p)[0][1] for p in placed(on).values()}

    def level(key: str) -> int:
        return 1 + max((level(k) for k in on.fit(key).rests_on if k in feet and feet[k] < feet[key] - 1e-6), default=0)

    return max(map(level, feet))


def test_no_more_are_stacked_than_may_be() -> None:
    bay = compartment(0.5, 0.4, 0.3)
    on = dressed(shelf(0.5, 0.4, 0.3), bay)
    props: list[Any] = ["bowl", {"prop": "brick", "sides": "any"}]
    filled(on, *props, most_stacked=2)
    assert_all_sit_inside(on, bay)
    assert highest_stack(on) == 2
    # What stays when it is filled again counts as it stands.
    (record,) = on.set.recipes.values()
    on.do("fill", recipe=recipe(*props, most_stacked=3), again=record.key, keep=True)
    assert_all_sit_inside(on, bay)
    assert highest_stack(on) == 3


def test_what_stands_in_the_bay_already_stays_free() -> None:
    bay = compartment(0.8, 0.3, 0.4)
    block = piece("block", box(0.3, 0.2, 0.2), (0.1, 0.1, 0.0))
    on = dressed([*shelf(0.8, 0.3, 0.4), block], bay)
    before = on.piece("block")
    assert len(filled(on, "brick")) > 30
    assert on.piece("block") == before
    assert_all_sit_inside(on, bay)


def test_a_bay_that_reaches_into_its_shelf_and_out_of_it() -> None:
    bay = compartment(0.9, 0.5, 0.5)
    lower = Pose((0.0, -0.05, 0.0))
    on = dressed(shelf(0.8, 0.3, 0.4), bay, lower)
    pieces = filled(on, "brick")
    assert len(pieces) >= 64
    assert_all_sit_inside(on, bay, lower)


def test_nothing_rests_on_the_bay_itself() -> None:
    bay = compartment(0.5, 0.3, 0.4)
    on = dressed([piece("floor", box(4, 1, 4), (0.0, -0.55, 0.0), bearer=True)], bay)
    outcome = on.do("fill", recipe=recipe("brick", count=5))
    assert outcome.counts["laid"] == 0
    assert outcome.counts["not_borne"] == 5
    assert "rest on nothing but the bay" in outcome.change.words


def test_shares_and_counts() -> None:
    bay = compartment(0.8, 0.4, 0.4)
    on = dressed(shelf(0.8, 0.4, 0.4), bay)
    pieces = filled(on, {"prop": "brick", "share": 3}, "tile", count=40)
    assert Counter(p.prop.key for p in pieces.values()) == {"brick": 30, "tile": 10}
    other = dressed(shelf(0.8, 0.4, 0.4), bay)
    pieces = filled(other, {"prop": "brick", "count": 7}, {"prop": "pot", "count": 4})
    assert Counter(p.prop.key for p in pieces.values()) == {"brick": 7, "pot": 4}
    small = dressed(shelf(0.45, 0.13, 0.2), compartment(0.45, 0.13, 0.2))
    outcome = small.do("fill", recipe=recipe({"prop": "brick", "count": 20}, {"prop": "crate", "count": 1}))
    assert outcome.counts == {"laid": 8, "wanted": 21, "percent": 82, "no_room": 13}
    assert outcome.change.words == "filled niche: placed 8 of 21 (13 found no room), 82 % of the bay"


def test_sizes_and_turns_are_those_that_are_allowed() -> None:
    bay = compartment(0.8, 0.4, 0.4)
    on = dressed(shelf(0.8, 0.4, 0.4), bay)
    rule = {"prop": "brick", "size": [0.5, 1.0], "size_step": 0.25, "turn_step_deg": 45}
    pieces = filled(on, rule, rough=0.0)
    sizes = Counter(round(abs(p.pose.scale[0]), 9) for p in pieces.values())
    assert set(sizes) == {0.5, 0.75, 1.0}
    for p in pieces.values():
        turn = np.degrees(np.arctan2(p.pose.linear[0, 2], p.pose.linear[0, 0]))
        assert abs(turn / 45.0 - round(turn / 45.0)) < 1e-9


def test_room_at_the_front_and_the_first_row() -> None:
    bay = compartment(0.8, 0.2, 0.4)
    on = dressed(shelf(0.8, 0.2, 0.4), bay)
    pieces = filled(on, "brick", front_room_m=0.15)
    assert len(pieces) > 10
    assert max(bounds(p)[1][2] for p in pieces.values()) <= 0.05 + EXACT
    firsts = {}
    for row in ("back", "front"):
        one = filled(dressed(shelf(0.8, 0.2, 0.4), bay), "pot", count=4, first_row=row)
        firsts[row] = np.mean([p.pose.position[2] for p in one.values()])
    assert firsts["back"] < -0.1
    assert firsts["front"] > 0.0


def test_only_where_a_hand_can_bring_it() -> None:
    """A jar's room behind a post that stands across the opening is out of reach; without the post it is not."""
    bay = compartment(0.3, 0.2, 0.4)
    post = piece("post", box(0.24, 0.2, 0.03), (0.0, 0.1, 0.15), bearer=True)
    counts = {}
    for name, standing in (("open", []), ("closed", [post])):
        on = dressed([*shelf(0.3, 0.2, 0.4), *standing], bay)
        counts[name] = len(filled(on, "pot", by_hand=True))
        assert_all_sit_inside(on, bay)
        if name == "closed":
            outcome = on.look("fill", recipe=recipe("pot", by_hand=True, count=3))
            assert outcome.counts["out_of_reach"] == 3
            assert outcome.change.words.endswith("(3 could not be carried in), 0 % of the bay")
            assert len(filled(on, "pot")) >= 4
    assert counts["open"] >= 4
    assert counts["closed"] == 0


def test_rough_is_not_square_and_still_exact() -> None:
    bay = compartment(0.8, 0.4, 0.5)
    on = dressed(shelf(0.8, 0.4, 0.5), bay)
    pieces = filled(on, {"prop": "brick", "sides": "any"}, rough=1.0, count=40)
    assert_all_sit_inside(on, bay)
    askew = [p for p in pieces.values() if np.abs(p.pose.linear - np.round(p.pose.linear)).max() > 1e-3]
    assert len(askew) > 10


def test_the_front_is_the_open_side() -> None:
    for degrees, front in ((0.0, [0, 0, 1]), (90.0, [1, 0, 0]), (180.0, [0, 0, -1]), (-90.0, [-1, 0, 0])):
        index = SceneIndex(shelf(0.6, 0.3, 0.4, degrees))
        bay = bay_of(compartment(0.6, 0.3, 0.4, degrees), PLACE, index, True)
        assert np.allclose(bay.turn @ bay.front, front, atol=1e-9)


def test_walls_grow_by_the_same_all_round() -> None:
    for mesh in (compartment(0.5, 0.4, 0.3, 25.0), vault(0.6, 0.5, 0.4)):
        wider = Mesh(grown(mesh, 0.01), mesh.faces)
        planes = ConvexHull(mesh.vertices).equations
        assert np.allclose((wider.vertices @ planes[:, :3].T + planes[:, 3]).max(axis=0), 0.01, atol=1e-9)
    assert 1e-6 < GROWN < EXACT


def test_the_same_recipe_gives_the_same_pieces_and_another_seed_others() -> None:
    bay = compartment(0.6, 0.3, 0.3)
    props: list[Any] = ["pot", "bowl", {"prop": "brick", "sides": "any", "turn_step_deg": 45}]
    found = []
    for seed in (1, 1, 2):
        on = dressed(shelf(0.6, 0.3, 0.3), bay)
        found.append(filled(on, *props, seed=seed, rough=0.4))
    assert found[0] == found[1]
    assert {p.pose for p in found[0].values()} != {p.pose for p in found[2].values()}


def test_taken_out_stays_free_and_what_is_nudged_stays() -> None:
    bay = compartment(0.8, 0.2, 0.4)
    on = dressed(shelf(0.8, 0.2, 0.4), bay)
    first = filled(on, "brick")
    (record,) = on.set.recipes.values()
    taken = first[2]
    on.do("remove", pieces=[taken.key])
    on.do("slide", pieces=[first[5].key], by=[0.0, 0.0, 0.0])
    assert on.set.recipes[record.key].taken_out == (2,)
    again = fill_json(fill_of(on.set.recipes[record.key]))
    on.do("fill", recipe=again, again=record.key)
    second = placed(on)
    assert 2 not in second
    lo, hi = bounds(taken)
    for p in second.values():
        other_lo, other_hi = bounds(p)
        assert ((other_hi <= lo + 1e-6) | (other_lo >= hi - 1e-6)).any(), p.name
    assert_all_sit_inside(on, bay)


def test_filled_again_what_can_stay_stays() -> None:
    bay = compartment(0.8, 0.3, 0.4)
    on = dressed(shelf(0.8, 0.3, 0.4), bay)
    first = filled(on, "brick", "tile", count=30)
    (record,) = on.set.recipes.values()
    base = on.set
    on.do("fill", recipe=recipe("brick", "tile", "pot", count=50), again=record.key, keep=True)
    second = placed(on)
    assert len(second) == 50
    assert all(second[n] == p for n, p in first.items())
    assert_all_sit_inside(on, bay)
    # Without its bricks, what stood on them goes, and all that comes stands.
    outcome = on.do("fill", recipe=recipe("tile", "pot", count=50), again=record.key, keep=True)
    third = placed(on)
    assert {p.prop.key for p in third.values()} == {"tile", "pot"}
    assert_all_sit_inside(on, bay)
    back = outcome.change.backwards().on(on.set)
    assert placed_in(back) == second
    assert set(base.recipes) == set(on.set.recipes) == {record.key}


def placed_in(found: Any) -> dict[int, Piece]:
    return {p.number: p for p in found.pieces.values() if p.number is not None}


def test_it_can_be_stopped_and_shows_each_piece() -> None:
    bay = compartment(0.8, 0.3, 0.4)
    on = dressed(shelf(0.8, 0.3, 0.4), bay)
    shown: list[Piece] = []

    def run(**more: Any) -> Filled:
        shown.clear()
        budget = Budget(on_part=shown.append, **more)
        places = Places(on.set, on.index.fork())
        rules = parse_fill(recipe("brick"))
        return Filling(places, rules, [PROPS["brick"]], "r", str, lambda p, n: f"{p.name} {n}", 5e-4, budget).run()

    whole = run()
    assert shown == list(whole.pieces.values())
    with pytest.raises(Stopped):
        run(on_progress=lambda done, total: done < 10)
    assert len(shown) == 10
    part = run(enough=lambda: len(shown) >= 12)
    assert part.pieces == {n: whole.pieces[n] for n in range(1, 13)}


def test_a_trial_in_another_process_and_on_a_cluster_gives_the_same_pieces() -> None:
    bay = compartment(0.6, 0.3, 0.3)
    on = dressed(shelf(0.6, 0.3, 0.3), bay)
    rules = parse_fill(recipe({"prop": "brick", "sides": "any"}, "pot", seed=3, rough=0.3))
    trial = FillTrial(tuple(on.set.pieces.values()), on.set.regions["bay"], rules, (PROPS["brick"], PROPS["pot"]), 5e-4)
    trials = fill_trials(trial, 3)
    assert [t.recipe.seed for t in trials] == [3, 4, 5]
    here = run_fill_trial(trials[1])
    with executor(2) as pool:
        there = dict(run_all(run_fill_trial, trials, pool))
    assert {n: p.pose for n, p in there[1].pieces.items()} == {n: p.pose for n, p in here.pieces.items()}
    distributed = pytest.importorskip("distributed")
    with (
        distributed.LocalCluster(n_workers=1, threads_per_worker=1, processes=False, dashboard_address=None) as cluster,
        executor(cluster=cluster.scheduler_address) as pool,
    ):
        away = dict(run_all(run_fill_trial, trials, pool))
    assert all(
        {n: p.pose for n, p in away[k].pieces.items()} == {n: p.pose for n, p in there[k].pieces.items()} for k in there
    )
    made = filled(on, {"prop": "brick", "sides": "any"}, "pot", seed=4, rough=0.3)
    assert {n: p.pose for n, p in made.items()} == {n: p.pose for n, p in here.pieces.items()}
    assert {p.pose for p in there[0].pieces.values()} != {p.pose for p in here.pieces.values()}


@pytest.mark.parametrize(
    ("data", "match"),
    [
        ([], "a recipe is an object"),
        ({"bay": "bay", "props": []}, "props: .*at least 1"),
        ({"bay": "bay", "props": [{"prop": "brick", "file": "brick.glb"}]}, "only one of them"),
        ({"bay": "bay", "props": [{"prop": "brick", "size": [2, 1]}]}, "size: 2 is more than 1"),
        ({"bay": "bay", "props": [{"prop": "brick"}], "rough": 2}, "rough: .*less than or equal to 1"),
    ],
)
def test_a_recipe_that_cannot_be_read_says_where(data: Any, match: str) -> None:
    with pytest.raises(BadRecipe, match=match):
        parse_fill(data)


def test_what_is_no_bay_is_refused() -> None:
    on = dressed(shelf(0.8, 0.3, 0.4), compartment(0.8, 0.3, 0.4))
    for name in ("floor", "nowhere"):
        with pytest.raises(MoveRefused, match=f"no region '{name}'"):
            on.look("fill", recipe={**recipe("brick"), "bay": name})
    with pytest.raises(MoveRefused, match="no longer there"):
        on.look("fill", recipe=recipe("brick"), again="gone")


def test_a_recipe_is_kept_as_a_record() -> None:
    rules = parse_fill(
        recipe({"prop": "brick", "sides": "any"}, "pot", rough=0.3, seed=9, exceptions={"taken_out": [4, 2]})
    )
    record = fill_record("r", "bricks", rules)
    assert (record.recipe, record.seed, record.taken_out) == ("fill", 9, (2, 4))
    assert fill_json(fill_of(record)) == {**fill_json(rules), "exceptions": {"taken_out": [2, 4]}}


@st.composite
def convex_bays(draw: Any) -> Mesh:
    """A convex hull of points in and about a box, which stands on height 0."""
    seed = draw(st.integers(0, 10_000))
    points = np.random.default_rng(seed).uniform(-1.0, 1.0, (draw(st.integers(6, 14)), 3)) * [0.4, 0.25, 0.35]
    hull = ConvexHull(points)
    faces = hull.simplices.copy()
    corners = points[faces]
    outward = np.einsum(
        "ij,ij->i", np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), hull.equations[:, :3]
    )
    faces[outward < 0] = faces[outward < 0][:, ::-1]
    return Mesh(points - [0.0, points[:, 1].min(), 0.0], faces.astype(np.int32))


@settings(max_examples=12, deadline=None)
@given(
    convex_bays(),
    st.lists(st.sampled_from(["brick", "tile", "pot", "bowl", "stone"]), min_size=1, max_size=3, unique=True),
    st.floats(0.3, 0.8),
    st.integers(0, 5),
)
def test_nothing_stands_out_of_a_bay_or_in_another_one(bay: Mesh, props: list[str], size: float, seed: int) -> None:
    on = dressed(shell(bay), bay)
    rules = [
        {"prop": name, "size": [size, size], "sides": "any" if name in ("brick", "tile") else "base"} for name in props
    ]
    on.do("fill", recipe=recipe(*rules, seed=seed, rough=0.2, count=15))
    assert_all_sit_inside(on, bay)


def test_a_turned_ball_inside_a_solid_is_seen_there() -> None:
    inner = piece("ball", ball(0.45), (0.0, 0.5, 0.0))
    turned = inner.at(Pose.of(rotation_about(np.array([0.0, 1.0, 0.0]), np.radians(45.0)), inner.pose.origin))
    on = Dressed(piece("block", box(1.0, 1.0, 1.0), (0.0, 0.5, 0.0), bearer=True), turned)
    assert "clashing" in on.fit("ball").faults or "sunk" in on.fit("ball").faults
