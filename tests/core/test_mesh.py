"""What is measured of a mesh: mass, health, resting sides, and the numbers everything else leans on."""

import math
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.kernels.mover import frame_along
from brickseat_core.geometry.display import display_copy
from brickseat_core.geometry.mesh import Mesh, MeshError, number_rows
from brickseat_core.geometry.sides import resting_sides
from shapes import ball, box, inward, revolved, roof, sheet


def test_mass_of_known_solids() -> None:
    volume, centre = box(0.4, 0.2, 0.3).mass
    assert volume == pytest.approx(0.024, rel=1e-12)
    assert np.allclose(centre, 0.0, atol=1e-12)
    volume, centre = roof(1.0, 0.3, 0.6, along_x=True).mass
    assert volume == pytest.approx(0.18, rel=1e-12)
    assert np.allclose(centre, (0.0, 0.2, 0.0), atol=1e-12)
    cone = revolved([(0, 0), (0.3, 0), (0, 0.6)], sections=720)
    assert cone.mass[0] == pytest.approx(math.pi * 0.3**2 * 0.6 / 3, rel=1e-4)
    assert cone.mass[1][1] == pytest.approx(0.15, abs=1e-6)


def test_mass_is_that_of_the_hollow_thing_not_of_its_hull() -> None:
    pot = revolved([(0, 0), (0.1, 0), (0.1, 0.2), (0.09, 0.2), (0.09, 0.01), (0, 0.01)], sections=720)
    wanted = math.pi * (0.1**2 * 0.2 - 0.09**2 * 0.19)
    assert pot.mass[0] == pytest.approx(wanted, rel=1e-4)


def test_far_from_the_origin_nothing_is_lost() -> None:
    mesh = box(0.4, 0.2, 0.3)
    far = Mesh(mesh.vertices + np.array([8000.0, 120.0, -4000.0]), mesh.faces)
    assert far.mass[0] == pytest.approx(0.024, rel=1e-8)
    assert np.allclose(far.mass[1] - (8000.0, 120.0, -4000.0), 0.0, atol=1e-9)
    assert far.health.closed


def test_health_tells_what_is_unusual() -> None:
    assert box(1, 1, 1).health.closed
    assert inward(box(1, 1, 1)).health.inward
    assert sheet([(0, 0, 0), (0, 0, 1), (1, 0, 1), (1, 0, 0)]).health.open_edges == 4
    mesh = box(1, 1, 1)
    doubled = Mesh(mesh.vertices, np.concatenate([mesh.faces, mesh.faces[:2]]))
    assert doubled.health.duplicate == 2
    flat = Mesh(mesh.vertices, np.concatenate([mesh.faces, [[0, 0, 1]]]).astype(np.int32))
    assert flat.health.degenerate == 1
    both = Mesh(np.concatenate([mesh.vertices, mesh.vertices + 3.0]), np.concatenate([mesh.faces, mesh.faces + 8]))
    assert both.health.shells == 2
    assert len(both.probes) == 4


def test_corners_written_apart_are_one_corner() -> None:
    """Files split a vertex for its normals; topology is judged of the welded surface."""
    mesh = box(1, 1, 1)
    split = Mesh(mesh.vertices[mesh.faces].reshape(-1, 3), np.arange(36, dtype=np.int32).reshape(-1, 3))
    assert split.health.closed
    assert split.health.shells == 1
    assert np.allclose(split.corner_normals[0], mesh.corner_normals[0])


@pytest.mark.parametrize(
    ("vertices", "faces", "words"),
    [
        (np.zeros((0, 3)), np.zeros((0, 3), np.int32), "no triangles"),
        (np.zeros((3, 3)), np.array([[0, 1, 3]], np.int32), "out of range"),
        (np.full((3, 3), np.nan), np.array([[0, 1, 2]], np.int32), "not a finite number"),
    ],
)
def test_a_mesh_that_cannot_be_used_is_refused(vertices: np.ndarray, faces: np.ndarray, words: str) -> None:  # type: ignore[type-arg]
    with pytest.raises(MeshError, match=words):
        Mesh(vertices, faces)


def test_a_box_stands_on_six_sides_and_best_on_the_largest() -> None:
    sides = resting_sides(box(0.4, 0.2, 0.3))
    assert len(sides) == 6
    assert abs(sides[0].down[1]) == pytest.approx(1.0)
    assert sides[0].height == pytest.approx(0.1)
    assert sides[0].steadiness_deg == pytest.approx(math.degrees(math.atan2(0.15, 0.1)))
    assert sides[0].area == pytest.approx(0.12)
    assert sides[-1].steadiness_deg == pytest.approx(math.degrees(math.atan2(0.1, 0.2)))


def test_a_leaning_thing_does_not_stand_on_a_side_its_weight_is_not_over() -> None:
    leaning = roof(1.0, 0.1, 0.2, along_x=True)
    sheared = Mesh(leaning.vertices + leaning.vertices[:, 1:2] * np.array([0.0, 0.0, 2.5]), leaning.faces)
    assert not any(side.down[1] < -0.99 for side in resting_sides(sheared))
    assert any(side.down[1] < -0.99 for side in resting_sides(leaning))


@given(st.lists(st.tuples(*[st.integers(-(2**40), 2**40)] * 3), min_size=1, max_size=60))
def test_equal_rows_have_equal_numbers(rows: list[tuple[int, int, int]]) -> None:
    array = np.array(rows + rows[:5], dtype=np.int64)
    _, wanted = np.unique(array, axis=0, return_inverse=True)
    found = number_rows(array)
    same = wanted.reshape(-1, 1) == wanted.reshape(1, -1)
    assert np.array_equal(found.reshape(-1, 1) == found.reshape(1, -1), same)
    assert found.max() == wanted.max()


@settings(max_examples=50)
@given(st.tuples(*[st.floats(-1, 1)] * 3).filter(lambda d: sum(v * v for v in d) > 1e-3))
def test_a_frame_is_right_handed_and_looks_back_along_its_direction(d: tuple[float, float, float]) -> None:
    frame = frame_along(np.array(d))
    assert np.allclose(frame @ frame.T, np.eye(3), atol=1e-12)
    assert np.linalg.det(frame) == pytest.approx(1.0)
    assert np.allclose(frame[2], -np.array(d) / np.linalg.norm(d))


def test_axis_frames_are_exact() -> None:
    for axis in (*np.eye(3), *-np.eye(3)):
        assert set(np.abs(frame_along(axis)).ravel()) == {0.0, 1.0}


def test_the_tree_holds_every_triangle_once_inside_its_boxes() -> None:
    tree = ball(0.3, 4).tree
    assert sorted(tree.order) == list(range(len(tree.corners)))
    leaves = np.flatnonzero(tree.child < 0)
    assert tree.length[leaves].sum() == len(tree.corners)
    for node in leaves:
        run = tree.corners[tree.start[node] : tree.start[node] + tree.length[node]]
        assert (run >= tree.lo[node] - 1e-15).all()
        assert (run <= tree.hi[node] + 1e-15).all()
    inner = np.flatnonzero(tree.child >= 0)
    for side in (0, 1):
        assert (tree.lo[tree.child[inner] + side] >= tree.lo[inner]).all()
        assert (tree.hi[tree.child[inner] + side] <= tree.hi[inner]).all()


def test_light_copies_made_at_once_are_those_made_one_by_one() -> None:
    meshes = [ball(0.5, n) for n in (2, 3, 4)] * 60
    alone = [display_copy(mesh, len(mesh.faces) // 5)[0] for mesh in meshes[:3]]
    with ThreadPoolExecutor(8) as pool:
        together = list(pool.map(lambda mesh: display_copy(mesh, len(mesh.faces) // 5)[0], meshes))
    for number, light in enumerate(together):
        assert np.array_equal(light.vertices, alone[number % 3].vertices)
        assert np.array_equal(light.faces, alone[number % 3].faces)
