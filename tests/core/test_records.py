"""Records, changes and encodings: what is taken back is as it was, and what is read is what was written, bit for bit."""

import json
import math
import pickle
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brickseat_core.scene import (
    KINDS,
    SETTINGS_KEY,
    Change,
    CutOut,
    Delta,
    Kind,
    OutOfStep,
    Piece,
    Pose,
    Prop,
    PropChange,
    Recipe,
    Record,
    Region,
    Set,
    Settings,
    Tie,
    merged,
)
from brickseat_core.scene.changes import FIELD_OF
from brickseat_core.scene.encoding import (
    BadRecord,
    decode,
    decode_change,
    encode,
    encode_change,
    props_named,
)
from shapes import box

PROPS = {key: Prop(key, key, box(0.1, 0.1, 0.1)) for key in ("jar", "crate", "bay")}
number = st.floats(-1e6, 1e6, allow_nan=False)
length = st.floats(0, 1e3, allow_nan=False)
words = st.text(st.characters(exclude_categories=("Cs",)), max_size=12)
triples = st.tuples(number, number, number)
keys = st.sampled_from(["a", "b", "c", "d"])
poses = st.builds(Pose, triples, st.tuples(*[number] * 9))
turned = st.builds(
    Pose.from_parts,
    triples,
    st.tuples(*[st.floats(0.1, 1)] * 4),
    st.tuples(*[st.floats(0.01, 100)] * 3),
)
props = st.sampled_from(list(PROPS.values()))
pieces = st.builds(
    Piece,
    keys,
    words,
    props,
    turned,
    st.sampled_from(["bearer", "prop"]),
    triples,
    length,
    length,
    st.booleans(),
    words,
    words,
    st.none() | st.integers(0, 9999),
)
ties = st.builds(
    Tie,
    keys,
    st.sampled_from(["cling", "gap", "square", "join"]),
    keys,
    keys,
    st.none() | triples,
    length,
    st.booleans(),
    number,
    words,
    words,
    st.booleans(),
)
recipes = st.builds(
    Recipe,
    keys,
    words,
    st.sampled_from(["scatter", "row", "fill"]),
    st.integers(0, 2**31),
    st.dictionaries(words, st.none() | number | words | st.lists(number, max_size=3), max_size=3),
    st.lists(st.integers(0, 999), max_size=3).map(tuple),
    st.dictionaries(st.integers(0, 999), turned, max_size=2).map(lambda d: tuple(sorted(d.items()))),
)
regions = st.builds(Region, keys, words, props, turned)
cut_outs = st.builds(CutOut, keys, keys, keys, length)
changes_of_props = st.builds(
    PropChange,
    keys,
    words,
    words,
    st.lists(st.tuples(words, st.sampled_from("xyz"), number), max_size=2).map(tuple),
    words,
)
own = st.builds(Settings, words, st.floats(1e-5, 0.1), st.lists(words, max_size=3, unique=True).map(tuple))
BY_KIND: dict[Kind, st.SearchStrategy[Any]] = {
    "piece": pieces,
    "tie": ties,
    "recipe": recipes,
    "region": regions,
    "cut_out": cut_outs,
    "prop": changes_of_props,
    "set": own,
}


def keyed(kind: Kind) -> st.SearchStrategy[dict[str, Any]]:
    return st.lists(BY_KIND[kind], max_size=3, unique_by=lambda r: r.key).map(lambda rs: {r.key: r for r in rs})


sets = st.builds(Set, own, **{FIELD_OF[k]: keyed(k) for k in KINDS if k != "set"})


@st.composite
def runs(draw: Callable[..., Any]) -> tuple[Set, list[Change]]:
    """A set and changes that can be made to it one after the other."""
    first = draw(sets)
    dressed, found = first, []
    for step in range(draw(st.integers(0, 6))):
        deltas: dict[tuple[Kind, str], Delta] = {}
        for _ in range(draw(st.integers(0, 4))):
            kind = draw(st.sampled_from(KINDS))
            fresh = draw(BY_KIND[kind])
            key = SETTINGS_KEY if kind == "set" else fresh.key
            if (kind, key) in deltas:
                continue
            goes = kind != "set" and key in dressed.of_kind(kind) and draw(st.booleans())
            deltas[kind, key] = Delta(kind, key, dressed.of_kind(kind).get(key), None if goes else fresh)
        change = Change(f"step {step}", tuple(deltas.values()))
        dressed = change.on(dressed)
        found.append(change)
    return first, found


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_read_as_it_was_written(kind: Kind) -> None:
    @settings(max_examples=60, deadline=None)
    @given(BY_KIND[kind])
    def comes_back(record: Record) -> None:
        through = json.loads(json.dumps(encode(record)))
        again = decode(kind, through, PROPS.__getitem__)
        assert again == record
        assert encode(again) == encode(record)

    comes_back()


@settings(max_examples=80, deadline=None)
@given(runs())
def test_taken_back_in_turn_a_set_is_as_it_was_and_done_again_as_it_became(run: tuple[Set, list[Change]]) -> None:
    first, found = run
    seen = [first]
    for change in found:
        seen.append(change.on(seen[-1]))
    dressed = seen[-1]
    for change, before in zip(reversed(found), reversed(seen[:-1]), strict=True):
        dressed = change.backwards().on(dressed)
        assert dressed == before
        assert change.backwards().backwards() == change
    whole = merged("all", found)
    assert whole.on(first) == seen[-1]
    assert whole.backwards().on(seen[-1]) == first


@settings(max_examples=60, deadline=None)
@given(runs())
def test_a_history_that_was_stored_does_the_same(run: tuple[Set, list[Change]]) -> None:
    first, found = run
    dressed = first
    for change in found:
        stored = json.loads(json.dumps(encode_change(change)))
        read = decode_change(change.words, stored, PROPS.__getitem__)
        assert read == change
        dressed = read.on(dressed)
    for change in found:
        first = change.on(first)
    assert dressed == first


@settings(max_examples=40, deadline=None)
@given(sets)
def test_a_set_is_all_it_is_made_of_and_can_be_sent_to_another_process(dressed: Set) -> None:
    empty = Set(Settings("", 0.0005))
    built = Change(
        "all",
        tuple(replace(d, before=empty.settings if d.kind == "set" else None) for d in dressed.deltas_from_nothing()),
    )
    assert built.on(empty) == dressed
    assert pickle.loads(pickle.dumps(dressed)) == dressed


def test_a_change_is_refused_where_the_set_is_another_one() -> None:
    jar = Piece("a", "jar 1", PROPS["jar"], Pose((0.0, 0.0, 0.0)))
    dressed = Set.of("yard", [jar])
    moved = jar.at(Pose((1.0, 0.0, 0.0)))
    change = Change("slid jar 1", (Delta("piece", "a", jar, moved),))
    after = change.on(dressed)
    assert dressed.pieces["a"] is jar, "a set is never changed"
    assert after.pieces["a"] is moved
    for out_of_step in (change, Change("new", (Delta("piece", "a", None, jar),))):
        with pytest.raises(OutOfStep, match="no longer as it was"):
            out_of_step.on(after)
    with pytest.raises(OutOfStep, match="settings"):
        Change("no name", (Delta("set", SETTINGS_KEY, after.settings, None),)).on(after)


@pytest.mark.parametrize(
    "data",
    [
        {},
        {"key": "a"},
        {"key": "a", "name": "a", "prop": "jar", "role": "king"},
        {"key": "a", "name": "a", "prop": "jar", "role": "prop", "pose": {"position": [0, 0]}, "direction": [0, -1, 0]},
        {"key": "a", "name": "a", "prop": "jar", "role": "prop", "pose": 7, "direction": [0, -1, 0]},
        {"key": "a", "name": "a", "prop": "jar", "role": "prop", "pose": {"position": [0, 0, "x"], "basis": [0] * 9}},
    ],
)
def test_what_is_no_record_is_refused_in_words(data: dict[str, Any]) -> None:
    with pytest.raises(BadRecord) as refused:
        decode("piece", data, PROPS.__getitem__)
    assert len(str(refused.value)) > 8


def test_poses_written_before_there_was_a_basis_are_read() -> None:
    half = math.sqrt(0.5)
    old = {"position": [1, 2, 3], "orientation": [0, half, 0, half], "scale": [2, 1, 1]}
    jar = encode(Piece("a", "jar", PROPS["jar"], Pose((0.0, 0.0, 0.0))))
    read = decode("piece", {**jar, "pose": old}, PROPS.__getitem__)
    assert isinstance(read, Piece)
    assert read.pose.linear == pytest.approx(np.array([[0, 0, 1], [0, 1, 0], [-2, 0, 0]]), abs=1e-12)


def test_which_props_a_record_needs() -> None:
    jar = Piece("a", "jar", PROPS["jar"], Pose((0.0, 0.0, 0.0)))
    assert props_named(encode(jar)) == {"jar"}
    assert props_named(encode(Region("r", "bay", PROPS["bay"], jar.pose))) == {"bay"}
    assert props_named(encode(Tie("t", "cling", "a", "b"))) == set()
    assert props_named(encode(Settings("yard", 0.0005, ("jar",)))) == set(), "what is only on the trolley is not needed"
