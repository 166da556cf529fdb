"""Contact shapes: they cover the mesh, leave its hollows free, and things that fall inside them get out."""

import numpy as np
import pytest
import trimesh
from scipy.spatial import ConvexHull

from brickseat_core.geometry.mesh import Mesh, Vec
from brickseat_core.gravity.settling import Run, SettleSlip, shapes_for
from brickseat_core.gravity.shapes import contact_shape, settling_shape
from shapes import FLOOR, box, mesh_of, piece, revolved, standing

OUTSIDE = [(0, 0), (0.07, 0), (0.12, 0.1), (0.1, 0.2), (0.035, 0.26), (0.04, 0.3)]
INSIDE = [(0.034, 0.3), (0.029, 0.26), (0.094, 0.2), (0.113, 0.1), (0.065, 0.006), (0, 0.006)]
JAR = revolved([*OUTSIDE, *INSIDE])
"""With a neck a quarter as wide as its belly."""


def rack() -> trimesh.Trimesh:
    """Two rails and five rungs, which run into each other."""
    rails = [trimesh.creation.box((0.04, 0.04, 1.2)) for _ in range(2)]
    for rail, x in zip(rails, (-0.2, 0.2), strict=True):
        rail.apply_translation((x, 0, 0))
    rungs = [trimesh.creation.box((0.4, 0.03, 0.03)) for _ in range(5)]
    for rung, z in zip(rungs, np.linspace(-0.5, 0.5, 5), strict=True):
        rung.apply_translation((0, 0, z))
    return trimesh.util.concatenate([*rails, *rungs])


def inside(point: Vec, solids: tuple[Vec, ...]) -> bool:
    hulls = [ConvexHull(s).equations for s in solids]
    return any(bool((h[:, :3] @ point + h[:, 3] < 0).all()) for h in hulls)


def test_boards_and_rungs_are_each_a_part_and_nothing_is_filled_between_them() -> None:
    shape = contact_shape(mesh_of(rack()), "parts")
    assert shape.cost == 7
    assert shape.error == pytest.approx(0.0, abs=1e-9)


@pytest.mark.parametrize("mesh", [JAR, box(0.2, 0.1, 0.1), mesh_of(rack())], ids=["jar", "box", "rack"])
def test_with_many_corners_and_with_few_they_cover_the_mesh(mesh: Mesh) -> None:
    shape = settling_shape(mesh)
    points = mesh.vertices[mesh.faces].mean(axis=1)
    for solids, least in ((shape.solids, 6e-4), (shape.falling.solids, 2e-3)):
        beyond = np.full(len(points), np.inf)
        for solid in solids:
            planes = ConvexHull(solid).equations
            beyond = np.minimum(beyond, (points @ planes[:, :3].T + planes[:, 3]).max(axis=1))
        assert beyond.max() < least
    assert sum(map(len, shape.falling.solids)) <= sum(map(len, shape.solids))


def test_the_neck_of_a_jar_is_not_stopped_up() -> None:
    shape = contact_shape(JAR, "parts", 64)
    for height in (0.05, 0.1, 0.15, 0.2, 0.24, 0.28, 0.299):
        assert not inside(np.array([0.0, height, 0.0]), shape.solids)


def test_what_begins_in_a_hollow_that_a_shape_fills_is_raised_out_of_it() -> None:
    # Free on its true mesh: it hangs in a ring whose wanted shape is its hull.
    ring = revolved([(0.2, 0), (0.24, 0), (0.24, 0.1), (0.2, 0.1), (0.2, 0.0)])
    around, within = piece("a", ring, (0.0, 0.0, 0.0)), piece("b", box(0.1, 0.04, 0.1), (0.0, 0.05, 0.0))
    index = standing(FLOOR, around, within)
    props = {p.prop.key: p.prop for p in (around, within)}
    run = Run(index, ["a", "b"], SettleSlip(), shapes_for(props, {around.prop.key: "hull"}))
    assert run.world.overlaps(0.003)
    run.ease()
    assert not run.world.overlaps(0.003)
    done = run.end()
    assert done.named == {}
