"""Onto the next level, and onto another side: exactly in contact, and back again."""

import numpy as np
import pytest
import trimesh
from hypothesis import given
from hypothesis import strategies as st

from brickseat_core.scene import Piece, Pose, rotation_about
from dressing import Dressed
from shapes import FLOOR, box, mesh_of, piece

BOARDS = [piece(f"board {n}", box(1.0, 0.02, 0.4), (0.0, 0.4 * n, 0.0), bearer=True) for n in (1, 2, 3)]
JAR = piece("jar", box(0.1, 0.2, 0.1), (0.1, 0.1, 0.0))
CRATE = piece("crate", box(0.3, 0.2, 0.5), (0.0, 0.1, 0.0))


def height(dressed: Dressed, key: str = "jar") -> float:
    return dressed.set.pieces[key].pose.position[1]


def test_a_jar_goes_up_and_down_from_board_to_board() -> None:
    dressed = Dressed(FLOOR, *BOARDS, JAR)
    for wanted in (0.51, 0.91, 1.31):
        dressed.do("level", pieces=["jar"])
        assert height(dressed) == pytest.approx(wanted, abs=1e-9)
        assert dressed.fits["jar"].state == "seated"
    refused = dressed.look("level", pieces=["jar"])
    assert refused.left[0].reason == "there is no level with room for it above"
    for wanted in (0.91, 0.51, 0.1):
        dressed.do("level", pieces=["jar"], up=False)
        assert height(dressed) == pytest.approx(wanted, abs=1e-9)
    assert dressed.look("level", pieces=["jar"], up=False).left[0].key == "jar"


def test_where_it_would_not_fit_it_goes_on_to_the_next_and_what_stands_together_goes_together() -> None:
    tall = piece("tall", box(0.1, 0.5, 0.1), (0.0, 0.25, 0.0))
    low = [BOARDS[0], piece("lid board", box(1.0, 0.02, 0.4), (0.0, 0.6, 0.0), bearer=True)]
    dressed = Dressed(FLOOR, *low, JAR, piece("lid", box(0.1, 0.02, 0.1), (0.1, 0.21, 0.0)))
    dressed.do("level", pieces=["jar", "lid"], together=True)
    assert height(dressed) == pytest.approx(0.61 + 0.1, abs=1e-9), "between the two there is no room for both"
    assert height(dressed, "lid") == pytest.approx(0.61 + 0.21, abs=1e-9)
    other = Dressed(FLOOR, *BOARDS, tall)
    other.do("level", pieces=["tall"])
    assert height(other, "tall") == pytest.approx(1.21 + 0.25, abs=1e-9), "on top of all, where it has room"


@given(st.floats(-180.0, 180.0), st.tuples(*[st.floats(0.5, 2.0)] * 3))
def test_a_crate_goes_over_its_six_sides_and_stands_upright_again(
    yaw: float, scale: tuple[float, float, float]
) -> None:
    turn = rotation_about(np.array([0.0, 1.0, 0.0]), float(np.radians(yaw)))
    start = CRATE.at(Pose.of(turn * np.array(scale), np.array([0.0, 0.1 * scale[1], 0.0])))
    dressed = Dressed(FLOOR, start)
    seen = set()
    for _ in range(6):
        dressed.do("lie", pieces=["crate"])
        now: Piece = dressed.set.pieces["crate"]
        down = np.linalg.inv(now.pose.linear) @ np.array([0.0, -1.0, 0.0])
        seen.add(tuple(np.round(down / np.linalg.norm(down)).astype(int)))
        assert dressed.fits["crate"].state == "seated"
        assert dressed.fits["crate"].gap == pytest.approx(0.0, abs=1e-7)
    assert len(seen) == 6
    dressed.do("lie", pieces=["crate"], side=[1, 0, 0])
    assert height(dressed, "crate") == pytest.approx(0.15 * scale[0], abs=1e-7)
    dressed.do("lie", pieces=["crate"], side="upright")
    assert height(dressed, "crate") == pytest.approx(0.1 * scale[1], abs=1e-7)


def test_what_hangs_over_lower_than_its_bearer_is_seated_after_it() -> None:
    """A hook over the rim of a tray begins lower than the tray: both come down, the tray first."""
    tray = piece("tray", box(0.6, 0.05, 0.4), (0.0, 1.0, 0.0))
    hook = mesh_of(
        trimesh.util.concatenate(
            [
                trimesh.creation.box((0.2, 0.02, 0.1)),
                trimesh.creation.box((0.02, 0.2, 0.1)).apply_translation((0.1, -0.1, 0)),
            ]
        )
    )
    over = piece("over", hook, (0.25, 1.035, 0.0))
    dressed = Dressed(FLOOR, tray, over)
    assert dressed.fits["over"].rests_on == ("tray",)
    dressed.do("reseat", pieces=["over", "tray"])
    assert dressed.set.pieces["tray"].pose.position[1] < 0.2
    assert dressed.fits["over"].gap == pytest.approx(0.0, abs=1e-9)
