"""Cut-outs: exact volumes, exact contact on the new edges, holes that follow their piece and leave no trace."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.contact.rays import first_hit
from brickseat_core.geometry.crossings import intervals_inside
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Piece, Pose, rotation_about, rotation_matrix
from dressing import Dressed
from shapes import FLOOR, ball, box, inward, mesh_of, piece, revolved, sheet, world

import trimesh  # isort: skip

seeds = st.integers(0, 2**32 - 1)
INTO = (0.0, 0.0, -1.0)
WALL = piece("wall", box(4, 3, 0.3), (0.0, 1.5, -0.15), bearer=True)
FLANGED = mesh_of(
    trimesh.boolean.union(
        [
            trimesh.creation.box((0.6, 0.4, 0.02), trimesh.transformations.translation_matrix((0, 0, 0.01))),
            trimesh.creation.box((0.5, 0.3, 0.2), trimesh.transformations.translation_matrix((0, 0, -0.09))),
        ],
        engine="manifold",
    )
)


def volume(d: Dressed, key: str = "wall") -> float:
    return d.index.mesh_of(d.piece(key)).mass[0]


def test_a_hatch_takes_its_silhouette_with_clearance_out_of_the_whole_wall() -> None:
    hatch = piece("hatch", box(0.5, 0.4, 0.1), (0.3, 1.2, -0.02), direction=INTO)
    d = Dressed(WALL, hatch)
    d.do("cut", piece="hatch", bearer="wall", clearance_m=0.002)
    assert volume(d) == pytest.approx(4 * 3 * 0.3 - 0.504 * 0.404 * 0.3, rel=1e-9)
    mesh = d.index.mesh_of(d.piece("wall"))
    assert mesh.health.closed
    assert d.piece("wall").prop.mesh.mass[0] == pytest.approx(3.6)
    assert "clashing" not in d.fit("hatch").faults
    assert "sunk" not in d.fit("hatch").faults
    # Through the opening one sees what is behind.
    assert first_hit(d.index, np.array([0.5, 1.39, 1.0]), np.array([0, 0, -1.0]), d.index.row["hatch"]) is None


def test_contact_on_the_new_edges_is_exact() -> None:
    hatch = piece("hatch", box(0.5, 0.4, 0.1), (0.3, 1.2, -0.02), direction=INTO)
    ledge = piece("egg", ball(0.05), (0.3, 1.2, -0.2))
    d = Dressed(FLOOR, WALL, hatch, ledge)
    d.do("cut", piece="hatch", bearer="wall", clearance_m=0.002)
    d.do("remove", pieces=["hatch"])
    assert d.set.cut_outs == {}
    assert volume(d) == pytest.approx(3.6, rel=1e-12)
    d = Dressed(FLOOR, WALL, hatch, ledge)
    d.do("cut", piece="hatch", bearer="wall", clearance_m=0.002)
    d.do("reseat", pieces=["egg"])
    # The sill: 0.2 below the middle of the hatch, and the clearance.
    assert world(d.piece("egg"))[:, 1].min() == pytest.approx(1.0 - 0.002, abs=1e-9)
    assert d.fit("egg").rests_on == ("wall",)


def test_the_hole_follows_its_piece_and_undo_fills_it() -> None:
    d = Dressed(WALL, piece("vent", FLANGED, (0.0, 1.5, 0.3), direction=INTO))
    d.do("reseat", pieces=["vent"])
    assert d.at("vent")[2] == pytest.approx(0.19, abs=1e-7)
    d.do("carry", pieces=["vent"], by=[0, 0, -0.19])
    first = d.do("cut", piece="vent", bearer="wall", clearance_m=0.0)
    assert volume(d) == pytest.approx(3.6 - 0.5 * 0.3 * 0.3, rel=1e-8)
    # Its frame lies on the wall, and only its body went into it.
    assert (d.fit("vent").state, d.fit("vent").gap) == ("seated", pytest.approx(0.0, abs=1e-7))
    second = d.do("slide", pieces=["vent"], by=[0.9, 0.3, 0.0])
    assert d.at("vent") == pytest.approx([0.9, 1.8, 0.0], abs=1e-7)
    assert d.fit("vent").state == "seated"
    lo = d.index.mesh_of(d.piece("wall"))
    assert lo.mass[0] == pytest.approx(3.6 - 0.5 * 0.3 * 0.3, rel=1e-8)
    assert first_hit(d.index, np.array([0.0, 1.5, 1.0]), np.array([0, 0, -1.0])) is not None
    d.take(second.change.backwards())
    assert first_hit(d.index, np.array([0.9, 1.8, 1.0]), np.array([0, 0, -1.0]), d.index.row["vent"]) is not None
    d.take(first.change.backwards())
    assert d.index.mesh_of(d.piece("wall")) is WALL.prop.mesh


def test_several_overlapping_openings_and_a_slanted_wall() -> None:
    turn = rotation_about(np.array([0, 1.0, 0]), np.radians(27)) @ rotation_about(np.array([1.0, 0, 0]), 0.2)
    wall = Piece("wall", "wall", WALL.prop, Pose.of(turn, np.array([0, 1.5, 0])), "bearer")
    into = tuple((-turn[:, 2]).tolist())

    def on_wall(name: str, x: float, y: float) -> Piece:
        made = piece(name, box(0.4, 0.4, 0.1), direction=into)  # type: ignore[arg-type]
        return made.at(Pose.of(turn, np.array([0, 1.5, 0]) + turn @ np.array([x, y, 0.15])))

    d = Dressed(wall, on_wall("a", 0.0, 0.0), on_wall("b", 0.3, 0.2), on_wall("c", -1.0, 0.3))
    for key in "abc":
        d.do("cut", piece=key, bearer="wall")
    union = 3 * 0.16 - 0.1 * 0.2
    assert volume(d) == pytest.approx(3.6 - union * 0.3, rel=1e-6)
    d.do("fill_in", pieces=["b"])
    assert volume(d) == pytest.approx(3.6 - 0.32 * 0.3, rel=1e-6)


def test_the_wall_across_the_room_is_left_alone() -> None:
    room = mesh_of(
        trimesh.util.concatenate(
            [
                trimesh.creation.box((4, 3, 0.3), trimesh.transformations.translation_matrix((0, 1.5, z)))
                for z in (-0.15, -3.0, 3.0)
            ]
        )
    )
    d = Dressed(piece("walls", room, bearer=True), piece("hatch", box(0.5, 0.4, 0.1), (0.3, 1.2, 0.04), direction=INTO))
    d.do("cut", piece="hatch", bearer="walls")
    assert volume(d, "walls") == pytest.approx(3 * 3.6 - 0.5 * 0.4 * 0.3, rel=1e-9)


def test_a_curved_wall_is_cut_right_through() -> None:
    profile = [(1.8, 0.0), (2.0, 0.0), (2.0, 2.0), (1.8, 2.0), (1.8, 0.0)]
    tower = piece("tower", revolved(profile, 96), bearer=True)
    port = piece("port", revolved([(0, 0), (0.2, 0), (0.2, 0.1), (0, 0.1)], 48), direction=INTO)
    port = port.at(Pose.of(rotation_about(np.array([1.0, 0, 0]), np.pi / 2), np.array([0, 1.0, 1.95])))
    d = Dressed(tower, port)
    before = volume(d, "tower")
    d.do("cut", piece="port", bearer="tower")
    assert d.index.mesh_of(d.piece("tower")).health.closed
    hole = before - volume(d, "tower")
    # Of a cylinder through a wall bent to 1.8..2.0 m, by fine sums.
    x = np.linspace(-0.2, 0.2, 20001)
    exact = np.trapezoid((np.sqrt(4 - x**2) - np.sqrt(1.8**2 - x**2)) * 2 * np.sqrt(np.maximum(0.0, 0.04 - x**2)), x)
    assert hole == pytest.approx(exact, rel=0.01)
    assert first_hit(d.index, np.array([0, 1.0, 5.0]), np.array([0, 0, -1.0]), d.index.row["port"]).distance > 6.0  # type: ignore[union-attr]


def test_what_cannot_be_cut_is_refused_with_the_reason() -> None:
    hatch = piece("hatch", box(0.5, 0.4, 0.1), (0.3, 1.2, -0.02), direction=INTO)
    open_wall = piece("sheet", sheet([(-2, 0, 0), (2, 0, 0), (2, 3, 0), (-2, 3, 0)]), bearer=True)
    with pytest.raises(MoveRefused, match=r"sheet is no closed solid \(4 open edges\)"):
        Dressed(open_wall, hatch).look("cut", piece="hatch", bearer="sheet")
    room = piece("room", inward(box(4, 3, 4)), (0, 1.5, 0), bearer=True)
    with pytest.raises(MoveRefused, match="its faces look inward"):
        Dressed(room, hatch).look("cut", piece="hatch", bearer="room")
    with pytest.raises(MoveRefused, match="does not reach wall"):
        Dressed(WALL, hatch.at(Pose((0.3, 1.2, 2.0)))).look("cut", piece="hatch", bearer="wall")


@settings(max_examples=60, deadline=None)
@given(seeds)
def test_the_stretches_of_a_line_inside_a_mesh_are_those_of_its_shape(seed: int) -> None:
    rng = np.random.default_rng(seed)
    q = rng.normal(size=4)
    turn = rotation_matrix((q[0], q[1], q[2], q[3]))
    shape = box(0.8, 1.2, 0.6)
    mesh = Mesh(shape.vertices @ turn.T, shape.faces)
    origin, way = rng.uniform(-1, 1, 3), rng.normal(size=3)
    # A box by its slabs.
    o, w, half = turn.T @ origin, turn.T @ way, np.array([0.4, 0.6, 0.3])
    a, b = (-half - o) / w, (half - o) / w
    enter, leave = np.minimum(a, b).max(), np.maximum(a, b).min()
    found = intervals_inside(mesh.tree, origin, way)
    if leave - enter > 1e-6:
        assert found == pytest.approx(np.array([[enter, leave]]), abs=1e-9)
    elif enter - leave > 1e-6:
        assert len(found) == 0
