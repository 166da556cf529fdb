"""The tree: its depth is bounded whatever the mesh, and every walk over it ends with the right answer."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from brickseat_core.contact.face_gap import faces_ahead
from brickseat_core.contact.rays import first_hit
from brickseat_core.fit.check import check
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.nearest import distances
from brickseat_core.geometry.tree import LEAF_SIZE, MAX_DEPTH, Tree, build_tree
from brickseat_core.gravity.shapes import contact_shape
from brickseat_core.scene import Pose
from shapes import FLOOR, ball, box, piece, standing


def depth_of(tree: Tree) -> int:
    """Levels below the root."""
    level = np.zeros(len(tree.child), np.int64)
    for node, child in enumerate(tree.child):
        if child >= 0:
            level[child] = level[child + 1] = level[node] + 1
    return int(level.max())


def shrinking_sheets(count: int, factor: float, least: float = 1e-290) -> Mesh:
    """Square sheets of two faces each, every one smaller by ``factor`` and a little above the last, seen from both sides."""
    vertices, faces = [], []
    for k in range(count):
        half = max(0.5 * factor**-k, least)
        base = len(vertices)
        vertices += [(-half, half, -half), (half, half, -half), (half, half, half), (-half, half, half)]
        faces += [(base, base + 1, base + 2), (base, base + 2, base + 3)]
        faces += [(base, base + 2, base + 1), (base, base + 3, base + 2)]
    return Mesh(np.array(vertices), np.array(faces, dtype=np.int32))


def whole(tree: Tree, triangles: int) -> None:
    """Every triangle is in one leaf, leaves are small, and every box holds what lies below it."""
    leaves = tree.child < 0
    assert sorted(tree.order) == list(range(triangles))
    assert int(tree.length[leaves].sum()) == triangles
    assert tree.length[leaves].max() <= LEAF_SIZE
    for node, child in enumerate(tree.child):
        if child < 0:
            mine = tree.corners[tree.start[node] : tree.start[node] + tree.length[node]].reshape(-1, 3)
            assert (mine >= tree.lo[node]).all()
            assert (mine <= tree.hi[node]).all()
        else:
            assert (tree.lo[child : child + 2] >= tree.lo[node]).all()
            assert (tree.hi[child : child + 2] <= tree.hi[node]).all()


@pytest.mark.parametrize("factor", [17.0, 1000.0, 2.0])
def test_sheets_that_shrink_do_not_make_a_deep_tree(factor: float) -> None:
    mesh = shrinking_sheets(240, factor)
    assert depth_of(mesh.tree) <= MAX_DEPTH
    whole(mesh.tree, len(mesh.faces))


def test_every_walk_gets_through_what_would_have_been_deep() -> None:
    nest = piece("nest", shrinking_sheets(240, 17.0, 1e-9), (0.0, 0.0, 0.0))
    index = standing(FLOOR, nest)
    hit = first_hit(index, np.array([0.3, 5.0, 0.2]), np.array([0.0, -1.0, 0.0]))
    assert hit is not None
    assert hit.point[1] == pytest.approx(0.5, abs=1e-9)
    above = piece("ball", ball(0.1, 2), (0.1, 2.0, 0.1))
    down = set_down(index, above)
    assert down.travel == pytest.approx(1.4, abs=2e-3), "onto the largest sheet, half a metre up"
    index.put(above.at(down.pose))
    assert check(index, keys=["ball"])["ball"].rests_on == ("nest",)
    far = distances(nest.prop.mesh.tree, np.array([[0.0, 3.0, 0.0], [2.5, 0.5, 0.0]]))
    assert far == pytest.approx([2.5, 2.0], abs=1e-9)
    assert contact_shape(nest.prop.mesh, "parts").cost >= 1


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(*[st.floats(-1e3, 1e3, allow_nan=False, width=32) for _ in range(9)]), min_size=1, max_size=120),
    st.sampled_from([1.0, 1e-300, 1e-160, 5e-324]),
)
def test_any_soup_gets_a_whole_tree_of_bounded_depth(soup: list[tuple[float, ...]], scale: float) -> None:
    corners = np.array(soup).reshape(-1, 3, 3) * scale
    tree = build_tree(corners)
    assert depth_of(tree) <= MAX_DEPTH
    whole(tree, len(corners))


@settings(max_examples=20, deadline=None)
@given(st.integers(1, 400), st.integers(0, 2**31 - 1))
def test_equal_centroids_are_halved(count: int, seed: int) -> None:
    rng = np.random.default_rng(seed)
    offsets = rng.normal(size=(count, 3, 3))
    offsets -= offsets.mean(axis=1, keepdims=True)
    tree = build_tree(np.round(offsets, 1))
    assert depth_of(tree) <= int(np.ceil(np.log2(max(count, 2)))) + 60
    assert depth_of(tree) <= MAX_DEPTH
    whole(tree, count)


def test_rays_find_what_a_look_at_every_triangle_finds() -> None:
    rng = np.random.default_rng(3)
    nest = piece("nest", shrinking_sheets(60, 1.3), (0.0, 0.0, 0.0))
    index = standing(nest, piece("box", box(0.2, 0.2, 0.2), (0.3, 1.0, 0.1)))
    for _ in range(200):
        origin, target = rng.uniform(-2, 2, 3) + np.array([0.0, 3.0, 0.0]), rng.uniform(-0.6, 0.6, 3)
        direction = (target - origin) / np.linalg.norm(target - origin)
        hit = first_hit(index, origin, direction)
        nearest = np.inf
        for p in index.pieces.values():
            for a, b, c in p.pose.apply(p.prop.mesh.vertices)[p.prop.mesh.faces]:
                matrix = np.stack([b - a, c - a, -direction], axis=1)
                if abs(np.linalg.det(matrix)) < 1e-18:
                    continue
                u, v, t = np.linalg.solve(matrix, origin - a)
                if min(u, v, 1 - u - v) >= 0.0 and t >= 0.0:
                    nearest = min(nearest, t)
        assert (hit.distance if hit is not None else np.inf) == pytest.approx(nearest, rel=1e-9)


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_rays_on_one_row_meet_what_each_meets_by_itself(seed: int) -> None:
    rng = np.random.default_rng(seed)
    basis = rng.normal(size=(3, 3)) + 2.0 * np.diag(rng.choice([-1.0, 1.0], 3))
    it = piece("it", ball(0.5, 2)).at(Pose.of(basis, rng.normal(size=3)))
    index = standing(FLOOR, it, piece("before", box(9.0, 9.0, 9.0), (0.0, 9.0, 0.0)))
    direction = rng.normal(size=3)
    direction /= np.linalg.norm(direction)
    origins = it.pose.origin - 5.0 * direction + rng.normal(size=(12, 3))
    row = index.row["it"]
    alone = [first_hit(index, origin, direction, only=row) for origin in origins]
    points, normals = faces_ahead(index, row, origins, direction)
    met = [hit for hit in alone if hit is not None]
    assume(met)
    assert len(points) == len(normals) == len(met)
    for point, normal, hit in zip(points, normals, met, strict=True):
        assert np.allclose(point, hit.point, atol=1e-12)
        assert np.allclose(normal, hit.normal, atol=1e-9)
        assert normal @ direction <= 0.0
