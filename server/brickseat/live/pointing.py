"""One question of the pointer, answered: the browser sends a ray, the seated pose goes back."""

from typing import Any

import numpy as np

from brickseat.sets.session import LiveSet
from brickseat.store.models import StoredProp
from brickseat_core.placing.frames import FOLLOWS, TOUCH_SIDES
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.scene import DOWN, Triple
from brickseat_core.scene.encoding import encode_pose


class BadQuestion(ValueError):
    """The question is not well formed; says which part."""


def number(value: Any, name: str, low: float, high: float) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadQuestion(f"{name} is not a number from {low} to {high}")
    return float(value)


def vector(value: Any, name: str) -> Triple:
    if not isinstance(value, list) or len(value) != 3:
        raise BadQuestion(f"{name} is not three numbers")
    x, y, z = (number(v, name, -1e7, 1e7) for v in value)
    return (x, y, z)


def size_of(value: Any) -> float | Triple:
    if isinstance(value, list):
        x, y, z = vector(value, "size")
        return (number(x, "size", 0.01, 100.0), number(y, "size", 0.01, 100.0), number(z, "size", 0.01, 100.0))
    return number(value, "size", 0.01, 100.0)


def slip_of(value: Any) -> Slip:
    if not isinstance(value, dict):
        raise BadQuestion("slip is missing")
    side, follow = value.get("side", "base"), value.get("follow", "ground")
    if side not in TOUCH_SIDES or follow not in FOLLOWS:
        raise BadQuestion("slip names an unknown side or way to lean")
    return Slip(
        side=side,
        lean=number(value.get("lean", 0.0), "lean", 0.0, 1.0),
        follow=follow,
        turn=number(value.get("turn", 0.0), "turn", -1e4, 1e4),
        size=size_of(value.get("size", 1.0)),
        sink=number(value.get("sink", 0.0), "sink", 0.0, 100.0),
        stand_off=number(value.get("stand_off", 0.0), "stand_off", 0.0, 100.0),
        aim=vector(value["aim"], "aim") if value.get("aim") is not None else None,
    )


def answer(live: LiveSet, question: dict[str, Any], directions: dict[str, Triple]) -> dict[str, Any]:
    """The seated pose under a ray. ``directions``: usual seating direction by prop. Raises BadQuestion."""
    ray = question.get("ray")
    if not isinstance(ray, dict):
        raise BadQuestion("ray is missing")
    origin, along = vector(ray.get("origin"), "ray.origin"), vector(ray.get("direction"), "ray.direction")
    if not float(np.linalg.norm(along)) > 1e-6:
        raise BadQuestion("ray.direction has no length")
    slip = slip_of(question.get("slip"))
    moving = question.get("piece")
    now = live.snapshot
    standing = now.dressed.pieces.get(str(moving)) if isinstance(moving, str) else None
    if standing is not None:
        prop, keeping = standing.prop, standing.pose.linear
    else:
        keeping = None
        try:
            prop = live.prop(str(question.get("prop")))
        except StoredProp.DoesNotExist:
            raise BadQuestion("that prop is not in the store") from None
    usual = directions.get(prop.key, DOWN)
    found = point(
        now.index,
        prop,
        np.array(origin),
        np.array(along),
        slip,
        usual,
        str(moving or ""),
        now.dressed.tolerance,
        keeping,
    )
    if found is None:
        return {"pose": None}
    names = now.dressed.pieces
    return {
        "pose": encode_pose(found.pose),
        "direction": found.direction,
        "touch": found.touch,
        "normal": found.normal,
        "on": found.on,
        "clashes": [{"other": c.other, "name": names[c.other].name, "depth": c.depth} for c in found.clashes],
        "problem": found.problem,
    }
