"""The index: a fork is a set of its own, nothing that is tried on it changes what others read, and room is used again."""

import gc
import sys
import threading
from itertools import count
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.constraints.lining import SIDES
from brickseat_core.contact.arena import MeshArena, Room
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.moves import REGISTRY, MoveRefused
from brickseat_core.scene import Change, Piece, Pose, Prop
from dressing import Dressed, seat, with_seats
from shapes import FLOOR, ball, box, inward, made, piece, revolved, standing


def bits(index: SceneIndex) -> list[bytes]:
    """Everything that a snapshot tells, bit for bit."""
    rows = sorted(index.row.items())
    where = [row for _, row in rows]
    columns = [column[where].tobytes() for column in index.placed]
    return [repr(rows).encode(), repr(sorted(index.pieces)).encode(), *columns]


def room() -> list[Piece]:
    """A room that faces inward with a crate seated in it, a laid table, and a terrain."""
    x, z = np.meshgrid(np.linspace(-4, 4, 9), np.linspace(-4, 4, 9))
    heights = 0.1 * np.sin(x) - 3.0
    faces = [
        t for i in range(8) for j in range(8) for a in [9 * i + j] for t in ((a, a + 9, a + 1), (a + 1, a + 9, a + 10))
    ]
    ground = Mesh(np.stack([x.ravel(), heights.ravel(), z.ravel()], axis=1), np.array(faces, dtype=np.int32))
    return [
        piece("room", inward(box(4, 3, 4)), (0.0, 1.5, 0.0), bearer=True),
        piece("ground", ground, bearer=True),
        piece("crate", box(0.4, 0.4, 0.4), (0.5, 0.2, 0.3)),
        piece("table", box(0.8, 0.5, 0.5), (-0.8, 0.25, 0.0)),
        piece("bowl", revolved([(0, 0), (0.06, 0), (0.12, 0.06), (0.1, 0.06), (0, 0.01)], 16), (-0.8, 0.5, 0.0)),
        piece("ball", ball(0.1, 2), (0.5, 0.7, 0.3)),
        piece("afloat", box(0.2, 0.1, 0.2), (1.0, 0.4, -1.0)),
        piece("screen", box(1.0, 1.0, 0.1), (-1.0, 0.5, 1.5), bearer=True),
        piece("hatch", box(0.3, 0.3, 0.02), (-1.0, 0.5, 1.44), direction=(0.0, 0.0, 1.0)),
    ]


NAMES = [p.key for p in room()]
some_keys = st.lists(st.sampled_from(NAMES), min_size=1, max_size=3, unique=True)
metres = st.floats(-1.5, 1.5)
FIELDS: dict[str, st.SearchStrategy[Any]] = {
    "slide": st.fixed_dictionaries({"by": st.tuples(metres, metres, metres), "together": st.booleans()}),
    "push": st.fixed_dictionaries({"by": st.tuples(metres, st.just(0.0), metres), "together": st.booleans()}),
    "carry": st.fixed_dictionaries({"by": st.tuples(metres, metres, metres)}),
    "turn": st.fixed_dictionaries({"angle_deg": st.floats(-180, 180), "together": st.booleans()}),
    "size": st.fixed_dictionaries({"factor": st.floats(0.5, 2), "together": st.booleans()}),
    "bed": st.fixed_dictionaries({"sink": st.floats(-0.1, 0.1)}),
    "reseat": st.fixed_dictionaries({"together": st.booleans()}),
    "rest": st.fixed_dictionaries({"together": st.booleans()}),
    "copy": st.fixed_dictionaries({"by": st.tuples(metres, metres, metres), "to_free_place": st.booleans()}),
    "shift": st.fixed_dictionaries(
        {"by": st.tuples(metres, metres, metres), "angle_deg": st.floats(-180, 180), "alone": st.booleans()}
    ),
    "level": st.fixed_dictionaries({"up": st.booleans(), "together": st.booleans()}),
    "lie": st.fixed_dictionaries({"side": st.sampled_from(["next", "upright", [1, 0, 0]])}),
    "remove": st.just({}),
    "swap": st.fixed_dictionaries({"prop": st.sampled_from(NAMES)}),
    "spike": st.fixed_dictionaries({"spiked": st.booleans()}),
    "fix": st.fixed_dictionaries({"fixed": st.booleans()}),
    "group": st.fixed_dictionaries({"name": st.sampled_from(["", "set of three"])}),
    "repair": st.just({}),
    "pull_apart": st.just({}),
    "fill_in": st.just({}),
    "line_up": st.fixed_dictionaries(
        {
            "to": st.sampled_from(NAMES),
            "axis": st.sampled_from(["across", "up", "along"]),
            "mine": st.sampled_from(SIDES),
            "theirs": st.sampled_from(SIDES),
            "mode": st.sampled_from(["each", "together", "spread"]),
        }
    ),
}
TIES = st.sampled_from(["new-1", "new-2", "new-3"])
TWO = {"piece": st.sampled_from(NAMES), "to": st.sampled_from(NAMES)}
LINES = st.tuples(st.tuples(metres, metres, metres), st.tuples(metres, metres, metres))
POSE = st.fixed_dictionaries({"position": st.tuples(metres, metres, metres)})
RECIPE, REGION = "new-6", "new-5"
ONE: dict[str, st.SearchStrategy[Any]] = {
    "place": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "pose": POSE, "reseat": st.booleans()}),
    "rename": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "name": st.sampled_from(["a", "crate", "b"])}),
    "set_down": st.fixed_dictionaries({"prop": st.sampled_from(NAMES), "pose": POSE}),
    "stand": st.fixed_dictionaries({"prop": st.sampled_from(NAMES), "pose": POSE}),
    "adjust": st.fixed_dictionaries({"tolerance_m": st.floats(1e-4, 1e-2), "trolley_add": st.just(["crate"])}),
    "join": st.fixed_dictionaries({**TWO, "turn_deg": st.floats(-180, 180), "flip": st.booleans()}),
    "turn_joint": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "angle_deg": st.floats(-90, 90)}),
    "tie": st.fixed_dictionaries({**TWO, "tie": st.sampled_from(["cling", "gap", "square", "join"])}),
    "loosen": st.fixed_dictionaries({"ties": st.lists(TIES, min_size=1, max_size=2)}),
    "adjust_tie": st.fixed_dictionaries({"tie": TIES, "distance_m": st.floats(0, 1), "locked": st.booleans()}),
    "lay_on": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "points": LINES, "onto": LINES}),
    "beside": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "edge": LINES, "onto": LINES}),
    "hang": st.fixed_dictionaries(TWO),
    "pose": st.fixed_dictionaries({"piece": st.sampled_from(NAMES), "prop": st.sampled_from(NAMES)}),
    "row": st.fixed_dictionaries({"prop": st.sampled_from(NAMES), "line": LINES, "count": st.integers(1, 4)}),
    "scatter": st.fixed_dictionaries(
        {
            "recipe": st.fixed_dictionaries(
                {
                    "props": st.just([{"prop": "bowl", "size": [0.3, 0.5]}]),
                    "on": st.sampled_from([["room"], ["table"], ["ground", "crate"], ["nowhere"]]),
                    "count": st.integers(1, 6),
                    "seed": st.integers(0, 3),
                }
            ),
            "again": st.sampled_from([None, RECIPE]),
        }
    ),
    "fill": st.fixed_dictionaries(
        {
            "recipe": st.fixed_dictionaries(
                {
                    "props": st.just([{"prop": "bowl", "size": [0.1, 0.2]}]),
                    "bay": st.sampled_from([REGION, REGION, "nowhere"]),
                    "count": st.integers(1, 4),
                    "rough": st.floats(0, 1),
                }
            ),
            "again": st.sampled_from([None, RECIPE]),
            "keep": st.booleans(),
        }
    ),
    "clear": st.fixed_dictionaries({"recipe": st.just(RECIPE), "keep": st.booleans()}),
    "release": st.fixed_dictionaries({"pieces": st.sampled_from([["new-7"], ["new-7", "new-8"], ["crate"]])}),
    "mark_out": st.fixed_dictionaries({"prop": st.sampled_from(NAMES), "pose": POSE}),
    "reshape": st.fixed_dictionaries({"region": st.sampled_from([REGION, "new-1"]), "pose": POSE}),
    "wipe_out": st.fixed_dictionaries({"regions": st.sampled_from([[REGION], ["new-1"]])}),
    "cut": st.fixed_dictionaries(
        {"piece": st.sampled_from(NAMES), "bearer": st.sampled_from(NAMES), "clearance_m": st.floats(0, 0.01)}
    ),
}


@st.composite
def moves(draw: Any) -> dict[str, Any]:
    kind = draw(st.sampled_from(sorted({*FIELDS, *ONE})))
    if kind in ONE:
        return {"kind": kind, **draw(ONE[kind])}
    return {"kind": kind, "pieces": draw(some_keys), **draw(FIELDS[kind])}


def test_every_move_that_can_be_asked_for_is_tried_here() -> None:
    assert {k.kind for k in REGISTRY if k.asked} == {*FIELDS, *ONE}


def related_room() -> Dressed:
    """The room with seats on some of it, and a join, a tie of each kind, a cut-out, a recipe and a region."""
    d = Dressed(*(with_seats(p, seat("top", (0, 0.2, 0), (0, 1, 0))) if p.key == "crate" else p for p in room()))
    d.do("tie", tie="join", piece="bowl", to="table")
    d.do("tie", tie="gap", piece="afloat", to="crate", at_least=True, distance_m=0.1)
    d.do("tie", tie="cling", piece="ball", to="crate")
    d.do("cut", piece="hatch", bearer="screen")
    d.do("mark_out", prop="crate", pose={"position": [1.0, 0.5, 1.0]})
    d.do("scatter", recipe={"props": [{"prop": "bowl", "size": [0.3, 0.5]}], "on": ["room"], "count": 3})
    assert (set(d.set.recipes), set(d.set.regions)) == ({RECIPE}, {REGION})
    assert "new-7" in d.set.pieces
    return d


@settings(max_examples=150, deadline=None)
@given(moves())
def test_a_preview_changes_nothing_and_what_it_tells_is_what_would_be(move: dict[str, Any]) -> None:
    d = related_room()
    before, fits, derived = bits(d.index), check(d.index), d.index.derived

    def look() -> Change:
        d.numbers = count(10)
        return d.look(**move).change

    try:
        change = look()
    except MoveRefused:
        assert bits(d.index) == before
        return
    assert bits(d.index) == before
    assert d.index.derived is derived
    assert check(d.index) == fits
    assert look() == change, "the same move does the same again"


def test_a_crate_in_a_room_sits_there_before_and_after_a_preview() -> None:
    index = standing(*room())
    assert check(index)["crate"].state == "seated"
    made(index, {"kind": "slide", "pieces": ["crate"], "by": [0.3, 0, 0.1]})
    fork = index.fork()
    for other in (index, fork):
        assert check(other)["crate"].state == "seated", "the room was not taken for a solid"
    fork.put(fork.pieces["crate"].at(Pose((-0.2, 0.2, 1.2))))
    assert check(fork)["crate"].state == "seated"


def test_what_is_put_beside_a_crate_on_a_fork_knows_the_room_too() -> None:
    index = standing(*room())
    fork = index.fork()
    fork.put(piece("inner room", inward(box(1, 1, 1)), (1.0, 0.5, 1.0)))
    fork.put(piece("inner crate", box(0.2, 0.2, 0.2), (1.0, 0.1, 1.0)))
    fork.judge_senses()
    assert check(fork)["inner crate"].state == "seated"
    assert "inner crate" not in index.pieces


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 3), st.booleans()), max_size=40))
def test_forks_of_forks_agree_with_indexes_built_anew(steps: list[tuple[int, int, bool]]) -> None:
    meshes = [box(0.2, 0.2, 0.2), ball(0.1, 1), box(0.1, 0.3, 0.2), inward(box(0.3, 0.3, 0.3))]
    index = standing(FLOOR)
    for key, mesh, goes in steps:
        before = bits(index)
        fork = index.fork()
        name = f"p{key}"
        if goes and name in fork.pieces:
            fork.remove(name)
        else:
            fork.put(piece(name, meshes[mesh], (0.4 * key - 1.0, 0.1 * mesh + 0.2, 0.0)))
        assert bits(index) == before
        index = fork
    index.judge_senses()
    anew = standing(*index.pieces.values())
    assert check(index) == check(anew)


def test_equal_meshes_share_a_place_and_different_ones_do_not() -> None:
    arena = MeshArena()
    a, again, b = box(1, 1, 1), box(1, 1, 1), box(1, 1, 2)
    held = [arena.span_of(m) for m in (a, again, b)]
    assert held[0] is held[1]
    assert held[0].node0 != held[2].node0
    assert len(arena) == 2
    assert a.digest == again.digest != b.digest


def test_room_in_the_arena_is_used_again_and_nothing_that_is_held_moves() -> None:
    arena = MeshArena()
    rng = np.random.default_rng(5)
    held: dict[int, Any] = {}
    largest = 0
    # What was there before is not looked through again each time: that takes most of a minute.
    gc.collect()
    gc.freeze()
    for step in range(400):
        size = float(rng.integers(1, 4))
        mesh = ball(size, int(rng.integers(1, 3)))
        mesh = Mesh(mesh.vertices * (1.0 + step), mesh.faces)
        held[int(rng.integers(6))] = arena.span_of(mesh)
        gc.collect()
        largest = max(largest, len(arena.forest.corners))
        for span in held.values():
            tree = span.mesh.tree
            own = slice(span.tri0, span.tri0 + span.triangles)
            assert np.array_equal(arena.forest.corners[own], tree.corners)
            nodes = slice(span.node0, span.node0 + span.nodes)
            child = arena.forest.child[nodes]
            assert np.array_equal(np.where(child >= 0, child - span.node0, -1), tree.child)
            assert np.array_equal(arena.forest.start[nodes], tree.start + span.tri0)
    gc.unfreeze()
    assert len(arena) == len({s.mesh.digest for s in held.values()})
    assert largest < 6 * 2 * 1300, "what was let go is used again"


@settings(max_examples=80, deadline=None)
@given(st.lists(st.tuples(st.integers(1, 9), st.booleans()), max_size=60), st.randoms())
def test_runs_of_room_never_overlap(steps: list[tuple[int, bool]], chance: Any) -> None:
    space, taken = Room(), []
    for length, give in steps:
        if give and taken:
            space.give_back(*taken.pop(chance.randrange(len(taken))))
        else:
            taken.append((space.take(length), length))
        entries = [e for first, count in taken for e in range(first, first + count)]
        assert len(entries) == len(set(entries))
        assert all(e < space.end for e in entries)
        free = {e for first, count in space.free for e in range(first, first + count)}
        assert free.isdisjoint(entries)
        assert len(free) + len(entries) == space.end
    for run in taken:
        space.give_back(*run)
    assert (space.end, space.free) == (0, [])


def test_thousands_of_previews_and_moves_leave_the_arena_as_it_was() -> None:
    index = standing(*room())
    turn = {"kind": "turn", "pieces": ["table", "bowl"], "together": True}
    for step in range(30):
        made(index, {**turn, "angle_deg": 1.0 + step})
    gc.collect()
    meshes, corners = len(index.arena), len(index.forest.corners)
    blocks = sys.getallocatedblocks()
    for step in range(300):
        made(index, {**turn, "angle_deg": 40.0 + step})
    gc.collect()
    assert (len(index.arena), len(index.forest.corners)) == (meshes, corners)
    assert sys.getallocatedblocks() - blocks < 3000


def test_snapshots_are_read_by_many_threads_while_another_one_changes() -> None:
    pieces = room()
    index = standing(*pieces)
    fits = check(index)
    wrong: list[object] = []

    def read() -> None:
        for _ in range(15):
            if check(index) != fits:
                wrong.append("a snapshot changed under its readers")

    def change() -> None:
        fork = index.fork()
        for step in range(60):
            mesh = ball(0.05 + 0.001 * step, 2)
            fork = fork.fork()
            fork.put(Piece("new", "new", Prop("new", "new", mesh), Pose((1.5, 0.3, 1.5))))

    threads = [threading.Thread(target=read), threading.Thread(target=read), threading.Thread(target=change)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert wrong == []


def test_a_piece_that_is_gone_is_gone() -> None:
    index = standing(*room())
    with pytest.raises(KeyError):
        index.fork().remove("nobody")
    fork = index.fork()
    fork.remove("table")
    assert check(fork, keys=["bowl"])["bowl"].state == "floating"
    assert check(index, keys=["bowl"])["bowl"].state == "seated"
