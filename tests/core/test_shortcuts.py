"""The shortcuts of the kernel against the long way round: closest features, bounds of leaves, ways out of parts."""

import math

import fcl
import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import nnls

from brickseat_core.contact.column_query import query_of
from brickseat_core.contact.contacts import query_contacts
from brickseat_core.contact.depth import column
from brickseat_core.contact.features import near_features
from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.free_drop import free_drop
from brickseat_core.contact.free_interval import first_free_interval, first_free_interval_kernel
from brickseat_core.contact.holding import held_along, holding_kernel
from brickseat_core.contact.index import SceneIndex
from brickseat_core.contact.kernels.interval import POLYGON_ROOM, gap_span, overlap_polygon
from brickseat_core.contact.kernels.least_squares import least_residue
from brickseat_core.contact.kernels.mover import Mover, frame_along
from brickseat_core.contact.kernels.pairs import axes_kernel, box_beside, leaf_span
from brickseat_core.contact.rays import first_hit
from brickseat_core.contact.separation import MOST_STRETCHES, blocked_kernel
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Vec, rotation_matrix
from brickseat_core.tolerances import FLUSH_WIDTH
from shapes import ball, box, piece, revolved, standing

DOWN = np.array([0.0, -1.0, 0.0])
seeds = st.integers(0, 2**32 - 1)


def somewhere(rng: np.random.Generator, name: str, mesh: Mesh, spread: float) -> Piece:
    q = rng.normal(size=4)
    at = rng.uniform(-spread, spread, 3)
    return piece(name, mesh).at(Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])), at))


def fcl_distance(a: Piece, b: Piece) -> float:
    objects = []
    for p in (a, b):
        model = fcl.BVHModel()
        model.beginModel(len(p.prop.mesh.vertices), len(p.prop.mesh.faces))
        model.addSubModel(p.prop.mesh.vertices, p.prop.mesh.faces)
        model.endModel()
        objects.append(fcl.CollisionObject(model, fcl.Transform(p.pose.linear, p.pose.origin)))
    return float(fcl.distance(objects[0], objects[1], fcl.DistanceRequest(), fcl.DistanceResult()))


@settings(max_examples=60, deadline=None)
@given(seeds)
def test_the_nearest_feature_is_as_near_as_another_library_says(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shapes = [box(0.2, 0.1, 0.15), ball(0.1, 2), revolved([(0, 0), (0.1, 0), (0.12, 0.1), (0.1, 0.1), (0, 0.02)], 16)]
    a = somewhere(rng, "a", shapes[seed % 3], 0.2)
    b = somewhere(rng, "b", shapes[(seed // 3) % 3], 0.2)
    wanted = fcl_distance(a, b)
    if wanted < 1e-5:
        return
    index = standing(b)
    mover = index.mover(a.prop.mesh, a.pose, frame_along(DOWN))
    found = near_features(index, mover, index.only(mover, a.pose.origin, [0]), 1.1 * wanted)
    assert found.gaps.min() == pytest.approx(wanted, abs=2e-6)
    assert np.allclose(np.linalg.norm(found.normals, axis=1), 1.0)
    # Moved by its gap against its normal, each point of the mover lies on the other surface.
    feet = (found.points - found.gaps[:, None] * found.normals) @ mover.frame + a.pose.origin
    triangles = b.pose.apply(b.prop.mesh.vertices)[b.prop.mesh.faces]
    for foot in feet[:8]:
        nearest = trimesh.triangles.closest_point(triangles, np.tile(foot, (len(triangles), 1)))
        assert np.linalg.norm(nearest - foot, axis=1).min() < 1e-9


@settings(max_examples=200, deadline=None)
@given(seeds)
def test_the_plane_of_a_large_triangle_never_promises_too_much(seed: int) -> None:
    """Every gap over the rectangle lies within what the bound says of the leaf."""
    rng = np.random.default_rng(seed)
    corners = rng.uniform(-3.0, 3.0, (3, 3)) * np.array([1.0, 1.0, rng.choice([0.01, 1.0])])
    land = piece("land", Mesh(corners, np.array([[0, 1, 2]], dtype=np.int32)))
    index = standing(land)
    small = rng.uniform(-0.2, 0.2, (3, 3)) + rng.uniform(-2.0, 2.0, 3)
    lo, hi = small.min(axis=0), small.max(axis=0)
    over = Mover(np.eye(3), small[None], lo[None], hi[None], 0, 0, 0.0, np.eye(3))
    low, high = leaf_span(index.forest, 0, np.eye(3)[None], np.zeros((1, 3)), 0, np.empty((3, 3)), over, 0)
    out, work = np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3))
    count = overlap_polygon(small, corners, FLUSH_WIDTH, out, work)
    if count == 0:
        return
    standing_w = out[:count, 2] - out[:count, 3]
    assert low <= high
    assert (standing_w >= low - 1e-9).all()
    assert (standing_w <= high + 1e-9).all()


def held_out_of(index: SceneIndex, point: Vec, way: Vec) -> float:
    """What a small ball needs to leave what stands, along a direction."""
    mesh = ball(2e-4, 1)
    forest, placed, _, moving = index.with_moving_mesh(mesh)
    points = (mesh.inner_points, np.empty((0, 3)))
    holding = holding_kernel(forest, placed, moving, np.eye(3), np.eye(3), point, 0, *points)
    return float(held_along(holding, way, np.inf))


def test_the_way_out_passes_through_parts_that_touch_and_overlap() -> None:
    """A floor of boards is one solid: its joints are not the way out."""
    board = box(0.2, 0.1, 2.0)
    steps = (0.0, 0.2, 0.4, 0.55)
    boards = Mesh(
        np.concatenate([board.vertices + np.array([x, 0.0, 0.0]) for x in steps]),
        np.concatenate([board.faces + 8 * k for k in range(len(steps))]).astype(np.int32),
    )
    index = standing(piece("boards", boards))
    start = np.array([-0.03, 0.01, 0.013])
    assert held_out_of(index, start, np.array([1.0, 0.0, 0.0])) == pytest.approx(0.68, abs=3e-4)
    assert held_out_of(index, start, np.array([-1.0, 0.0, 0.0])) == pytest.approx(0.07, abs=3e-4)
    aslant = np.array([math.cos(0.3), math.sin(0.3), 0.0])
    assert held_out_of(index, start, aslant) == pytest.approx(0.04 / math.sin(0.3), abs=1e-3)


@settings(max_examples=60, deadline=None)
@given(seeds)
def test_a_ray_meets_the_nearest_of_all_triangles(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pieces = [somewhere(rng, f"p{k}", ball(0.2, 1), 0.6) for k in range(4)]
    index = standing(*pieces)
    origin = rng.uniform(-2, 2, 3)
    way = rng.uniform(-0.5, 0.5, 3) - origin
    way /= np.linalg.norm(way)
    nearest = math.inf
    for p in pieces:
        t = p.pose.apply(p.prop.mesh.vertices)[p.prop.mesh.faces]
        e1, e2 = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
        cross = np.cross(way, e2)
        det = np.einsum("ij,ij->i", e1, cross)
        s = origin - t[:, 0]
        u = np.einsum("ij,ij->i", s, cross) / det
        q = np.cross(s, e1)
        v = q @ way / det
        d = np.einsum("ij,ij->i", e2, q) / det
        met = (u >= 0) & (v >= 0) & (u + v <= 1) & (d >= 0)
        nearest = min(nearest, float(d[met].min(initial=math.inf)))
    hit = first_hit(index, origin, way)
    assert (hit.distance if hit else math.inf) == pytest.approx(nearest, abs=1e-12)


@settings(max_examples=300, deadline=None)
@given(seeds)
def test_planes_bound_the_gap_of_two_triangles_before_they_are_clipped(seed: int) -> None:
    rng = np.random.default_rng(seed)
    p, s = (rng.uniform(-1.0, 1.0, (3, 3)) * rng.choice([1.0, 0.1, 1e-3], 3) for _ in range(2))
    if seed % 3 == 0:
        s[:, rng.integers(0, 3)] = s[0, rng.integers(0, 3)]
    out, work = np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3))
    count = overlap_polygon(p, s, FLUSH_WIDTH, out, work)
    closest, farthest = gap_span(p, s)
    assert (out[:count, 3] >= closest - 1e-12).all()
    assert (out[:count, 3] <= farthest + 1e-12).all()


@settings(max_examples=80, deadline=None)
@given(seeds)
def test_one_look_tells_what_the_long_way_round_tells(seed: int) -> None:
    """Standing, hanging or stuck: the quick look and the quick drop agree with the walk that they stand for."""
    rng = np.random.default_rng(seed)
    bowl = revolved([(0, 0), (0.1, 0), (0.12, 0.1), (0.1, 0.1), (0, 0.02)], 16)
    shapes = [box(0.2, 0.1, 0.15), ball(0.1, 2), bowl]
    others = [somewhere(rng, f"o{n}", shapes[int(rng.integers(3))], 0.25) for n in range(4)]
    index = standing(*others)
    moving = somewhere(rng, "m", shapes[seed % 3], 0.2)
    if seed % 4:
        # Mostly brought into contact first, as nearly everything on a set is.
        moving = moving.at(set_down(index, moving).pose)
    if seed % 8 == 1:
        moving = moving.at(moving.pose.moved(rng.uniform(-1e-5, 1e-5, 3)))
    long = first_contact(index, *column(index, moving, -1))
    look = query_contacts(index, moving, -1, 0.0, 1e-4)
    assert set(look.initially_intersecting) == set(long.initially_intersecting)
    free, travel, met = free_drop(index, moving, -1)
    assert free == (not look.initially_intersecting and not look.containers and not look.contained)
    if not long.initially_intersecting:
        assert look.travel == pytest.approx(long.travel, abs=1e-12)
        assert travel == pytest.approx(long.travel, abs=1e-12)
        if free and travel is not None:
            (alone,) = (p for k, p in index.pieces.items() if index.row[k] == met)
            assert free_drop(standing(alone), moving, -1)[1] == pytest.approx(travel, abs=1e-12)
    # Wherever contact is looked for first, it is found as it is.
    for close in (1e-4, 0.005, 10.0):
        assert free_drop(index, moving, -1, close=close)[:2] == (free, travel)


@settings(max_examples=150, deadline=None)
@given(seeds)
def test_boxes_told_apart_hold_nothing_that_meets(seed: int) -> None:
    """Two triangles that come to touch along the travel are never ruled out by the boxes about them."""
    rng = np.random.default_rng(seed)
    # Slats at any slant: there a box in the frame is far larger than along either mesh's own axes.
    a = somewhere(rng, "a", box(0.5, 0.01, 0.03), 0.2)
    b = somewhere(rng, "b", box(0.03, 0.4, 0.02), 0.2)
    index = standing(b)
    mover = index.mover(a.prop.mesh, a.pose, frame_along(DOWN))
    near = index.only(mover, a.pose.origin, [0])
    out, work = np.empty((POLYGON_ROOM, 4)), np.empty((POLYGON_ROOM, 3))
    room = index.placed.root[0]
    gaps = []
    for t in mover.tri:
        for s in index.forest.corners[index.forest.start[room] : index.forest.start[room] + len(b.prop.mesh.faces)]:
            count = overlap_polygon(t, s @ near.matrix[0].T + near.offset[0], FLUSH_WIDTH, out, work)
            gaps += out[:count, 3].tolist()
    axes = axes_kernel(index.placed, near.rows, mover, near.matrix, near.offset)
    for below in (0.0, 0.02, 0.3):
        beside = box_beside(index.forest, room, axes, near.offset, 0, mover, 0, 0.0, below, 0.0)
        if any(0.0 <= gap <= below for gap in gaps):
            assert not beside, below


def test_a_prop_that_stands_nowhere_yet_is_seated_as_any_other() -> None:
    index = standing(piece("floor", box(4.0, 0.2, 4.0), (0.0, -0.1, 0.0), bearer=True))
    for name, mesh in (("ball", ball(0.1, 2)), ("crate", box(0.2, 0.2, 0.2))):
        found = set_down(index, piece(name, mesh, (0.3, 0.5, 0.0)))
        assert found.pose.position[1] == pytest.approx(-float(mesh.box[0][1]), abs=1e-9)


@settings(max_examples=80, deadline=None)
@given(seeds)
def test_what_blocked_one_way_out_never_says_too_much_of_another(seed: int) -> None:
    rng = np.random.default_rng(seed)
    a, b = somewhere(rng, "a", ball(0.1, 2), 0.06), somewhere(rng, "b", box(0.2, 0.12, 0.3), 0.06)
    index = standing(b)
    forest, _, _, moving = index.with_moving_mesh(a.prop.mesh)
    stretches = np.empty((MOST_STRETCHES, 2), np.int64)
    first = rng.normal(size=3)
    second = first + rng.normal(size=3) * 0.3

    def along(way: Vec) -> tuple[Vec, Mover]:
        frame = frame_along(-way / np.linalg.norm(way))
        return frame, index.mover(a.prop.mesh, a.pose, frame)

    frame, mover = along(first)
    near = index.only(mover, a.pose.origin, [0])
    probes = a.pose.apply(a.prop.mesh.probes)
    ignored_width = np.full(1, FLUSH_WIDTH)
    _, count = first_free_interval_kernel(
        query_of(index, mover, near), index.placed, probes, frame[2].copy(), np.inf, ignored_width, 0.0, stretches
    )
    frame, mover = along(second)
    near = index.only(mover, a.pose.origin, [0])
    room = (
        np.empty((POLYGON_ROOM, 4)),
        np.empty((POLYGON_ROOM, 3)),
        np.empty(MOST_STRETCHES),
        np.empty(MOST_STRETCHES),
    )
    blocked = blocked_kernel(
        *(forest, moving.tri0, frame @ a.pose.linear, near.matrix, near.offset),
        *(stretches, count, 0.0, np.inf, np.empty((3, 3)), np.empty((3, 3)), room),
    )
    lift = first_free_interval(index, mover, near, probes)
    assert lift is not None
    assert blocked <= lift + 1e-9


@settings(max_examples=200, deadline=None)
@given(seeds)
def test_non_negative_least_squares_agree_with_another_library(seed: int) -> None:
    rng = np.random.default_rng(seed)
    columns = rng.normal(size=(int(rng.integers(1, 80)), 6)) * rng.choice([1.0, 0.05], 6)
    wanted = rng.normal(size=6)
    if seed % 2:
        # Within the cone of some columns, as a weight that is held is.
        wanted = rng.uniform(0.0, 1.0, min(3, len(columns))) @ columns[:3]
    assert least_residue(columns, wanted, 1e-9) == pytest.approx(nnls(columns.T, wanted)[1], abs=1e-6)
