"""Seats meet exactly under any pose, and what is joined is one body to everything that moves or measures it."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.constraints.indexing import index_of
from brickseat_core.constraints.joining import free_seats, joined_pose
from brickseat_core.fit.check import check
from brickseat_core.moves import MoveRefused
from brickseat_core.scene import Change, Pose, Prop, Vec, frame_of, in_prop, in_world, piece_delta, rotation_matrix
from dressing import Dressed, seat, with_seats
from shapes import FLOOR, box, piece

seeds = st.integers(0, 2**32 - 1)
POST = with_seats(
    piece("post", box(0.04, 0.2, 0.04)),
    seat("foot", (0, -0.1, 0), (0, -1, 0), step=90, label="post"),
    seat("head", (0, 0.1, 0), (0, 1, 0), step=90, label="post"),
)
CORNERS = [(x, z) for x in (-0.2, 0.2) for z in (-0.15, 0.15)]
SHELF = with_seats(
    piece("shelf", box(0.5, 0.02, 0.4)),
    *(seat(f"on {n}", (x, 0.01, z), (0, 1, 0), label="post") for n, (x, z) in enumerate(CORNERS)),
    *(seat(f"under {n}", (x, -0.01, z), (0, -1, 0), label="post") for n, (x, z) in enumerate(CORNERS)),
)


def any_pose(rng: np.random.Generator, uneven: bool) -> Pose:
    q = rng.normal(size=4)
    size = rng.uniform(0.4, 2.5, 3) if uneven else np.full(3, rng.uniform(0.4, 2.5))
    if uneven and rng.random() < 0.5:
        size[int(rng.integers(3))] *= -1.0
    return Pose.of(rotation_matrix((q[0], q[1], q[2], q[3])) * size, rng.uniform(-5, 5, 3))


def any_frame(rng: np.random.Generator):  # type: ignore[no-untyped-def]
    return frame_of(rng.uniform(-1, 1, 3), rng.normal(size=3), rng.normal(size=3))


@settings(max_examples=200, deadline=None)
@given(seeds, st.booleans(), st.floats(-360, 360), st.booleans())
def test_two_frames_meet_under_any_pose(seed: int, uneven: bool, turn: float, flip: bool) -> None:
    rng = np.random.default_rng(seed)
    mine, theirs = any_frame(rng), any_frame(rng)
    mover, target = any_pose(rng, uneven), any_pose(rng, uneven)
    onto = in_world(theirs, target)
    # A mirrored piece stays mirrored: a join only moves and turns.
    end = joined_pose(mover, in_world(mine, mover), onto, np.radians(turn), flip)
    met = in_world(mine, end)
    facing = onto.facing if flip else -onto.facing
    assert np.abs(met.point - onto.point).max() < 1e-9
    assert np.abs(met.facing - facing).max() < 1e-9
    wanted = np.cos(np.radians(turn)) * onto.clock + np.sin(np.radians(turn)) * np.cross(onto.facing, onto.clock)
    assert np.abs(met.clock - wanted).max() < 1e-9
    assert np.linalg.det(end.linear) == pytest.approx(np.linalg.det(mover.linear), rel=1e-9)


@settings(max_examples=100, deadline=None)
@given(seeds)
def test_a_frame_of_the_world_comes_back_from_the_prop(seed: int) -> None:
    rng = np.random.default_rng(seed)
    pose, frame = any_pose(rng, True), any_frame(rng)
    world = in_world(frame, pose)
    again = in_world(in_prop(*world, pose), pose)
    assert all(np.abs(a - b).max() < 1e-9 for a, b in zip(world, again, strict=True))


def tower() -> Dressed:
    """A shelf on the floor, and three posts in its corners by name, the fourth by the nearest free seat."""
    d = Dressed(FLOOR, SHELF.at(Pose((0.0, 0.01, 0.0))), props=[POST.prop])
    for n in range(3):
        d.do("join", prop="post", to="shelf", to_seat=f"on {n}", seat="foot")
    d.do("join", prop="post", to="shelf")
    return d


def test_a_tower_is_joined_press_by_press() -> None:
    d = tower()
    assert all(f.state == "seated" for f in d.fits.values())
    assert len([p for p in d.set.pieces if p.startswith("new")]) == 4
    taken = {s.name for p, s, _ in free_seats(d.set) if p.key == "shelf"}
    assert taken == {f"under {n}" for n in range(4)}
    # The next level stands on all four posts, although it is joined to one of them.
    top = d.do("join", prop="shelf", seat="under 0", to="new-1", to_seat="head").change.pieces()
    key = next(iter(top))
    assert d.at(key)[1] == pytest.approx(0.02 + 0.2 + 0.01, abs=1e-9)
    assert d.fit(key).state == "seated"
    # The heads that it came to lie on without a tie are no longer free.
    free = {(p.key, s.name) for p, s, _ in free_seats(d.set)}
    assert not [1 for _, name in free if name == "head"]
    assert {name for k, name in free if k == key} == {f"on {n}" for n in range(4)}


def test_a_taken_seat_and_a_wrong_label_are_refused_by_name() -> None:
    d = tower()
    with pytest.raises(MoveRefused, match="seat on 0 of shelf is taken"):
        d.look("join", prop="post", to="shelf", to_seat="on 0", seat="foot")
    with pytest.raises(MoveRefused, match="no seat named 'knob'"):
        d.look("join", prop="post", to="shelf", to_seat="knob")
    lamp = with_seats(piece("lamp", box(0.1, 0.1, 0.1)), seat("ring", (0, 0.05, 0), (0, 1, 0), label="hook"))
    other = Dressed(FLOOR, SHELF.at(Pose((0.0, 0.01, 0.0))), lamp.at(Pose((1.0, 0.05, 0.0))))
    with pytest.raises(MoveRefused, match="ring is a hook and on 0 a post"):
        other.look("join", piece="lamp", seat="ring", to="shelf", to_seat="on 0")
    with pytest.raises(MoveRefused, match="joined already"):
        d.look("join", piece="new-1", to="shelf", seat="head", to_seat="under 0")


def test_what_hangs_on_a_bracket_does_not_float_and_what_is_pulled_apart_does() -> None:
    wall = piece("wall", box(4, 3, 0.2), (0.0, 1.5, -0.1), bearer=True)
    wall = with_seats(wall, seat("hole", (0.5, 0.5, 0.1), (0, 0, 1), clock=(0, 1, 0)))
    shelf = with_seats(piece("board", box(0.6, 0.03, 0.3)), seat("back", (0, 0, -0.15), (0, 0, -1), clock=(0, 1, 0)))
    jug = piece("jug", box(0.1, 0.2, 0.1), (0.5, 5.0, 0.15))
    d = Dressed(FLOOR, wall, shelf.at(Pose((0.0, 1.0, 2.0))), jug)
    assert d.fit("board").state == "floating"
    d.do("join", piece="board", seat="back", to="wall", to_seat="hole")
    assert d.at("board") == pytest.approx([0.5, 2.0, 0.15], abs=1e-12)
    assert (d.fit("board").state, d.fit("board").rests_on) == ("seated", ("wall",))
    d.do("reseat", pieces=["jug"])
    assert d.fit("jug").rests_on == ("board",)
    with pytest.raises(MoveRefused, match="bearer and stays where it is"):
        d.look("slide", pieces=["board"], by=[0.1, 0, 0])
    d.do("pull_apart", pieces=["board"])
    assert d.fit("board").state == "floating"
    assert d.set.ties == {}


def test_a_body_slides_turns_and_sizes_as_one_and_stays_joined() -> None:
    d = tower()
    d.do("slide", pieces=["new-1"], by=[1.0, 0, 0.5])
    assert d.at("shelf") == pytest.approx([1.0, 0.01, 0.5], abs=1e-9)
    d.do("turn", pieces=["shelf"], angle_deg=30)
    d.do("size", pieces=["new-3"], factor=1.5)
    d.do("carry", pieces=["new-5"], by=[0, 0.4, 0])
    assert {f.state for f in d.fits.values()} == {"floating"}
    assert {round(f.gap or 0, 9) for f in d.fits.values()} == {0.4}
    d.do("repair")
    assert {f.state for f in d.fits.values()} == {"seated"}
    for tie in d.set.ties.values():
        mine, theirs = d.seat(tie.piece, tie.seat), d.seat(tie.to, tie.to_seat)
        assert np.abs(mine.point - theirs.point).max() < 1e-9
        assert np.abs(mine.facing + theirs.facing).max() < 1e-9
    with pytest.raises(MoveRefused, match="sized evenly"):
        d.look("size", pieces=["shelf"], factor=[1, 2, 1])


def test_a_body_clashes_with_others_but_not_with_itself() -> None:
    d = tower()
    jar = piece("jar", box(0.1, 0.1, 0.1), (0.2, 0.07, 0.15))
    d.take(Change("", (piece_delta(None, jar),)))
    assert d.fit("new-1").state == "seated"
    fits = check(index_of(d.set))
    # The jar stands in the corner of the last post.
    assert {k for k, f in fits.items() if "clashing" in f.faults} == {"jar", "new-7"}


def test_a_piece_turns_about_its_seat_by_the_seats_step_and_takes_along_what_it_carries() -> None:
    d = Dressed(FLOOR, SHELF.at(Pose((0.0, 0.01, 0.0))), props=[POST.prop])
    d.do("join", prop="post", to="shelf", to_seat="on 1", seat="foot")
    d.do("join", prop="shelf", seat="under 2", to="new-1", to_seat="head")
    (upper,) = [k for k, p in d.set.pieces.items() if p.prop.key == "shelf" and k != "shelf"]
    before = d.at(upper).copy()
    d.do("turn_joint", piece="new-1")
    assert d.at("shelf") == pytest.approx([0, 0.01, 0], abs=1e-12)
    about = np.array([CORNERS[1][0], 0.0, CORNERS[1][1]])
    arm = before - about
    assert d.at(upper) - about == pytest.approx([arm[2], arm[1], -arm[0]], abs=1e-9)
    d.do("turn_joint", piece="new-1", angle_deg=-90)
    assert d.at(upper) == pytest.approx(before, abs=1e-9)


def test_copies_of_joined_pieces_are_joined_and_what_is_taken_away_leaves_no_tie() -> None:
    d = tower()
    d.do("copy", pieces=list(d.index.bodies), by=[2, 0, 0])
    bodies = {frozenset(b) for b in d.index.bodies.values()}
    assert sorted(map(len, bodies)) == [5, 5]
    assert {f.state for f in d.fits.values()} == {"seated"}
    out = d.do("remove", pieces=["shelf"])
    assert len([x for x in out.change.deltas if x.kind == "tie"]) == 4
    d.take(out.change.backwards())
    assert len(d.set.ties) == 8


def far(v: Vec) -> float:
    return float(np.abs(v).max())


def test_a_piece_is_joined_to_a_plain_face_by_frames() -> None:
    d = Dressed(FLOOR, piece("crate", box(0.4, 0.4, 0.4), (0, 0.2, 0)), POST.at(Pose((2.0, 0.1, 0.0))))
    d.do(
        "join",
        piece="post",
        seat="foot",
        to="crate",
        to_frame={"point": [0.1, 0.2, 0.1], "facing": [0, 1, 0], "clock": [0, 0, 1]},
    )
    assert far(d.at("post") - [0.1, 0.5, 0.1]) < 1e-12
    d.do("turn_joint", piece="post", steps=1)
    d.do("slide", pieces=["crate"], by=[0.5, 0, 0])
    assert far(d.at("post") - [0.6, 0.5, 0.1]) < 1e-9


def other_shelf(name: str, thick: float = 0.02, spread: float = 1.0) -> Prop:
    """Another shelf with seats of the same names, thicker, or with its posts farther apart."""
    seats = [
        seat(f"{side} {n}", (spread * x, up * 0.5 * thick, spread * z), (0, up, 0), label="post")
        for side, up in (("on", 1.0), ("under", -1.0))
        for n, (x, z) in enumerate(CORNERS)
    ]
    return Prop(name, name, box(0.5, thick, 0.4), tuple(seats))


def test_a_joined_piece_is_swapped_and_held_by_seats_of_the_same_names() -> None:
    d = tower()
    joins = [t for t in d.set.ties.values() if t.tie == "join" and "shelf" in (t.piece, t.to)]
    assert joins
    thick, wide, bare = (
        other_shelf("thick", 0.05),
        other_shelf("wide", 0.02, 1.1),
        Prop("bare", "bare", SHELF.prop.mesh),
    )
    d.props.update({p.key: p for p in (thick, wide, bare)})
    others = {k: p.pose for k, p in d.set.pieces.items() if k != "shelf"}
    d.do("swap", pieces=["shelf"], prop="thick")
    shelf = d.piece("shelf")
    assert shelf.prop.key == "thick"
    assert {k: p.pose for k, p in d.set.pieces.items() if k != "shelf"} == others
    for tie in joins:
        (mine, other), (own, theirs) = ((tie.seat, tie.to_seat), (tie.piece, tie.to))
        one, two = d.seat(own, mine), d.seat(theirs, other)
        assert np.abs(one.point - two.point).max() < 1e-9
        assert np.abs(one.facing + two.facing).max() < 1e-9
    with pytest.raises(MoveRefused, match="bare has none of that name"):
        d.do("swap", pieces=["shelf"], prop="bare")
    with pytest.raises(MoveRefused, match="of wide lies elsewhere"):
        d.do("swap", pieces=["shelf"], prop="wide")


def test_a_joined_piece_is_bent_and_stays_in_its_seat() -> None:
    d = Dressed(FLOOR, POST.at(Pose((0.0, 0.1, 0.0))))
    d.props["post"] = POST.prop
    lower = Prop("arm", "arm", box(0.02, 0.2, 0.02), (seat("hand", (0, -0.1, 0), (0, -1, 0), label="post"),))
    bent = Prop(
        "bent arm", "bent arm", box(0.2, 0.02, 0.02), (seat("hand", (0.1, 0, 0), (1, 0, 0), (0, 0, 1), label="post"),)
    )
    d.props.update({"arm": lower, "bent arm": bent})
    d.do("join", prop="arm", seat="hand", to="post", to_seat="head", keep=True)
    (arm,) = [k for k, p in d.set.pieces.items() if p.prop.key == "arm"]
    d.do("pose", piece=arm, prop="bent arm")
    hand, head = d.seat(arm, "hand"), d.seat("post", "head")
    assert d.piece(arm).prop.key == "bent arm"
    assert np.abs(hand.point - head.point).max() < 1e-9
    assert np.abs(hand.facing + head.facing).max() < 1e-9
