"""Verdicts that were wrong once, each as it was met on a set."""

import time
from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from brickseat_core.budget import Budget, TooLong
from brickseat_core.constraints.tie_measures import measure_ties
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.repair import repair
from brickseat_core.fit.set_down import raised_onto
from brickseat_core.geometry.rays import points_inside_kernel
from brickseat_core.gravity.settling import SettleSlip, settle, shapes_for
from brickseat_core.moves import MoveRefused
from brickseat_core.proposals.fill.filling import Filling
from brickseat_core.proposals.fill.shapes import sizes_of
from brickseat_core.proposals.fill.staying import what_can_stay
from brickseat_core.proposals.fill.trials import FillTrial, fill_trials
from brickseat_core.proposals.row.places_along import places_along
from brickseat_core.recipes.fill_schema import parse_fill
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import MOST_SEED, parse_recipe
from brickseat_core.recipes.volumes import Shape
from brickseat_core.scene import Piece, Pose, Prop, Region, Set, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE
from dressing import Dressed
from shapes import FLOOR, ball, bounds, box, piece, sheet, standing
from yards import PROPS, yard

CEILING = piece("ceiling", box(6, 0.2, 6), (0, 3.0, 0), bearer=True)
WALL = piece("wall", box(4, 3, 0.3), (0.0, 1.5, -0.15), bearer=True)
INTO = (0.0, 0.0, -1.0)


def bottom(p: Piece) -> float:
    return float(bounds(p)[0][1])


def test_what_was_raised_and_settled_is_no_longer_kept_off_and_slides_on_the_table() -> None:
    table = piece("table", box(1.0, 0.7, 1.0), (0, 0.35, 0), bearer=True)
    pot = piece("pot", box(0.1, 0.1, 0.1), (0, 1.05, 0), stand_off=0.3)
    here = Dressed(FLOOR, table, pot)
    assert here.fit("pot").reason == "kept 300.0 mm off table"
    done = settle(here.index, ["pot"], SettleSlip(), shapes_for({"pot": pot.prop}))
    assert [p.stand_off for p in done.pieces] == [0.0]
    from brickseat_core.moves import compute_move
    from brickseat_core.moves.adopt import AdoptMove

    move = AdoptMove("adopt", ("pot",), (done.pieces[0].pose,))
    here.take(compute_move(here.set, here.index, {}, move, here.props.__getitem__, here.fresh_key).change)
    assert (here.piece("pot").stand_off, here.fit("pot").reason) == (0.0, "sits on table")
    here.do("slide", pieces=["pot"], by=[0.2, 0, 0])
    assert bottom(here.piece("pot")) == pytest.approx(0.7, abs=1e-9)


def test_a_piece_that_is_kept_off_less_than_it_should_slides_on_what_it_lies_on() -> None:
    table = piece("table", box(1.0, 0.7, 1.0), (0, 0.35, 0), bearer=True)
    here = Dressed(FLOOR, table, piece("pot", box(0.1, 0.1, 0.1), (0, 0.75, 0), stand_off=0.3))
    here.do("slide", pieces=["pot"], by=[0.2, 0, 0])
    assert bottom(here.piece("pot")) == pytest.approx(1.0, abs=1e-9)
    here.do("reseat", pieces=["pot"], land=True)
    assert (bottom(here.piece("pot")), here.piece("pot").stand_off) == (pytest.approx(0.7, abs=1e-9), 0.0)


@pytest.mark.parametrize(
    "floor", [FLOOR, piece("floor", sheet([(-5, 0, -5), (-5, 0, 5), (5, 0, 5), (5, 0, -5)]), bearer=True)]
)
def test_a_piece_below_its_bearer_is_raised_onto_it(floor: Piece) -> None:
    low = piece("low", box(0.2, 0.2, 0.2), (1, -4, 0))
    here = Dressed(floor, low)
    here.do("reseat", pieces=["low"])
    assert bottom(here.piece("low")) == pytest.approx(0.0, abs=1e-9)
    assert here.fit("low").state == "seated"
    mended = standing(floor, low)
    assert not repair(mended).left
    assert bottom(mended.pieces["low"]) == pytest.approx(0.0, abs=1e-9)


def test_the_nearest_bearer_above_is_the_one_it_belongs_on() -> None:
    shelf = piece("shelf", box(1, 0.05, 1), (0, 1.0, 0), bearer=True)
    upper = piece("upper", box(1, 0.05, 1), (0, 2.0, 0), bearer=True)
    low = piece("low", box(0.2, 0.2, 0.2), (0, 0.3, 0))
    assert raised_onto(standing(shelf, upper, low), low).pose.origin[1] == pytest.approx(1.125, abs=1e-9)


def test_without_any_floor_it_is_said() -> None:
    found = raised_onto(standing(piece("cup", box(0.1, 0.1, 0.1))), piece("cup", box(0.1, 0.1, 0.1)))
    assert found.travel is None
    assert "no floor" in found.reason


@pytest.mark.parametrize("kind", ["line_up", "lay_on"])
def test_what_is_brought_against_an_underside_hangs_and_is_never_dropped(kind: str) -> None:
    lamp = piece("lamp", box(0.3, 0.2, 0.3), (0.5, 1.0, 0.4))
    here = Dressed(FLOOR, CEILING, lamp)
    if kind == "line_up":
        here.do("line_up", pieces=["lamp"], to="ceiling", axis="up", mine="high", theirs="low")
    else:
        here.do("lay_on", piece="lamp", points=[[0, 0.1, 0]], onto=[[0.5, 2.9, 0.4]])
    assert here.piece("lamp").direction == (0.0, 1.0, 0.0)
    assert here.fit("lamp").state == "seated"
    here.do("line_up", pieces=["lamp"], to="ceiling", axis="across")
    assert here.at("lamp") == pytest.approx([0.0, 2.8, 0.4], abs=1e-9)
    assert here.fit("lamp").state == "seated"
    far = piece("far", box(1, 1, 1), (8, 0.5, 0), bearer=True)
    here = Dressed(FLOOR, CEILING, far, here.piece("lamp"))
    with pytest.raises(MoveRefused, match="nothing is over lamp there"):
        here.do("line_up", pieces=["lamp"], to="far", axis="across")


def test_a_copy_of_what_cuts_an_opening_cuts_one_and_stands_in_it() -> None:
    hatch = piece("hatch", box(0.5, 0.4, 0.1), (-0.8, 1.2, -0.02), direction=INTO)
    here = Dressed(WALL, hatch)
    here.do("cut", piece="hatch", bearer="wall", clearance_m=0.002)
    here.do("copy", pieces=["hatch"], by=[1.2, 0, 0])
    (copy,) = [p for p in here.set.pieces.values() if p.key not in ("wall", "hatch")]
    assert {c.piece for c in here.set.cut_outs.values()} == {"hatch", copy.key}
    assert copy.pose.origin == pytest.approx([0.4, 1.2, -0.02], abs=1e-9)
    assert here.fit(copy.key).faults == here.fit("hatch").faults
    assert here.index.mesh_of(here.piece("wall")).mass[0] == pytest.approx(3.6 - 2 * 0.504 * 0.404 * 0.3, rel=1e-9)


def test_a_wall_is_not_cut_into_a_hatch() -> None:
    here = Dressed(WALL, piece("hatch", box(0.5, 0.4, 0.1), (0, 1.2, -0.02), direction=INTO))
    with pytest.raises(MoveRefused, match="wall bears and is not cut into hatch; cut hatch into it instead"):
        here.do("cut", piece="wall", bearer="hatch")


@pytest.mark.parametrize("degrees", [40.0, 60.0, 75.0])
def test_what_clings_to_a_slope_and_leans_with_it_is_held(degrees: float) -> None:
    tilt = rotation_about(np.array([0.0, 0.0, 1.0]), np.radians(degrees))
    slope = piece("slope", box(4, 0.2, 4), bearer=True).at(Pose.of(tilt, np.zeros(3)))
    top = tilt @ np.array([0.0, 0.1, 0.0])
    sign = piece("sign", box(0.1, 0.5, 0.1)).at(Pose((float(top[0]), float(top[1]) + 0.4, float(top[2]))))
    here = Dressed(slope, sign)
    here.do("tie", tie="cling", piece="sign", to="slope", lean=1.0)
    assert here.fit("sign").state == "seated", here.fit("sign").reason
    here.do("loosen", ties=list(here.set.ties))
    assert here.fit("sign").state == check(here.index)["sign"].state


def test_what_clings_keeps_its_size_and_shape_when_its_bearer_is_sized() -> None:
    table = piece("table", box(1.0, 0.7, 1.0), (0, 0.35, 0))
    turn = Pose.of(rotation_about(np.array([0.0, 1.0, 0.0]), 0.6), np.array([0.2, 0.8, 0.1]))
    here = Dressed(FLOOR, table, piece("jug", box(0.1, 0.2, 0.1)).at(turn))
    here.do("tie", tie="cling", piece="jug", to="table")
    here.do("size", pieces=["table"], factor=[2, 1, 1])
    jug = here.piece("jug").pose
    assert not jug.sheared
    assert jug.scale == pytest.approx((1, 1, 1), abs=1e-9)
    assert jug.origin[0] == pytest.approx(0.4, abs=1e-9)


def test_gaps_that_contradict_each_other_are_refused() -> None:
    wall = piece("wall", box(8, 3, 0.2), (0.0, 1.5, -2.1), bearer=True)
    here = Dressed(
        FLOOR, wall, piece("bench", box(1.2, 0.4, 0.4), (0, 0.2, 0)), piece("stool", box(0.3, 0.4, 0.3), (0, 0.2, 2))
    )
    here.do("tie", tie="gap", piece="bench", to="stool", side=[0, 0, 1], distance_m=0.3)
    with pytest.raises(MoveRefused, match="cannot hold"):
        here.do("tie", tie="gap", piece="stool", to="bench", side=[0, 0, -1], distance_m=0.8)
    assert all(measure.holds for measure in measure_ties(here.set, here.index).values())


def test_ties_are_given_up_when_the_time_is_over() -> None:
    rail = piece("rail", box(0.1, 1, 60), (-2, 0.5, 0), bearer=True)
    pieces = [piece(f"p{n}", box(0.2, 0.2, 0.2), (0.5 * (n % 2), 0.1, 0.25 * n - 25)) for n in range(200)]
    here = Dressed(FLOOR, rail, *pieces)
    for p in pieces:
        here.do("tie", tie="gap", piece=p.key, to="rail", side=[-1, 0, 0], at_least=True, distance_m=0.5)
    began = time.monotonic()
    with pytest.raises(MoveRefused, match="too long"):
        here.look("carry", Budget(0.05), pieces=[p.key for p in pieces], by=[0.01, 0, 0])
    assert time.monotonic() - began < 3.0


def test_obeying_after_a_join_moves_all_that_is_joined_by_then() -> None:
    wall = piece("wall", box(8, 3, 0.2), (0.0, 1.5, -2.1), bearer=True)
    bench, box_on = piece("bench", box(1.2, 0.4, 0.4), (0, 0.2, 0)), piece("lid", box(0.2, 0.1, 0.2), (0, 0.45, 0))
    here = Dressed(FLOOR, wall, bench, box_on)
    here.do("tie", tie="gap", piece="bench", to="wall", side=[0, 0, -1], distance_m=0.3)
    start = here.at("lid") - here.at("bench")
    here.do("tie", tie="join", piece="lid", to="bench")
    here.do("adjust_tie", tie=next(iter(here.set.ties)), distance_m=0.9)
    assert here.at("lid") - here.at("bench") == pytest.approx(start, abs=1e-9)


def fill_of(props: list[dict[str, Any]], made: dict[str, Prop], bay: Region, budget: Budget, **more: Any) -> Any:
    recipe = parse_fill({"bay": "bay", "props": props, **more})
    dressed = Set.of("set", [FLOOR], SEATED_TOLERANCE, [bay])
    places = Places(dressed, SceneIndex([FLOOR]))
    listed = [made[rule["prop"]] for rule in props]
    return Filling(places, recipe, listed, "r", str, lambda p, n: f"{p.name} {n}", SEATED_TOLERANCE, budget).run()


def bay_of(x: float, y: float, z: float) -> Region:
    return Region("bay", "bay", Prop("bay", "bay", box(x, y, z)), Pose((0.0, y / 2, 0.0)))


def test_what_is_larger_than_its_bay_is_left_out_before_anything_is_made_of_it() -> None:
    made = {"rock": Prop("rock", "rock", ball(1.0, 4)), "bead": Prop("bead", "bead", ball(0.006, 1))}
    began = time.monotonic()
    try:
        found = fill_of(
            [{"prop": "rock", "turn_step_deg": 0}, {"prop": "bead"}], made, bay_of(0.3, 0.1, 0.3), Budget(2.0), count=20
        )
    except TooLong:
        pass
    else:
        assert all(p.prop.key == "bead" for p in found.pieces.values())
    assert time.monotonic() - began < 6.0


def test_a_bay_of_kilometres_is_filled_or_refused_in_words() -> None:
    made = {"tile": Prop("tile", "tile", box(0.1, 0.02, 0.1))}
    found = fill_of([{"prop": "tile"}], made, bay_of(8000, 1, 8000), Budget(60.0), count=3)
    assert len(found.pieces) + sum(found.left.values()) == 3
    assert not any(fit.faults for fit in check(standing(FLOOR, *found.pieces.values())).values())


def test_a_stack_whose_lowest_is_gone_cannot_stay() -> None:
    tile = Prop("tile", "tile", box(0.1, 0.01, 0.1))
    tower = {n: Piece(f"t{n}", f"t{n}", tile, Pose((0.0, 0.005 + 0.01 * n, 0.0))) for n in range(1, 229)}
    bay = Shape(box(0.3, 3, 0.3), Pose((0.0, 1.5, 0.0)))
    assert what_can_stay(SceneIndex([FLOOR]), tower, bay, SEATED_TOLERANCE) == {}


def test_refilling_two_rules_of_one_prop_counts_both() -> None:
    bay = bay_of(0.6, 0.4, 0.4)
    here = Dressed(FLOOR, props=[Prop("brick", "brick", box(0.1, 0.1, 0.1))])
    here.set = replace(here.set, regions={"bay": bay})
    recipe = {"bay": "bay", "props": [{"prop": "brick", "count": 4}, {"prop": "brick", "count": 4, "turn_step_deg": 0}]}
    here.do("fill", recipe=recipe)
    key = next(iter(here.set.recipes))
    here.do("fill", recipe=recipe, again=key, keep=True)
    assert len([p for p in here.set.pieces.values() if p.recipe == key]) == 8


def test_sizes_in_many_steps_reach_the_largest() -> None:
    (rule,) = parse_fill({"bay": "bay", "props": [{"prop": "p", "size": [1, 2], "size_step": 0.05}]}).props
    found = sizes_of(rule)
    assert (found[0], found[-1]) == (1.0, pytest.approx(2.0))
    assert all(abs(round((size - 1.0) / 0.05) - (size - 1.0) / 0.05) < 1e-9 for size in found)


def test_a_turn_step_of_45_degrees_turns_some() -> None:
    made = {"brick": Prop("brick", "brick", box(0.1, 0.05, 0.06))}
    found = fill_of([{"prop": "brick", "turn_step_deg": 45}], made, bay_of(0.8, 0.05, 0.8), Budget(60.0))
    turns = [np.degrees(np.arctan2(p.pose.linear[0, 2], p.pose.linear[0, 0])) % 90 for p in found.pieces.values()]
    askew = [turn for turn in turns if 30 < turn < 60]
    assert len(askew) > 0.15 * len(turns)


def test_points_are_inside_a_volume_of_any_size_to_the_millimetre() -> None:
    mesh = box(1e-4, 1e-4, 1e-4)
    scale, outside, inside = 1e4, np.array([[0.0, 0.5 + 0.002, 0.0]]), np.array([[0.0, 0.5 - 0.002, 0.0]])
    assert not points_inside_kernel(mesh.tree, outside / scale)[0]
    assert points_inside_kernel(mesh.tree, inside / scale)[0]


def test_a_closed_line_by_chords_does_not_come_back_to_its_first_place() -> None:
    angles = np.linspace(0.0, 2.0 * np.pi, 120, endpoint=False)
    circle = np.stack([np.cos(angles), 0.0 * angles, np.sin(angles)], axis=1)
    for spacing in (0.1, 0.25, 2.0 * np.sin(np.pi / 12), 0.77):
        places = np.array([place.point for place in places_along(circle, None, spacing, True, chord=True)])
        away = np.linalg.norm(places[:, None] - places[None], axis=2) + 10.0 * np.eye(len(places))
        assert away.min() > spacing * (1.0 - 1e-6)


def test_seeds_up_to_the_largest_are_good() -> None:
    recipe = parse_fill({"bay": "bay", "props": [{"prop": "p"}], "seed": MOST_SEED})
    trial = FillTrial((), bay_of(1, 1, 1), recipe, (), SEATED_TOLERANCE)
    assert [t.recipe.seed for t in fill_trials(trial, 3)] == [MOST_SEED, 0, 1]
    here = Dressed(yard(0.0), props=PROPS.values())
    pattern = {"pattern": "clumped", "seed": MOST_SEED}
    assert (
        here.look("scatter", recipe={"props": [{"prop": "stone"}], "on": ["ground"], "count": 5, **pattern}).counts[
            "laid"
        ]
        == 5
    )


def test_near_a_kind_is_measured_within_the_time() -> None:
    things = [piece(f"s{n}", ball(0.05, 3), (0.1 * (n % 40) - 2, 0.05, 0.1 * (n // 40) - 2)) for n in range(1200)]
    same = [replace(p, prop=things[0].prop) for p in things]
    here = Dressed(yard(0.0), *same, props=PROPS.values())
    recipe = parse_recipe(
        {
            "props": [{"prop": "pot"}], "on": ["ground"], "count": 3000,
            "rules": {"near": [{"kind": same[0].prop.key, "within_m": 4}]},
        }
    )  # fmt: skip
    began = time.monotonic()
    with pytest.raises(MoveRefused, match="too long"):
        here.look("scatter", Budget(0.3), recipe=recipe)
    assert time.monotonic() - began < 3.0


def test_exceptions_stay_with_their_surface_when_another_one_comes_or_goes() -> None:
    shelf = piece("a shelf", box(2, 0.1, 2), (0, 1.5, 0), bearer=True)
    here = Dressed(yard(0.0), shelf, props=PROPS.values())
    asked = {"props": [{"prop": "stone"}], "on": ["ground"], "count": 40, "seed": 4}
    here.do("scatter", recipe=asked)
    key = next(iter(here.set.recipes))
    mine = {p.number: p for p in here.set.pieces.values() if p.recipe == key}
    out = sorted(n for n in mine if n is not None)[3]
    at = mine[out].pose
    here.do("remove", pieces=[mine[out].key])
    (record,) = here.set.recipes.values()
    exceptions = {"taken_out": list(record.taken_out)}
    # The shelf comes first by its name: what lay on the ground has other numbers now, and keeps its keys.
    here.do("scatter", recipe={**asked, "on": ["ground", "a shelf"], "exceptions": exceptions}, again=key)
    laid = [p for p in here.set.pieces.values() if p.recipe == key]
    assert any(p.pose.origin[1] > 1 for p in laid)
    assert all(p.pose != at for p in laid)
    kept = {p.key for p in laid} & {p.key for p in mine.values()}
    # They lie at the same points; how each is turned there is a chance of its number.
    for p in mine.values():
        if p.key in kept:
            assert here.at(p.key)[[0, 2]] == pytest.approx(p.pose.origin[[0, 2]], abs=1e-6)
    assert len(kept) > 10
    (record,) = here.set.recipes.values()
    exceptions = {"taken_out": list(record.taken_out)}
    here.do("scatter", recipe={**asked, "exceptions": exceptions}, again=key)
    again = {p.number: p.pose for p in here.set.pieces.values() if p.recipe == key}
    assert out not in again
    assert all(again[n] == p.pose for n, p in mine.items() if n in again and n != out)
