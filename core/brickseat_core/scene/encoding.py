"""Records as plain JSON values and back, one encoder for each kind.

The database, the history, the wire and the extras of glTF files all use these. What is decoded is equal to what was
encoded, bit for bit: a pose is written with its basis, and its orientation and scale besides for those who draw.
"""

from collections.abc import Callable
from typing import Any, TypeVar

import numpy as np

from brickseat_core.scene.changes import Change, Delta
from brickseat_core.scene.pose import Pose, Triple
from brickseat_core.scene.records import (
    KINDS,
    RECIPE_KINDS,
    ROLES,
    TIE_KINDS,
    CutOut,
    Kind,
    Piece,
    Prop,
    PropChange,
    Recipe,
    Record,
    Region,
    Settings,
    Tie,
)
from brickseat_core.scene.seats import Frame, Seat, frame_of

Json = dict[str, Any]
V = TypeVar("V")
FindProp = Callable[[str], Prop]
"""The prop of a key."""


LARGEST = 1e300


class BadRecord(ValueError):
    """Plain values that are no record of their kind; says which field."""


def encode_pose(pose: Pose) -> Json:
    """Position, basis (row by row), orientation (x, y, z, w) and scale."""
    return {
        "position": list(pose.position),
        "orientation": list(pose.orientation),
        "scale": list(pose.scale),
        "basis": list(pose.basis),
    }


def decode_pose(data: Json) -> Pose:
    """Raises BadRecord. Without a basis, orientation and scale give it."""
    if data.get("basis") is not None:
        return Pose(triple(data["position"]), tuple(float(v) for v in numbers(data["basis"], 9)))
    x, y, z, w = numbers(data["orientation"], 4)
    if not any((x, y, z, w)):
        raise BadRecord("an orientation of no length turns nothing")
    return Pose.from_parts(triple(data["position"]), (x, y, z, w), triple(data["scale"]))


def numbers(value: Any, count: int) -> list[float]:
    """So many numbers. Raises BadRecord."""
    if not isinstance(value, list | tuple) or len(value) != count:
        raise BadRecord(f"{value!r} is not {count} numbers")
    if not all(isinstance(v, int | float) and not isinstance(v, bool) for v in value):
        raise BadRecord(f"{value!r} is not {count} numbers")
    if not all(abs(v) <= LARGEST for v in value):
        raise BadRecord(f"{value!r:.200} are larger than can be computed")
    return [float(v) for v in value]


def triple(value: Any) -> Triple:
    """Three numbers. Raises BadRecord."""
    x, y, z = numbers(value, 3)
    return (x, y, z)


def encode(record: Record) -> Json:
    """A record of any kind as plain JSON values."""
    return ENCODERS[type(record)](record)


def decode(kind: Kind, data: Json, prop: FindProp) -> Record:
    """The record that ``encode`` made these values of. ``prop`` finds props by key. Raises BadRecord."""
    try:
        return DECODERS[kind](data, prop)
    except KeyError as missing:
        raise BadRecord(f"a {kind} has no {missing.args[0]}") from None
    except (TypeError, AttributeError) as problem:
        raise BadRecord(f"a {kind} is not well formed: {problem}") from None


def encode_piece(piece: Piece) -> Json:
    """The JSON of a piece; its prop goes by key."""
    return {
        "key": piece.key,
        "name": piece.name,
        "prop": piece.prop.key,
        "role": piece.role,
        "pose": encode_pose(piece.pose),
        "direction": list(piece.direction),
        "sink": piece.sink,
        "stand_off": piece.stand_off,
        "spiked": piece.spiked,
        "group": piece.group,
        "recipe": piece.recipe,
        "number": piece.number,
    }


def decode_piece(data: Json, prop: FindProp) -> Piece:
    """The piece that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    number = data.get("number")
    return Piece(
        str(data["key"]),
        str(data["name"]),
        prop(data["prop"]),
        decode_pose(data["pose"]),
        one_of(data["role"], ROLES, "role"),
        triple(data["direction"]),
        float(data["sink"]),
        float(data["stand_off"]),
        bool(data["spiked"]),
        str(data.get("group", "")),
        str(data.get("recipe", "")),
        int(number) if number is not None else None,
    )


def encode_tie(tie: Tie) -> Json:
    """The JSON of a tie, in metres and degrees."""
    return {
        "key": tie.key,
        "tie": tie.tie,
        "piece": tie.piece,
        "to": tie.to,
        "side": list(tie.side) if tie.side is not None else None,
        "distance_m": tie.distance,
        "at_least": tie.at_least,
        "angle_deg": tie.angle,
        "seat": tie.seat,
        "to_seat": tie.to_seat,
        "locked": tie.locked,
        "frame": encode_frame(tie.frame) if tie.frame is not None else None,
        "to_frame": encode_frame(tie.to_frame) if tie.to_frame is not None else None,
        "lean": tie.lean,
        "smooth": tie.smooth,
    }


def decode_tie(data: Json, prop: FindProp) -> Tie:
    """The tie that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    side = data.get("side")
    frame, to_frame = (
        decode_frame(data[name]) if data.get(name) is not None else None for name in ("frame", "to_frame")
    )
    return Tie(
        str(data["key"]),
        one_of(data["tie"], TIE_KINDS, "tie"),
        str(data["piece"]),
        str(data["to"]),
        triple(side) if side is not None else None,
        float(data.get("distance_m", 0.0)),
        bool(data.get("at_least", False)),
        float(data.get("angle_deg", 0.0)),
        str(data.get("seat", "")),
        str(data.get("to_seat", "")),
        bool(data.get("locked", False)),
        frame,
        to_frame,
        float(data.get("lean", 0.0)),
        bool(data.get("smooth", False)),
    )


def encode_frame(frame: Frame) -> Json:
    """The JSON of a frame, in metres."""
    return {"point": list(frame.point), "facing": list(frame.facing), "clock": list(frame.clock)}


def decode_frame(data: Json) -> Frame:
    """The frame that JSON holds, bit for bit where it is unit and square. Raises BadRecord where it faces nowhere."""
    point, facing, clock = (np.array(triple(data.get(name))) for name in ("point", "facing", "clock"))
    if not np.isfinite([point, facing, clock]).all() or float(np.linalg.norm(facing)) < 1e-9:
        raise BadRecord("it faces nowhere; give a facing like [0, 1, 0]")
    if abs(float(facing @ facing) - 1.0) < 1e-12 and abs(float(clock @ clock) - 1.0) < 1e-12 > abs(facing @ clock):
        return Frame(triple(point.tolist()), triple(facing.tolist()), triple(clock.tolist()))
    return frame_of(point, facing, clock)


def encode_seat(seat: Seat) -> Json:
    """The JSON of a seat, as the extras of a glTF node have it."""
    return {
        "name": seat.name,
        **encode_frame(seat),
        "step_deg": seat.step_deg,
        "label": seat.label,
        "many": seat.many,
    }


def decode_seat(data: Any) -> Seat:
    """The seat that JSON holds; a clock that is missing points up the prop. Raises BadRecord."""
    if not isinstance(data, dict) or not isinstance(data.get("name"), str) or not data["name"]:
        raise BadRecord("a seat is an object with a name, a point and a facing")
    frame = decode_frame({"clock": [0.0, 1.0, 0.0], **data})
    step = data.get("step_deg", 0.0)
    if isinstance(step, bool) or not isinstance(step, int | float) or not 0.0 <= step <= 360.0:
        raise BadRecord(f"step_deg {step!r} is not an angle from 0 to 360")
    return Seat(
        frame.point,
        frame.facing,
        frame.clock,
        data["name"][:80],
        float(step),
        str(data.get("label", ""))[:80],
        data.get("many") is True,
    )


MOST_SEATS = 200


def decode_seats(data: Any) -> tuple[Seat, ...]:
    """The seats of a prop out of a JSON list. Raises BadRecord, saying which of them is wrong."""
    if not isinstance(data, list) or len(data) > MOST_SEATS:
        raise BadRecord(f"seats are a list of at most {MOST_SEATS}")
    found: list[Seat] = []
    for number, one in enumerate(data):
        try:
            found.append(decode_seat(one))
        except BadRecord as problem:
            raise BadRecord(f"seats[{number}]: {problem}") from None
    names = [s.name for s in found]
    if twice := next((n for n in names if names.count(n) > 1), None):
        raise BadRecord(f"two seats are named {twice!r}; give each a name of its own")
    return tuple(found)


def encode_recipe(recipe: Recipe) -> Json:
    """The JSON of a recipe, with its exceptions."""
    return {
        "key": recipe.key,
        "name": recipe.name,
        "recipe": recipe.recipe,
        "seed": recipe.seed,
        "parameters": dict(recipe.parameters),
        "exceptions": {
            "taken_out": list(recipe.taken_out),
            "nudged": {str(number): encode_pose(pose) for number, pose in recipe.nudged},
        },
    }


def decode_recipe(data: Json, prop: FindProp) -> Recipe:
    """The recipe that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    exceptions = data.get("exceptions") or {}
    nudged = exceptions.get("nudged") or {}
    return Recipe(
        str(data["key"]),
        str(data["name"]),
        one_of(data["recipe"], RECIPE_KINDS, "recipe"),
        int(data["seed"]),
        dict(data["parameters"]),
        tuple(int(n) for n in exceptions.get("taken_out") or ()),
        tuple((int(n), decode_pose(pose)) for n, pose in sorted(nudged.items(), key=lambda item: int(item[0]))),
    )


def encode_region(region: Region) -> Json:
    """The JSON of a region; its mesh goes by prop key."""
    return {"key": region.key, "name": region.name, "prop": region.prop.key, "pose": encode_pose(region.pose)}


def decode_region(data: Json, prop: FindProp) -> Region:
    """The region that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    return Region(str(data["key"]), str(data["name"]), prop(data["prop"]), decode_pose(data["pose"]))


def encode_cut_out(cut: CutOut) -> Json:
    """The JSON of a cut-out."""
    return {"key": cut.key, "piece": cut.piece, "bearer": cut.bearer, "clearance_m": cut.clearance}


def decode_cut_out(data: Json, prop: FindProp) -> CutOut:
    """The cut out that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    return CutOut(str(data["key"]), str(data["piece"]), str(data["bearer"]), float(data.get("clearance_m", 0.0)))


def encode_prop_change(change: PropChange) -> Json:
    """The JSON of a change to a prop."""
    return {
        "key": change.key,
        "unit": change.unit,
        "up": change.up,
        "turns": [[joint, axis, degrees] for joint, axis, degrees in change.turns],
        "material": change.material,
    }


def decode_prop_change(data: Json, prop: FindProp) -> PropChange:
    """The prop change that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    turns = tuple((str(joint), str(axis), float(degrees)) for joint, axis, degrees in data.get("turns") or ())
    return PropChange(
        str(data["key"]), str(data.get("unit", "")), str(data.get("up", "")), turns, str(data.get("material", ""))
    )


def encode_settings(own: Settings) -> Json:
    """The JSON of a set's own settings."""
    return {"name": own.name, "tolerance_m": own.tolerance, "trolley": list(own.trolley)}


def decode_settings(data: Json, prop: FindProp) -> Settings:
    """The settings that JSON holds. Raises KeyError, TypeError or BadRecord, which `decode` turns into BadRecord."""
    return Settings(str(data["name"]), float(data["tolerance_m"]), tuple(str(k) for k in data["trolley"]))


def one_of(value: Any, allowed: tuple[V, ...], field: str) -> V:
    """``value``, when it is one of those ``allowed``. Raises BadRecord."""
    for known in allowed:
        if known == value:
            return known
    raise BadRecord(f"{field} {value!r} is not one of {', '.join(str(a) for a in allowed)}")


ENCODERS: dict[type, Callable[[Any], Json]] = {
    Settings: encode_settings,
    PropChange: encode_prop_change,
    Piece: encode_piece,
    Region: encode_region,
    Tie: encode_tie,
    Recipe: encode_recipe,
    CutOut: encode_cut_out,
}
DECODERS: dict[Kind, Callable[[Json, FindProp], Record]] = {
    "set": decode_settings,
    "prop": decode_prop_change,
    "piece": decode_piece,
    "region": decode_region,
    "tie": decode_tie,
    "recipe": decode_recipe,
    "cut_out": decode_cut_out,
}


def encode_delta(delta: Delta) -> Json:
    """A delta as plain JSON values."""
    return {
        "kind": delta.kind,
        "key": delta.key,
        "before": encode(delta.before) if delta.before is not None else None,
        "after": encode(delta.after) if delta.after is not None else None,
    }


def decode_delta(data: Json, prop: FindProp) -> Delta:
    """The delta that ``encode_delta`` made these values of. Raises BadRecord."""
    kind = one_of(data.get("kind"), KINDS, "kind")
    before, after = (
        decode(kind, data[side], prop) if data.get(side) is not None else None for side in ("before", "after")
    )
    return Delta(kind, str(data["key"]), before, after)


def encode_change(change: Change) -> list[Json]:
    """The deltas of a change; its words are kept apart."""
    return [encode_delta(d) for d in change.deltas]


def decode_change(words: str, data: list[Json], prop: FindProp) -> Change:
    """Raises BadRecord."""
    return Change(words, tuple(decode_delta(d, prop) for d in data))


def props_named(record: Json) -> set[str]:
    """Keys of the props whose mesh an encoded record needs."""
    named = record.get("prop")
    return {named} if isinstance(named, str) else set()
