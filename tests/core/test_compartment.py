"""The compartment about a pressed point: to the walls that are there, to the end of its floor where there is none."""

import numpy as np
import pytest

from bays import about_plumb, compartment, moved, shelf
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.fill.compartment import NoCompartment, compartment_at
from brickseat_core.scene import Piece, Vec, rotation_about
from dressing import Dressed
from shapes import FLOOR, ball, box, piece

EXACT = 1e-5
UP = np.array([0.0, 1.0, 0.0])


def corners(index: SceneIndex, point: Vec, normal: Vec = UP) -> tuple[Vec, Vec, str]:
    """The least and greatest corner of the compartment in its own frame about the origin of the world, and its floor."""
    found = compartment_at(index, point, normal)
    linear = found.pose.linear
    size = np.linalg.norm(linear, axis=0)
    middle = (linear / size).T @ found.pose.origin
    return middle - 0.5 * size, middle + 0.5 * size, found.floor


@pytest.mark.parametrize("degrees", [0.0, 27.0, -40.0])
@pytest.mark.parametrize("point", [(0.0, 0.0, 0.0), (0.39, 0.0, -0.19), (-0.2, 0.0, 0.1)])
def test_between_the_boards_of_a_shelf(degrees: float, point: tuple[float, float, float]) -> None:
    index = SceneIndex([FLOOR.at(FLOOR.pose.moved(np.array([0.0, -1.0, 0.0]))), *shelf(0.8, 0.3, 0.4, degrees)])
    turn = rotation_about(UP, np.radians(degrees))
    lo, hi, floor = corners(index, turn @ np.array(point))
    assert floor == "floor"
    assert np.allclose(lo, [-0.4, 0.0, -0.2], atol=EXACT)
    # The front is open: it ends where the floor board ends.
    assert np.allclose(hi, [0.4, 0.3, 0.2], atol=EXACT)


def test_a_wall_that_is_pressed_leads_to_the_floor_before_it() -> None:
    index = SceneIndex(shelf(0.8, 0.3, 0.4))
    lo, hi, _ = corners(index, np.array([0.1, 0.2, -0.2]), np.array([0.0, 0.0, 1.0]))
    assert np.allclose([lo, hi], [[-0.4, 0.0, -0.2], [0.4, 0.3, 0.2]], atol=EXACT)


def test_props_may_stand_in_it_and_bearers_close_it() -> None:
    jar = piece("jar", box(0.1, 0.1, 0.1), (0.0, 0.05, 0.1))
    lo, hi, _ = corners(SceneIndex([*shelf(0.8, 0.3, 0.4), jar]), np.array([-0.2, 0.0, 0.0]))
    assert np.allclose([lo, hi], [[-0.4, 0.0, -0.2], [0.4, 0.3, 0.2]], atol=EXACT)
    post = piece("post", box(0.1, 0.3, 0.4), (0.1, 0.15, 0.0), bearer=True)
    lo, hi, _ = corners(SceneIndex([*shelf(0.8, 0.3, 0.4), post]), np.array([-0.2, 0.0, 0.0]))
    assert np.allclose([lo[0], hi[0]], [-0.4, 0.05], atol=EXACT)


def crate() -> Piece:
    """A box without a lid, of one mesh."""
    parts = [
        moved(compartment(0.6, 0.02, 0.4), (0, -0.02, 0)).vertices,
        *(moved(compartment(0.02, 0.25, 0.4), (x, 0, 0)).vertices for x in (-0.29, 0.29)),
        *(moved(compartment(0.56, 0.25, 0.02), (0, 0, z)).vertices for z in (-0.19, 0.19)),
    ]
    faces = compartment(1, 1, 1).faces
    return piece("crate", Mesh(np.concatenate(parts), np.concatenate([faces + 8 * k for k in range(5)])))


def test_a_crate_is_filled_up_to_its_rim() -> None:
    lo, hi, floor = corners(SceneIndex([crate()]), np.array([0.1, 0.0, 0.05]))
    assert floor == "crate"
    assert np.allclose([lo, hi], [[-0.28, 0.0, -0.18], [0.28, 0.25, 0.18]], atol=EXACT)


def test_on_open_ground_it_ends_somewhere() -> None:
    lo, hi, _ = corners(SceneIndex([FLOOR]), np.array([1.0, 0.0, 2.0]))
    assert np.allclose(hi - lo, [6.0, 0.4, 6.0])
    assert np.allclose(lo[1], 0.0)


def test_where_there_is_none_it_says_so() -> None:
    slope = piece(
        "slope",
        about_plumb(
            Mesh(box(4, 0.1, 4).vertices @ rotation_about(np.array([1.0, 0, 0]), 1.0).T, box(4, 0.1, 4).faces), 10
        ),
        bearer=True,
    )
    with pytest.raises(NoCompartment, match="no level floor"):
        compartment_at(SceneIndex([slope]), np.array([0.0, 0.1, 0.0]), UP)
    with pytest.raises(NoCompartment, match="no level floor"):
        compartment_at(SceneIndex([piece("ball", ball(0.1), bearer=True)]), np.array([3.0, 0.0, 0.0]), UP)
    lid = piece("lid", box(4, 0.1, 4), (0.0, 0.053, 0.0), bearer=True)
    with pytest.raises(NoCompartment, match="no room over"):
        compartment_at(SceneIndex([FLOOR, lid]), np.array([0.0, 0.0, 0.0]), UP)


def test_a_volume_is_reshaped() -> None:
    on = Dressed(FLOOR, props=[piece("paper", box(1, 1, 1)).prop])
    on.do("mark_out", prop="paper", pose={"position": [0, 0.5, 0]})
    (region,) = on.set.regions.values()
    outcome = on.do("reshape", region=region.key, pose={"position": [0, 0.25, 1], "scale": [2, 0.5, 1]})
    (after,) = on.set.regions.values()
    assert (after.pose.position, after.pose.scale) == ((0, 0.25, 1), (2, 0.5, 1))
    assert outcome.change.backwards().on(on.set).regions[region.key] == region
