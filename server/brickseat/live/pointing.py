"""One question of the pointer, answered: the browser sends a ray, the seated pose goes back."""

import math
from typing import Any

import numpy as np

from brickseat.live.known_props import KnownProps
from brickseat.live.messages import CatchQuestion, NotUnderstood, PointQuestion
from brickseat.sets.session import LiveSet
from brickseat_core.fit.measuring import triple
from brickseat_core.placing.catching import catch, clock_along
from brickseat_core.placing.pointing import Slip, point
from brickseat_core.scene import DOWN
from brickseat_core.scene.encoding import encode_pose


def answer(live: LiveSet, question: PointQuestion, props: KnownProps) -> dict[str, Any]:
    """The seated pose under a ray. Raises NotUnderstood and Unfamiliar."""
    origin, along = np.array(question.ray.origin), np.array(question.ray.direction)
    if not math.hypot(*question.ray.direction) > 1e-6:
        raise NotUnderstood("ray.direction: it has no length", question.n)
    now = live.snapshot
    standing = now.dressed.pieces.get(question.piece) if question.piece else None
    keeping = None
    if standing is not None:
        prop, keeping = standing.prop, standing.pose.linear
    else:
        prop = props.of(live, question.prop or "")
    found = point(
        now.index,
        prop,
        origin,
        along,
        # The same fields by the same names; the message was checked when it came in.
        Slip(**dict(question.slip)),
        props.directions.get(prop.key, DOWN),
        question.piece or "",
        now.dressed.tolerance,
        keeping,
    )
    if found is None:
        return {"revision": now.revision, "pose": None}
    names = now.dressed.pieces
    return {
        "revision": now.revision,
        "pose": encode_pose(found.pose),
        "direction": found.direction,
        "touch": found.touch,
        "normal": found.normal,
        "on": found.on,
        "clashes": [{"other": c.other, "name": names[c.other].name, "depth": c.depth} for c in found.clashes],
        "problem": found.problem,
    }


def caught(live: LiveSet, question: CatchQuestion) -> dict[str, Any]:
    """What is near a ray: a corner, an edge, a middle, a centre, or just a face. Raises NotUnderstood."""
    if not math.hypot(*question.ray.direction) > 1e-6:
        raise NotUnderstood("ray.direction: it has no length", question.n)
    now = live.snapshot
    origin, along = np.array(question.ray.origin), np.array(question.ray.direction)
    found = catch(now.index, origin, along, question.pixel, question.skip or "", question.only or "")
    if found is None:
        return {"revision": now.revision, "what": None}
    return {
        "revision": now.revision,
        "what": found.what,
        "on": found.on,
        "point": triple(found.point),
        "facing": triple(found.normal),
        "clock": triple(clock_along(found)),
        "ends": [triple(end) for end in found.ends] if found.ends is not None else None,
    }
