"""Breaking and pouring: no volume is lost, the same seed does the same, and all that is new lies exactly or is named."""

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.breaking import shattered
from brickseat_core.gravity.materials import MATERIALS
from brickseat_core.gravity.pouring import PourSlip, Stream
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, settle, shapes_for, stepping
from brickseat_core.gravity.shards import LEAST_RATIO, Unbreakable, manifold_of, shards_of
from brickseat_core.gravity.world import NotForGravity, PhysicalProperties
from brickseat_core.moves import MoveRefused
from brickseat_core.moves.adopt import AdoptMove
from brickseat_core.scene import Piece, Pose, Prop, rotation_about
from shapes import FLOOR, ball, box, inward, made, piece, revolved, sheet, standing

JAR = Prop(
    "jar",
    "jar",
    revolved(
        [(0, 0), (0.06, 0), (0.1, 0.1), (0.06, 0.24), (0.054, 0.24), (0.093, 0.1), (0.055, 0.01), (0, 0.01)],
        sections=32,
    ),
)
CLAY = {"jar": PhysicalProperties(MATERIALS["earthenware"])}
STONE = Prop("stone", "stone", ball(0.05, 2))
seeds = st.integers(0, 2**31)


def volume(mesh: Mesh) -> float:
    return abs(float(mesh.mass[0]))


def together(parts: list[trimesh.Trimesh]) -> Mesh:
    whole = trimesh.util.concatenate(parts)
    return Mesh(np.array(whole.vertices, dtype=np.float64), np.array(whole.faces, dtype=np.int32))


@settings(max_examples=12, deadline=None)
@given(seeds, st.floats(0.02, 0.1))
def test_shards_are_closed_and_make_up_the_whole(seed: int, least: float) -> None:
    shards = shards_of(JAR.mesh, seed, least)
    assert len(shards) > 1
    assert all(s.mesh.health.closed for s in shards)
    assert sum(volume(s.mesh) for s in shards) == pytest.approx(volume(JAR.mesh), rel=1e-3)
    for shard in shards:
        assert np.asarray(shard.mesh.mass[1]) == pytest.approx(np.zeros(3), abs=1e-7)
        lo, hi = shard.mesh.vertices.min(axis=0) + shard.centre, shard.mesh.vertices.max(axis=0) + shard.centre
        assert (lo >= JAR.mesh.box[0] - 1e-6).all()
        assert (hi <= JAR.mesh.box[1] + 1e-6).all()


def test_the_same_seed_breaks_the_same_and_another_does_not() -> None:
    again = Mesh(JAR.mesh.vertices.copy(), JAR.mesh.faces.copy())
    here, there, other = shards_of(JAR.mesh, 1, 0.03), shards_of(again, 1, 0.03), shards_of(JAR.mesh, 2, 0.03)
    assert [s.mesh.vertices.tolist() for s in here] == [s.mesh.vertices.tolist() for s in there]
    assert [s.centre.tolist() for s in here] != [s.centre.tolist() for s in other]


def test_what_is_modelled_of_parts_that_run_into_each_other_breaks_as_one_body() -> None:
    body = trimesh.creation.cylinder(0.05, 0.2)
    handle = trimesh.creation.box((0.1, 0.02, 0.1))
    handle.apply_translation((0.06, 0.0, 0.0))
    mug = together([body, handle])
    union = manifold_of(mug).volume()
    assert union < volume(mug) - 1e-6, "the overlap is counted twice in the mesh"
    assert sum(volume(s.mesh) for s in shards_of(mug, 0, 0.03)) == pytest.approx(union, rel=1e-3)
    turned_out = inward(box(0.2, 0.2, 0.2))
    assert sum(volume(s.mesh) for s in shards_of(turned_out, 0, 0.05)) == pytest.approx(0.008, rel=1e-3)


def test_what_cannot_break_says_why() -> None:
    with pytest.raises(Unbreakable, match="open"):
        shards_of(sheet([(0, 0, 0), (1, 0, 0), (1, 0, 1)]), 0, 0.01)
    with pytest.raises(Unbreakable, match="too small"):
        shards_of(JAR.mesh, 0, 0.2)


def test_shards_lie_where_the_whole_stood_and_share_its_weight() -> None:
    turn = rotation_about(np.array([0.6, 0.0, 0.8]), 0.7)
    whole = Piece("j", "jar 1", JAR, Pose.of(turn * 1.5, np.array([3.0, 1.0, -2.0])))
    broken = shattered(whole, PhysicalProperties(mass=2.0), 7, 0.05)
    centres = np.array([p.pose.origin for p in broken.pieces])
    weights = np.array([broken.properties[p.prop.key].mass for p in broken.pieces])
    assert weights.sum() == pytest.approx(2.0, rel=1e-3)
    middle = (weights[:, None] * centres).sum(axis=0) / weights.sum()
    assert middle == pytest.approx(whole.pose.apply(JAR.mesh.mass[1]), abs=1e-5)
    assert len({p.key for p in broken.pieces}) == len(broken.pieces)


def dropped(height: float, calm: float = 0.0, **more: float) -> tuple[Settled, SceneIndex]:
    jar = Piece("j", "jar 1", JAR, Pose((0.0, height, 0.0)))
    index = standing(FLOOR, jar)
    slip = SettleSlip(breaks=0.04, calm=calm, **more)
    return settle(index, ["j"], slip, shapes_for({"jar": JAR}), CLAY), index


def test_it_breaks_on_a_fall_it_does_not_bear_and_only_then() -> None:
    """Earthenware bears a quarter of a metre."""
    gentle, _ = dropped(0.08)
    assert (gentle.gone, gentle.born) == ((), {})
    hard, index = dropped(0.42)
    assert hard.gone == ("j",)
    assert set(hard.born.values()) == {"j"}
    assert {p.key for p in hard.pieces} == set(hard.born)
    assert sum(volume(p.prop.mesh) for p in hard.pieces) == pytest.approx(volume(JAR.mesh), rel=1e-3)
    assert index.pieces["j"].pose.position[1] == 0.42, "the index is as it was"
    sizes = [float(np.linalg.norm(np.ptp(p.prop.mesh.box, axis=0))) for p in hard.pieces]
    assert max(sizes) > 0.04
    fits = check(SceneIndex([FLOOR, *hard.pieces]))
    assert {k for k, f in fits.items() if f.faults} == set(hard.named)
    assert len(hard.named) <= 2
    again, _ = dropped(0.42)
    assert [p.pose for p in again.pieces] == [p.pose for p in hard.pieces]


def test_nothing_breaks_unless_it_is_asked_for() -> None:
    jar = Piece("j", "jar 1", JAR, Pose((0.0, 0.42, 0.0)))
    done = settle(standing(FLOOR, jar), ["j"], SettleSlip(calm=0.0), shapes_for({"jar": JAR}), CLAY)
    assert done.gone == ()


def test_an_open_mesh_that_is_struck_stays_whole_and_is_named() -> None:
    whole = JAR.mesh
    torn = Prop("torn", "torn jar", Mesh(whole.vertices, whole.faces[:-3]))
    jar = Piece("t", "torn 1", torn, Pose((0.0, 0.42, 0.0)))
    slip = SettleSlip(breaks=0.04, calm=0.0)
    done = settle(standing(FLOOR, jar), ["t"], slip, shapes_for({"torn": torn}), {"torn": CLAY["jar"]})
    assert done.gone == ()
    assert "open" in done.whole["torn 1"]


def test_shards_break_again_but_not_below_the_least() -> None:
    jar = Piece("j", "jar 1", JAR, Pose((0.0, 0.42, 0.0)))
    index = standing(FLOOR, jar)
    frail = {"jar": PhysicalProperties(MATERIALS["glass"], fall=0.01)}
    run = Run(index, ["j"], SettleSlip(breaks=0.05, calm=0.0), shapes_for({"jar": JAR}), frail)
    for _ in stepping(run):
        pass
    assert len(run.world.gone) > 1, "a shard broke, too"
    for key in run.world.gone:
        broke = run.loose[run.world.keys.index(key)]
        assert float(np.linalg.norm(np.ptp(broke.prop.mesh.box, axis=0))) >= LEAST_RATIO * 0.05
    lying = run.world.placed()
    assert sum(volume(p.prop.mesh) for p in lying) == pytest.approx(volume(JAR.mesh), rel=2e-3)


def test_adopting_is_one_change_with_what_is_new_and_what_is_gone() -> None:
    done, index = dropped(0.42)
    move = AdoptMove("adopt", (), (), done.pieces, done.gone)
    change = made(index, move).change
    assert change.words == "broke jar 1"
    assert sum(d.after is None for d in change.deltas) == 1
    assert sum(d.before is None for d in change.deltas) == len(done.pieces)
    after = standing(FLOOR, *done.pieces)
    with pytest.raises(MoveRefused, match="already"):
        made(after, AdoptMove("adopt", (), (), done.pieces))


def poured(most: int = 40, **more: object) -> tuple[Settled, Stream, SceneIndex]:
    boulder = piece("boulder", ball(0.25, 3), (0.0, 0.2, 0.0))
    boulder = boulder.at(set_down(standing(FLOOR), boulder).pose)
    index = standing(FLOOR, boulder)
    slip = PourSlip((STONE,), rate=20.0, most=most, size=(0.4, 1.0), spread=0.15, seed=4, **more)  # type: ignore[arg-type]
    stream = Stream(index, slip)
    stream.to = np.array([0.0, 0.0, 0.4])
    run = Run(index, [], SettleSlip(seconds=60.0, calm=0.6), shapes_for({"stone": STONE}), {}, stream)
    for number, _ in enumerate(stepping(run)):
        angle = 0.05 * number
        stream.to = np.array([0.4 * np.sin(angle), 0.0, 0.4 * np.cos(angle)])
    return run.end(), stream, index


def test_stones_poured_round_a_boulder_lie_exactly_and_the_boulder_stays() -> None:
    done, stream, index = poured()
    assert stream.let_go == 40
    assert len(done.pieces) == 40 == len(done.born)
    boulder = index.pieces["boulder"]
    fits = check(SceneIndex([FLOOR, boulder, *done.pieces]))
    assert {k for k, f in fits.items() if f.faults and k != "boulder"} == set(done.named)
    assert len(done.named) <= 2
    for key, fit in fits.items():
        if key not in done.named and key != "boulder":
            assert fit.gap is not None
            assert fit.gap <= 5e-5
            assert fit.depth <= 1e-5
    assert len(index.pieces) == 2
    assert [p.pose for p in poured()[0].pieces] == [p.pose for p in done.pieces]


def test_the_large_come_first_when_that_is_asked() -> None:
    done, _, _ = poured(12, large_first=True)
    scales = [abs(float(np.linalg.det(p.pose.linear))) for p in sorted(done.pieces, key=lambda p: int(p.name[6:]))]
    assert scales == sorted(scales, reverse=True)


def test_a_stream_pauses_and_pours_nothing_into_walls_or_the_void() -> None:
    wall = piece("wall", box(2.0, 2.0, 0.5), (0.0, 1.0, 0.0), bearer=True)
    index = standing(piece("ledge", box(2.0, 0.2, 2.0), (0.0, -0.1, 0.0), bearer=True), wall)
    stream = Stream(index, PourSlip((STONE,), spread=0.05))
    nothing = (np.zeros((0, 3)), np.zeros(0), np.zeros(0, np.bool_))
    assert stream.due(1.0, *nothing) == []
    stream.to = np.array([0.0, 0.5, 0.0])
    assert stream.due(1.0, *nothing) == [], "inside the wall"
    stream.to = np.array([9.0, 0.0, 0.0])
    assert stream.due(1.0, *nothing) == [], "nothing is below"
    stream.to = np.array([0.0, 0.0, 0.6])
    (drop,) = stream.due(1.0, *nothing)
    height = drop.piece.pose.origin[1]
    there = (drop.piece.pose.origin[None], np.array([0.05]))
    assert stream.due(1.0, *there, np.array([True])) == [], "what was let go before is still in the way"
    (following,) = stream.due(0.0, *there, np.array([False]))
    assert following.piece.pose.origin[1] >= height + 0.05, "above what lies there"
    with pytest.raises(NotForGravity, match="nothing was poured"):
        Run(index, [], SettleSlip(), shapes_for({"stone": STONE}), {}, Stream(index, PourSlip((STONE,)))).end()


def test_a_thousand_in_one_spot_are_parted_and_stay_near() -> None:
    small = Prop("pebble", "pebble", box(0.02, 0.02, 0.02))
    pieces = [Piece(f"p{k}", f"p{k}", small, Pose((0.0, 0.02, 0.0))) for k in range(1000)]
    index = standing(FLOOR, *pieces)
    run = Run(index, [p.key for p in pieces], SettleSlip(calm=1.0, seconds=0.5), shapes_for({"pebble": small}))
    run.ease()
    for _ in stepping(run):
        pass
    places = np.array([p.pose.position for p in run.world.placed()])
    assert np.isfinite(places).all()
    assert np.abs(places[:, [0, 2]]).max() < 1.0, "something was thrown"
    assert places[:, 1].min() > 0.005, "something fell through"
    begun = check(SceneIndex([FLOOR, *run.loose[:40]]))
    assert not [f for f in begun.values() if f.clashes], "they did not start apart"
