"""Settling: nothing flies, nothing falls through, everything ends in exact contact or is named; twice the same."""

import os
import subprocess
import sys
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat.command_line import main
from brickseat_core.budget import Budget, Stopped
from brickseat_core.contact.index import SceneIndex
from brickseat_core.executing import NoCluster, executor, run_all
from brickseat_core.fit.check import check
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.gravity.finish import MOST_DEPTH, finish, groups, measured, wrong_with
from brickseat_core.gravity.hand import Pull
from brickseat_core.gravity.progress import Progress
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, settle, shapes_for, stepping
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.gravity.trials import Trial, run_trial, trials_of
from brickseat_core.gravity.world import EngineShapes, NotForGravity, PhysicalProperties, World, turn_and_stretch
from brickseat_core.scene import Piece, Pose, Prop, Set, rotation_about
from shapes import FLOOR, ball, bounds, box, piece, revolved, standing

BOWL = Prop(
    "bowl", "bowl", revolved([(0, 0), (0.06, 0), (0.1, 0.08), (0.09, 0.08), (0.055, 0.01), (0, 0.01)], sections=24)
)
BRICK = Prop("brick", "brick", box(0.2, 0.06, 0.1))
STONE = Prop("stone", "stone", ball(0.05, 2))


def heap(count: int, spacing: float = 0.16) -> list[Piece]:
    props = (BRICK, BOWL, STONE)
    rng = np.random.default_rng(5)
    out = []
    for k in range(count):
        x, z = rng.uniform(-0.12, 0.12, 2)
        pose = Pose((float(x), 0.12 + spacing * k, float(z)))
        out.append(Piece(f"p{k:02d}", f"p{k:02d}", props[k % 3], pose))
    return out


def shapes(pieces: list[Piece]) -> dict[str, ContactShape]:
    return shapes_for({p.prop.key: p.prop for p in pieces})


def settled(pieces: list[Piece], *others: Piece) -> tuple[Settled, SceneIndex]:
    index = standing(FLOOR, *others, *pieces)
    return settle(index, [p.key for p in pieces], SettleSlip(), shapes(pieces)), index


def test_a_heap_comes_to_exact_contact_and_nothing_else_moves() -> None:
    pieces = heap(24)
    bystander = piece("bystander", box(0.1, 0.1, 0.1), (3.0, 0.05, 0.0))
    done, index = settled(pieces, bystander)
    assert [index.pieces[p.key] for p in pieces] == pieces, "the index is not as it was"
    after = SceneIndex([FLOOR, bystander, *done.pieces])
    fits = check(after)
    faulty = {k for k, f in fits.items() if f.faults}
    assert faulty == set(done.named)
    assert len(faulty) <= 3
    for key, fit in fits.items():
        if key not in faulty:
            assert fit.gap is not None
            assert fit.gap <= 5e-5
            assert fit.depth <= 1e-5
    middles = np.array([p.pose.position for p in done.pieces])
    assert np.abs(middles[:, [0, 2]]).max() < 1.5, "something was thrown across the set"
    assert middles[:, 1].min() > 0.0


def test_the_same_seed_gives_the_same_outcome_in_any_process() -> None:
    pieces = heap(6)
    slip = SettleSlip(seed=3, jitter=0.01, seconds=2.0)
    trial = Trial((FLOOR, *pieces), tuple(p.key for p in pieces), slip, shapes(pieces), {}, 0.0005)
    here = run_trial(trial)
    with executor(2) as pool:
        there = dict(run_all(run_trial, trials_of(trial, 2), pool))
    assert [p.pose for p in there[0].pieces] == [p.pose for p in here.pieces]
    assert [p.pose for p in there[1].pieces] != [p.pose for p in here.pieces]
    assert there[1].seed == 4


def test_the_number_of_threads_changes_nothing() -> None:
    pieces = heap(30, 0.03)
    frames = []
    for threads in (1, 2):
        run = Run(standing(FLOOR, *pieces), [p.key for p in pieces], SettleSlip(), shapes(pieces), threads=threads)
        frames.append([run.advance() for _ in range(30)])
    assert np.array_equal(*frames)


def test_the_outcome_does_not_depend_on_how_a_process_orders_its_sets() -> None:
    """What is stuck is taken away and put back; in the order of a set of names that would be another one each time."""
    code = (
        "import test_settle as t\n"
        "pieces = t.heap(14, 0.03)\n"
        "index = t.standing(t.FLOOR, *pieces)\n"
        "print([p.pose for p in t.finish(index, pieces, 0.0005).pieces], index.row)\n"
    )
    printed = {
        subprocess.run(
            [sys.executable, "-c", code],
            env={**os.environ, "PYTHONHASHSEED": seed, "PYTHONPATH": os.pathsep.join(sys.path)},
            capture_output=True,
            text=True,
            check=True,
        ).stdout
        for seed in ("1", "2", "3")
    }
    assert len(printed) == 1


def test_a_cluster_gives_the_same_outcome_and_one_that_is_away_is_named() -> None:
    distributed = pytest.importorskip("distributed")
    pieces = heap(2)
    slip = SettleSlip(seed=3, jitter=0.01, seconds=1.0)
    trial = Trial((FLOOR, *pieces), tuple(p.key for p in pieces), slip, shapes(pieces), {}, 0.0005)
    with (
        distributed.LocalCluster(n_workers=1, threads_per_worker=1, processes=False, dashboard_address=None) as there,
        executor(cluster=there.scheduler_address) as pool,
    ):
        done = dict(run_all(run_trial, trials_of(trial, 2), pool))
    assert [p.pose for p in done[0].pieces] == [p.pose for p in run_trial(trial).pieces]
    assert done[1].seed == 4
    with pytest.raises(NoCluster, match="no cluster answers"), executor(cluster="tcp://127.0.0.1:9"):
        pass


def test_pieces_that_start_inside_each_other_are_parted_and_not_thrown() -> None:
    pieces = [Piece(f"p{k}", f"p{k}", BRICK, Pose((0.0, 0.05, 0.0))) for k in range(12)]
    done, _ = settled(pieces)
    assert np.abs(np.array([p.pose.position for p in done.pieces])[:, [0, 2]]).max() < 1.0
    fits = check(SceneIndex([FLOOR, *done.pieces]))
    assert {k for k, f in fits.items() if f.clashes} <= set(done.named)


def test_what_leaves_the_set_is_put_back_and_named() -> None:
    ledge = piece("ledge", box(0.3, 0.1, 0.3), (0.0, -0.05, 0.0), bearer=True)
    over = Piece("over", "over", STONE, Pose((0.28, 0.1, 0.0)))
    index = standing(ledge, over)
    done = settle(index, ["over"], SettleSlip(seconds=8.0), shapes([over]))
    assert "fell out of the set" in done.named["over"]
    assert done.pieces[0].pose.position == over.pose.position


def test_bad_input_never_reaches_the_engine() -> None:
    good = heap(2)
    dust = Piece("dust", "dust", Prop("d", "dust", box(1e-5, 1e-5, 1e-5)), Pose((0.0, 1.0, 0.0)))
    with pytest.raises(NotForGravity, match="dust is 1e-05 m large"):
        World([dust], [FLOOR], {"d": shapes(good)["brick"], **shapes_for({"d": dust.prop})}, {})
    with pytest.raises(NotForGravity, match="has no contact shape; make one on the bench"):
        World(good, [FLOOR], {}, {})
    nowhere = good[0].at(Pose((float("nan"), 0.0, 0.0)))
    with pytest.raises(NotForGravity, match="not finite"):
        World([nowhere], [FLOOR], shapes(good), {})
    flat = Prop("flat", "paper", box(0.2, 0.3, 0.2))
    flat = Prop("flat", "paper", type(flat.mesh)(flat.mesh.vertices * [1, 0, 1], flat.mesh.faces))
    with pytest.raises(NotForGravity, match="paper cannot fall"):
        shapes_for({"flat": flat})
    with pytest.raises(NotForGravity, match="nothing is chosen"):
        settle(standing(FLOOR), [], SettleSlip(), {})


def test_it_can_be_stopped_and_heavy_things_do_not_skid() -> None:
    pieces = heap(3)
    index = standing(FLOOR, *pieces)
    budget = Budget(on_progress=lambda done, total: done < total)
    with pytest.raises(Stopped):
        settle(index, [p.key for p in pieces], SettleSlip(), shapes(pieces), budget=budget)
    sliding = Piece("s", "s", BRICK, Pose((0.0, 0.0301, 0.0)))
    run = Run(standing(FLOOR, sliding), ["s"], SettleSlip(), shapes([sliding]), {"brick": PhysicalProperties(grip=0.6)})
    run.world.drive(0, np.array([1.0, 0.0, 0.0]))
    for _ in stepping(run):
        pass
    # v² / 2 µ g = 0.085 m with a grip of 0.6.
    assert 0.03 < run.world.placed()[0].pose.position[0] < 0.12


def test_the_command_line_settles_and_keeps_the_motion(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    pieces = [FLOOR, *heap(4)]
    models = {
        p.prop.key: prop_document(
            p.prop.name, [Surface(Paint("grey", (0.5, 0.5, 0.5)), p.prop.mesh.vertices, p.prop.mesh.faces)]
        )
        for p in pieces
    }
    path, out = tmp_path / "heap.glb", tmp_path / "out.glb"
    set_document(Set.of("set", pieces), models).save(path)
    assert main(["settle", str(path), "-o", str(out), "--animation", "--seed", "2"]) == 0
    assert capsys.readouterr().out.startswith("seed 2: 4 settled in ")
    document = GltfDocument.open(out)
    (animation,) = document.json["animations"]
    assert len(animation["channels"]) == 8
    track = document.accessor(animation["samplers"][0]["output"], "track")
    node = document.json["nodes"][animation["channels"][0]["target"]["node"]]
    assert track[-1] == pytest.approx(node["translation"], abs=1e-6)
    assert track[0][1] > track[-1][1]
    assert main(["check", str(out)]) in (0, 1)
    assert main(["settle", str(path), "-o", str(tmp_path / "no.glb"), "--only", "nobody"]) == 2
    assert not (tmp_path / "no.glb").exists()


def test_a_hand_carries_a_piece_and_it_lies_where_it_was_let_go() -> None:
    brick = Piece("b", "b", BRICK, Pose((0.0, 0.0301, 0.0)))
    other = Piece("o", "o", BRICK, Pose((0.0, 0.0301, 0.4)))
    index = standing(FLOOR, brick, other)
    run = Run(index, ["b", "o"], SettleSlip(hand=True, seconds=60.0), shapes([brick]))
    for _ in range(40):
        run.hand.pull(Pull(("b", "o"), (0.5, 0.3, 0.0)))
        run.advance()
    lifted = {p.key: p.pose.origin for p in run.world.placed()}
    assert lifted["b"] == pytest.approx((0.5, 0.3, 0.0), abs=0.05)
    assert lifted["o"] - lifted["b"] == pytest.approx((0.0, 0.0, 0.4), abs=0.05)
    assert not run.over, "a shove goes on although all lie still"
    run.hand.pull(Pull((), None))
    for _ in range(45):
        run.advance()
    done = run.end()
    assert done.named == {}
    fits = check(SceneIndex([FLOOR, *done.pieces]))
    assert {f.state for f in fits.values()} == {"seated"}
    assert max(f.gap or 0.0 for f in fits.values()) <= 5e-5


def test_the_finish_lets_what_is_carried_follow_and_can_be_stopped() -> None:
    """A tower of three, each left a little above the one below: all come down, and the index is as it was."""
    tower = [Piece(f"t{k}", f"t{k}", BRICK, Pose((0.0, 0.031 + 0.0603 * k, 0.0))) for k in range(3)]
    index = standing(FLOOR, *tower)
    done = finish(index, tower, 0.0005)
    assert [p.pose.position[1] for p in done.pieces] == pytest.approx([0.03, 0.09, 0.15], abs=1e-9)
    assert done.named == {}
    with pytest.raises(Stopped):
        finish(index, tower, 0.0005, Progress(Budget(on_progress=lambda done, total: False)))
    assert [index.pieces[p.key] for p in tower] == tower


def test_side_by_side_comes_to_the_same_as_one_by_one_and_what_is_reported_is_so(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    pieces = heap(30)
    index = standing(FLOOR, *pieces)
    run = Run(index, [p.key for p in pieces], SettleSlip(), shapes(pieces))
    run.ease()
    for _ in stepping(run):
        pass
    # Some of it rough: sunk by a few tenths of a millimetre, and raised.
    lying = [p.at(p.pose.moved(np.array([0.0, 4e-4 * (n % 3 - 1), 0.0]))) for n, p in enumerate(run.relaxed(run.world))]
    together = finish(index, lying, 0.0005)
    for key, fit in measured(index, together, 0.0005).fits.items():
        other = together.fits[key]
        assert (fit.state, fit.rests_on) == (other.state, other.rests_on)
        assert (fit.depth, fit.gap or 0.0) == pytest.approx((other.depth, other.gap or 0.0), abs=MOST_DEPTH)
    rows = np.array([[[x] * 3, [x + 1.5] * 3] for x in (0.0, 5.0, 1.0, 2.0)])
    assert groups(list("abcd"), rows) == [["a", "b"], ["c"], ["d"]]
    monkeypatch.setattr("brickseat_core.gravity.finish.groups", lambda keys, boxes: [[k] for k in keys])
    alone = finish(index, lying, 0.0005)
    assert [p.pose for p in alone.pieces] == [p.pose for p in together.pieces]


def test_sunk_pieces_are_lifted_with_what_lies_on_them() -> None:
    sunk = [Piece(f"s{k}", f"s{k}", BRICK, Pose((0.002 * k, 0.028 + 0.058 * k, 0.001 * k))) for k in range(3)]
    done = finish(standing(FLOOR, *sunk), sunk, 0.0005)
    assert [p.pose.position[1] for p in done.pieces] == pytest.approx([0.03, 0.09, 0.15], abs=1e-9)
    assert done.named == {}


def test_what_cuts_a_wall_is_moved_aside_and_not_up() -> None:
    wall = piece("wall", box(0.1, 0.5, 1.0), (-0.05, 0.25, 0.0), bearer=True)
    lo, _ = BRICK.mesh.box
    start = Piece("b", "b", BRICK, Pose((float(-lo[0]) - 0.0007, float(-lo[1]) + 0.0002, 0.0)))
    index = standing(FLOOR, wall, start)
    # Within the set's tolerance, so no fault there, but a finished piece has to be more exact.
    assert check(index)["b"].faults == ("clashing",)
    assert "inside a neighbour" in wrong_with(replace(check(index, 0.001)["b"], gap=0.0))
    done = finish(index, [start], 0.0005)
    assert done.named == {}
    assert done.pieces[0].pose.position == pytest.approx((-lo[0], -lo[1], 0.0), abs=1e-5)
    assert done.fits["b"].depth == 0.0


def test_thin_things_do_not_fall_through_a_board() -> None:
    board = piece("board", box(3.0, 0.018, 3.0), (0.0, 0.5, 0.0), bearer=True)
    tile = Prop("tile", "tile", box(0.15, 0.01, 0.15))
    tiles = [
        Piece(f"t{k}", f"t{k}", tile, Pose((0.3 * (k % 6) - 0.75, 1.0 + 0.007 * k, 0.3 * (k // 6) - 0.75)))
        for k in range(36)
    ]
    world = World(tiles, [board], shapes_for({"tile": tile}), {})
    for _ in range(240):
        world.step()
    assert min(bounds(p)[0][1] for p in world.placed()) > 0.5


def test_a_soft_hand_lags_behind_a_firm_one() -> None:
    reached = {}
    for strength in ("soft", "firm"):
        brick = Piece("b", "b", BRICK, Pose((0.0, 0.5, 0.0)))
        run = Run(standing(FLOOR, brick), ["b"], SettleSlip(hand=True), shapes([brick]))
        run.hand.pull(Pull(("b",), (2.0, 0.5, 0.0), strength))
        for _ in range(15):
            run.advance()
        reached[strength] = run.world.placed()[0].pose.position[0]
    assert 0.3 < reached["soft"] < 0.7 < reached["firm"] < 2.0


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_any_pose_is_a_turn_after_a_stretch_that_its_copies_share(seed: int) -> None:
    rng = np.random.default_rng(seed)
    axis = rng.normal(size=3)
    turn = rotation_about(axis / np.linalg.norm(axis), float(rng.uniform(-3.0, 3.0)))
    scale = rng.uniform(0.2, 3.0, 3) * rng.choice([-1.0, 1.0], 3)
    found, stretch = turn_and_stretch(turn * scale)
    assert np.allclose(found @ np.array(stretch).reshape(3, 3), turn * scale, atol=1e-7)
    assert np.linalg.det(found) == pytest.approx(1.0)
    even = abs(float(scale[0]))
    assert turn_and_stretch(turn * even)[1] == turn_and_stretch(np.eye(3) * even)[1]


def test_things_fall_with_few_corners_and_lie_with_many() -> None:
    pebble = ball(0.1, 4)
    p = piece("p", pebble, (0.0, 0.4, 0.0))
    made = shapes_for({p.prop.key: p.prop})
    run = Run(standing(FLOOR, p), ["p"], SettleSlip(), made)
    assert len(run.world.shapes[p.prop.key].solids[0]) <= 64
    for _ in stepping(run):
        pass
    assert run.world.shapes[p.prop.key] is made[p.prop.key]
    assert 64 < len(made[p.prop.key].solids[0]) <= 400
    # By itself, before anything is finished, it lies where the true ball would, to what its corners leave out.
    assert run.world.placed()[0].pose.position[1] == pytest.approx(0.1, abs=0.002)


def test_what_lies_already_is_not_pushed_apart_by_what_its_light_shape_stands_out() -> None:
    pebble = ball(0.1, 4)
    row = [piece(f"p{k}", pebble, (0.2002 * k, 0.1001, 0.0)) for k in range(3)]
    index = standing(FLOOR, *row)
    run = Run(index, [p.key for p in row], SettleSlip(), shapes(row))
    run.ease()
    for was, now in zip(row, run.world.placed(), strict=True):
        assert np.linalg.norm(now.pose.origin - was.pose.origin) < 0.003


def test_copies_in_one_size_share_the_engines_shape() -> None:
    shape = shapes_for({"tile": Prop("tile", "tile", box(0.1, 0.012, 0.1))})["tile"]
    made = EngineShapes()
    assert made.solid(shape, turn_and_stretch(np.eye(3))[1]) is made.solid(shape, turn_and_stretch(np.eye(3))[1])
