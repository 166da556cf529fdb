"""Bearers made to measure: closed, of the measures asked for, and right side up."""

import numpy as np
import pytest

from brickseat_core.contact.rays import first_hit
from brickseat_core.geometry import bearers
from brickseat_core.geometry.mesh import Mesh
from shapes import piece, standing

CLOSED = {
    "floor": (bearers.floor(4, 3), (4, 0.1, 3), 4 * 3 * 0.1),
    "wall": (bearers.wall(2, 2.4, 0.1), (2, 2.4, 0.1), 2 * 2.4 * 0.1),
    "shelf": (bearers.shelf(1, 0.3, 1.5, 4, 0.02), (1, 1.5, 0.3), 2 * 0.02 * 1.5 * 0.3 + 4 * 0.96 * 0.02 * 0.3),
    "steps": (bearers.steps(1.2, 3, 0.17, 0.28), (1.2, 0.51, 0.84), 1.2 * 0.17 * 0.28 * 6),
    "box": (bearers.open_box(1, 0.5, 0.8, 0.05), (1, 0.8, 0.5), 1 * 0.5 * 0.8 - 0.9 * 0.45 * 0.7),
}


@pytest.mark.parametrize("kind", CLOSED)
def test_closed_and_to_measure(kind: str) -> None:
    mesh, size, volume = CLOSED[kind]
    lo, hi = mesh.box
    assert hi - lo == pytest.approx(size)
    assert mesh.health.closed
    assert mesh.mass[0] == pytest.approx(volume)


def height_at(mesh: Mesh, x: float, z: float) -> float:
    hit = first_hit(standing(piece("it", mesh, bearer=True)), np.array([x, 10.0, z]), np.array([0.0, -1.0, 0.0]), -1)
    assert hit is not None
    return float(hit.point[1])


def test_steps_go_up_to_the_back_and_a_sweep_bends_into_its_wall() -> None:
    stair = bearers.steps(1.2, 3, 0.17, 0.28)
    assert [height_at(stair, 0.1, z) for z in (0.3, 0.0, -0.3)] == pytest.approx([0.17, 0.34, 0.51])
    bent = bearers.sweep(3.0, 2.0, 1.5, 0.6)
    assert bent.health.closed
    assert height_at(bent, 0.0, 0.9) == pytest.approx(0.0)
    # On the quarter circle: as high as the circle is there, less what its chords cut off.
    z = -1.0 + 0.6 - 0.6 * np.sin(np.pi / 4)
    assert height_at(bent, 0.0, z) == pytest.approx(0.6 * (1 - np.cos(np.pi / 4)), abs=1e-3)


def test_terrain_follows_its_image() -> None:
    image = np.array([[0.0, 0.0, 0.0], [0.0, 255.0, 0.0], [0.0, 0.0, 51.0]])
    hill = bearers.terrain(image, 4.0, 2.0, 0.5)
    assert hill.uprightness > 0.0
    assert height_at(hill, 0.0, 0.0) == pytest.approx(0.5)
    assert height_at(hill, 1.999, 0.999) == pytest.approx(0.1, abs=1e-3)
    assert len(bearers.terrain(np.zeros((2000, 1000)), 1, 1, 1).faces) <= 2 * 512 * 512
