"""Where pieces start from, and the shapes they fall by: apart on the true meshes, and covered where it matters."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import ConvexHull

from brickseat_core.contact.depth import nested_rows
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.finish import Finished, toppled
from brickseat_core.gravity.settling import SettleSlip, settle, shapes_for
from brickseat_core.gravity.shapes import COVERED, few_corners
from brickseat_core.gravity.starting import back_on_their_side, jittered, lift_out, parted
from brickseat_core.scene import Piece, Pose, Prop, Vec, rotation_about
from shapes import FLOOR, ball, bounds, box, piece, revolved, standing

PROPS = (
    Prop("brick", "brick", box(0.2, 0.06, 0.1)),
    Prop("stone", "stone", ball(0.06, 2)),
    Prop(
        "bowl", "bowl", revolved([(0, 0), (0.06, 0), (0.1, 0.08), (0.09, 0.08), (0.055, 0.01), (0, 0.01)], sections=24)
    ),
)
near = st.floats(-0.15, 0.15)


@st.composite
def heaps(draw: st.DrawFn) -> list[Piece]:
    found = []
    for number in range(draw(st.integers(2, 7))):
        axis = np.array([draw(near), 1.0, draw(near)])
        turn = rotation_about(axis / np.linalg.norm(axis), draw(st.floats(-3.0, 3.0)))
        at = np.array([draw(near), 0.15 + draw(near), draw(near)])
        found.append(Piece(f"p{number}", f"p{number}", PROPS[draw(st.integers(0, 2))], Pose.of(turn, at)))
    return found


@settings(max_examples=25, deadline=None)
@given(heaps())
def test_whatever_starts_inside_something_is_brought_out_and_the_rest_stays(heap: list[Piece]) -> None:
    index = standing(FLOOR, *heap)
    apart = parted(index, heap)
    assert [index.pieces[p.key] for p in heap] == heap, "the index is as it was"
    assert not [f for f in check(SceneIndex([FLOOR, *apart])).values() if f.clashes]
    lowest = min(heap, key=lambda p: (float(bounds(p)[0][1]), p.key))
    for old, new in zip(heap, apart, strict=True):
        assert np.allclose(old.pose.linear, new.pose.linear), "nothing is turned"
        if old.key == lowest.key and bounds(old)[0][1] > 1e-5:
            assert new.pose == old.pose, "the lowest is in nobody's way"


@pytest.mark.parametrize("kind", PROPS, ids=lambda p: p.key)
def test_copies_in_one_place_go_beside_and_not_up_into_a_tower(kind: Prop) -> None:
    copies = [Piece(f"c{n}", f"c{n}", kind, Pose((0.3, 0.1, -0.2))) for n in range(30)]
    apart = parted(standing(FLOOR, *copies), copies)
    places = np.array([p.pose.position for p in apart])
    assert np.ptp(places[:, 1]) < 0.5, "a tower of thirty would be metres high"
    assert np.abs(places[:, [0, 2]] - [0.3, -0.2]).max() < 0.9
    assert not [f for f in check(SceneIndex([FLOOR, *apart])).values() if f.clashes]


def test_on_a_ledge_nobody_is_put_beside_it() -> None:
    ledge = piece("ledge", box(0.3, 0.1, 0.3), (0.0, 1.0, 0.0), bearer=True)
    copies = [Piece(f"c{n}", f"c{n}", PROPS[1], Pose((0.0, 1.12, 0.0))) for n in range(12)]
    apart = parted(standing(ledge, *copies), copies)
    assert np.abs(np.array([p.pose.position for p in apart])[:, [0, 2]]).max() < 0.15 + 0.06


def test_how_far_out_is_exact() -> None:
    index = standing(FLOOR)
    assert lift_out(index, piece("a", box(0.2, 0.2, 0.2), (0.0, 0.03, 0.0))) == pytest.approx(0.07, abs=1e-9)
    assert lift_out(index, piece("b", box(0.2, 0.2, 0.2), (0.0, 0.5, 0.0))) == 0.0
    buried = piece("c", box(0.2, 0.2, 0.2), (0.0, -0.5, 0.0))
    assert lift_out(index, buried) == pytest.approx(0.6, abs=1e-9)


def test_chance_is_the_seeds_alone_and_within_its_bounds() -> None:
    here = [Piece(f"p{n}", f"p{n}", PROPS[0], Pose((float(n), 0.0, 0.0))) for n in range(20)]
    moved = jittered(here, 0.2, 0.05, 3)
    assert [p.pose for p in moved] == [p.pose for p in jittered(here, 0.2, 0.05, 3)]
    assert [p.pose for p in moved] != [p.pose for p in jittered(here, 0.2, 0.05, 4)]
    by = np.array([q.pose.origin - p.pose.origin for p, q in zip(here, moved, strict=True)])
    assert np.abs(by[:, [0, 2]]).max() <= 0.05
    assert (by[:, 1] >= 0.2 - 1e-12).all(), "nothing is shaken into what it stands on"
    assert [p.pose for p in jittered(here, 0.0, 0.0, 3)] == [p.pose for p in here]


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 2**31), st.integers(28, 64))
def test_few_corners_are_pushed_out_over_most_of_what_they_leave_out(seed: int, most: int) -> None:
    rng = np.random.default_rng(seed)
    ways = rng.normal(size=(400, 3))
    points = ways / np.linalg.norm(ways, axis=1)[:, None] * [1.0, 0.4, 0.7]

    def beyond(corners: Vec) -> float:
        hull = ConvexHull(corners)
        return float((points @ hull.equations[:, :3].T + hull.equations[:, 3]).max(axis=1).max())

    found = few_corners(points, most)
    assert len(found) <= most
    # The same corners, not pushed out, are points of the set.
    nearest = points[np.argmin(np.linalg.norm(points[None] - found[:, None], axis=2), axis=1)]
    assert beyond(found) <= (1.5 - COVERED) * beyond(nearest) + 1e-9
    assert np.linalg.norm(found - nearest, axis=1).max() < 0.5, "no corner runs away"


def test_what_stands_on_its_edge_topples_to_a_stand() -> None:
    tilted = rotation_about(np.array([0.0, 0.0, 1.0]), np.radians(25.0))
    edge = Piece("edge", "edge", PROPS[0], Pose.of(tilted, np.array([1.0, 0.3, 0.0])))
    edge = edge.at(set_down(standing(FLOOR), edge).pose)
    index = standing(FLOOR, edge)
    assert check(index)["edge"].faults == ("tippy",)
    done = toppled(index, Finished((edge,), check(index)), 0.0005)
    assert done.named == {}
    assert done.pieces[0].pose != edge.pose
    assert index.pieces["edge"] == edge


def test_what_was_pushed_under_open_ground_goes_back_above_it() -> None:
    x, z = np.meshgrid(np.linspace(-2, 2, 21), np.linspace(-2, 2, 21))
    faces = [
        t
        for i in range(20)
        for j in range(20)
        for a in [21 * i + j]
        for t in ((a, a + 21, a + 1), (a + 1, a + 21, a + 22))
    ]
    heights = 0.05 * np.sin(3 * x) * np.cos(2 * z)
    ground = piece(
        "ground", Mesh(np.stack([x.ravel(), heights.ravel(), z.ravel()], 1), np.array(faces, np.int32)), bearer=True
    )
    wall = piece("wall", box(0.5, 1.0, 3.0), (1.5, 0.5, 0.0), bearer=True)
    starts = [piece(f"p{n}", box(0.2, 0.1, 0.1), (-1.0 + 0.4 * n, 0.5, 0.0)) for n in range(5)]
    index = standing(ground, wall, *starts)
    fell = [
        starts[0].at(Pose((-1.0, -0.4, 0.0))),
        starts[1].at(Pose((-0.6, 0.06, 0.0))),
        starts[2].at(Pose((1.5, 0.4, 0.1))),
        starts[3].at(Pose((0.2, -3.0, 0.4))),
        starts[4].at(Pose((0.6, 0.09, 0.0))),
    ]
    back = back_on_their_side(index, fell, {p.key: p for p in starts}, ())
    for before, after in zip(fell, back, strict=True):
        if before.key in ("p1", "p4"):
            assert after is before, "what lies on top stays"
        else:
            assert after.pose.position[1] > 0.3
    again = standing(ground, wall, *back)
    fits = check(again)
    assert not any(fits[key].clashes for key in ("p0", "p2", "p3"))


def test_unevenly_stretched_things_end_on_the_side_of_the_ground_they_fell_from() -> None:
    rng = np.random.default_rng(11)
    x, z = np.meshgrid(np.linspace(-1.5, 1.5, 40), np.linspace(-1.5, 1.5, 40))
    faces = [
        t
        for i in range(39)
        for j in range(39)
        for a in [40 * i + j]
        for t in ((a, a + 40, a + 1), (a + 1, a + 40, a + 41))
    ]
    heights = 0.08 * np.sin(3 * x) * np.cos(2.5 * z)
    ground = piece(
        "ground", Mesh(np.stack([x.ravel(), heights.ravel(), z.ravel()], 1), np.array(faces, np.int32)), bearer=True
    )
    shape = box(0.1, 0.1, 0.1)
    pieces = []
    for n in range(24):
        stretch = rng.uniform(0.15, 2.5, 3)
        axis = rng.normal(size=3)
        turn = rotation_about(axis / np.linalg.norm(axis), float(rng.uniform(0, 3)))
        place = np.array([rng.uniform(-0.5, 0.5), 0.4 + 0.12 * n, rng.uniform(-0.5, 0.5)])
        p = Piece(f"p{n}", f"p{n}", Prop("slab", "slab", shape), Pose.of(turn * stretch, place))
        pieces.append(p)
    index = standing(ground, *pieces)
    done = settle(index, [p.key for p in pieces], SettleSlip(seed=3), shapes_for({"slab": pieces[0].prop}))
    after = SceneIndex([ground, *done.pieces])
    for p in done.pieces:
        assert not nested_rows(after, p, after.row[p.key], (after.row["ground"],)), f"{p.key} lies under the ground"
