"""What the pointer is near: corners, edges, middles and centres of the true mesh, and seats that a prop is likely to want."""

import numpy as np
import pytest

from brickseat_core.constraints.suggesting import axis_of_revolution, suggested_seats, turn_step
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.placing.catching import catch
from brickseat_core.scene import Pose, rotation_matrix
from shapes import FLOOR, ball, box, mesh_of, piece, revolved, standing

import trimesh  # isort: skip

EYE = np.array([0.4, 3.0, 4.0])
PIXEL = 0.001


def crate() -> SceneIndex:
    return standing(FLOOR, piece("crate", box(1.0, 0.6, 0.8), (0.0, 0.3, 0.0)))


def near(index: SceneIndex, point: tuple[float, float, float], off: float = 0.006, **more: str):  # type: ignore[no-untyped-def]
    """What is caught when the pointer is a few pixels from a point."""
    way = np.array(point) - EYE
    aside = np.cross(way, [0.3, 1.0, 0.2])
    return catch(index, EYE, way + aside / np.linalg.norm(aside) * off, PIXEL, **more)


@pytest.mark.parametrize(
    ("at", "what"),
    [
        ((0.5, 0.6, 0.4), "corner"),
        ((0.0, 0.6, 0.4), "middle"),
        ((0.31, 0.6, 0.4), "edge"),
        ((0.0, 0.6, 0.0), "centre"),
        ((0.16, 0.6, 0.08), "face"),
    ],
)
def test_each_is_caught_where_it_is(at: tuple[float, float, float], what: str) -> None:
    found = near(crate(), at)
    assert found is not None
    assert (found.what, found.on) == (what, "crate")
    if what == "edge":
        assert found.point[1:] == pytest.approx(at[1:], abs=1e-9)
    elif what != "face":
        assert found.point == pytest.approx(at, abs=1e-9)
    assert found.normal @ (EYE - found.point) > 0


def test_what_is_hidden_or_looked_through_is_not_caught() -> None:
    index = standing(
        FLOOR, piece("crate", box(1.0, 0.6, 0.8), (0.0, 0.3, 0.0)), piece("lid", box(0.2, 0.1, 0.2), (0.45, 0.65, 0.35))
    )
    hidden = near(index, (0.5, 0.6, 0.4), 0.0)
    assert hidden is None or hidden.on == "lid"
    through = near(index, (0.5, 0.6, 0.4), skip="lid")
    assert (through.what, through.on) == ("corner", "crate")
    # From outside the outline of the one that is looked at.
    outside = near(index, (-0.5, 0.6, -0.4), 0.012, only="crate")
    assert (outside.what, outside.on) == ("corner", "crate")
    assert near(index, (9.0, 3.0, -9.0), only="crate") is None


def test_a_round_rim_has_a_centre_and_no_corners() -> None:
    tube = revolved([(0.2, 0), (0.3, 0), (0.3, 0.5), (0.2, 0.5), (0.2, 0)], 48)
    assert len(tube.sharp_lines.corners) == 0
    assert not tube.sharp_lines.between.any()
    found = near(standing(piece("tube", tube)), (0.25, 0.5, 0.0), 0.0)
    assert found.what in ("edge", "face")
    # The middle of the opening is caught from the rim that it belongs to.
    small = revolved([(0.002, 0), (0.02, 0), (0.02, 0.5), (0.002, 0.5), (0.002, 0)], 48)
    centre = near(standing(piece("tube", small)), (0.01, 0.5, 0.0), 0.0)
    assert centre.what == "centre"
    assert centre.point == pytest.approx([0, 0.5, 0], abs=1e-6)


def shelf() -> Mesh:
    """A slab with two bored holes."""
    slab = trimesh.creation.box((0.5, 0.04, 0.3))
    holes = [
        trimesh.creation.cylinder(
            0.03, 0.2, 40, transform=trimesh.transformations.rotation_matrix(np.pi / 2, [1, 0, 0], None)
        ).apply_translation((x, 0, 0))
        for x in (-0.15, 0.15)
    ]
    return mesh_of(trimesh.boolean.difference([slab, *holes], engine="manifold"))


@pytest.mark.parametrize(
    ("mesh", "wanted"),
    [
        (box(0.4, 0.3, 0.2), [((0, 0.15, 0), (0, 1, 0)), ((0, -0.15, 0), (0, -1, 0)), ((0.2, 0, 0), (1, 0, 0))]),
        (
            revolved([(0, 0), (0.1, 0), (0.14, 0.2), (0.06, 0.3), (0.05, 0.3), (0.1, 0.02), (0, 0.02)]),
            [((0, 0, 0), (0, -1, 0)), ((0, 0.3, 0), (0, 1, 0))],
        ),
        (
            shelf(),
            [
                ((-0.15, 0.02, 0), (0, 1, 0)),
                ((0.15, 0.02, 0), (0, 1, 0)),
                ((0.15, -0.02, 0), (0, -1, 0)),
                ((0, 0.02, 0), (0, 1, 0)),
            ],
        ),
    ],
)
def test_seats_that_are_wanted_are_among_the_first_eight(mesh: Mesh, wanted: list[tuple[object, object]]) -> None:
    found = suggested_seats(mesh)[:8]
    for point, facing in wanted:
        assert any(
            np.allclose(s.point, point, atol=2e-3) and np.allclose(s.facing, facing, atol=1e-3) for s in found
        ), (point, facing, [(s.name, s.point, s.facing) for s in found])
    assert len({s.name for s in found}) == len(found)


def test_the_turn_step_is_the_meshs_own_symmetry() -> None:
    up = np.array([0.0, 1.0, 0.0])
    assert turn_step(box(0.3, 0.3, 0.3), np.zeros(3), up) == 90.0
    assert turn_step(box(0.4, 0.3, 0.2), np.zeros(3), up) == 180.0
    assert turn_step(revolved([(0, 0), (0.1, 0), (0.12, 0.3), (0, 0.3)], 64), np.zeros(3), up) == 0.0
    three = mesh_of(
        trimesh.util.concatenate(
            [
                trimesh.creation.box((0.02, 0.02, 0.2))
                .apply_translation((0, 0, 0.1))
                .apply_transform(trimesh.transformations.rotation_matrix(2 * np.pi * k / 3, [0, 1, 0]))
                for k in range(3)
            ]
        )
    )
    assert turn_step(three, np.zeros(3), up) == 120.0
    assert turn_step(three, np.array([0.05, 0, 0]), up) == 360.0


def test_the_axis_of_what_was_turned_is_found_wherever_it_lies() -> None:
    mesh = revolved([(0, 0), (0.1, 0), (0.14, 0.2), (0.05, 0.3), (0, 0.3)], 48)
    turn = rotation_matrix((0.3, 0.5, -0.2, 0.7))
    pose = Pose.of(turn, np.array([1.0, -2.0, 0.5]))
    moved = Mesh(pose.apply(mesh.vertices), mesh.faces)
    found = axis_of_revolution(moved)
    assert found is not None
    point, way = found
    assert abs(way @ turn[:, 1]) == pytest.approx(1.0, abs=1e-6)
    arm = point - pose.origin
    assert np.linalg.norm(arm - turn[:, 1] * (arm @ turn[:, 1])) < 1e-6
    assert axis_of_revolution(box(0.4, 0.3, 0.2)) is None
    assert axis_of_revolution(ball(0.2)) is None
