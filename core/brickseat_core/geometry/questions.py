"""What is suspicious about a model as it comes: its size, and which way is up. Asked with a proposal, never done unasked."""

import math
import re
from dataclasses import dataclass
from typing import Literal

from brickseat_core.geometry.lengths import METRES_PER
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.sides import RestingSide, resting_sides

TYPICAL: dict[str, tuple[float, float]] = {
    "peg hook knob nail spoon fork knife bead coin ring": (0.01, 0.3),
    "cup mug beaker glass bowl saucer tile brick dish lid egg fruit apple onion": (0.03, 0.5),
    "plate tray bat jug pitcher jar pot vase bottle lamp lantern kettle teapot candle book": (0.06, 0.9),
    "bucket basket crate sack box stool bag pan cauldron barrel cushion chest": (0.15, 1.4),
    "chair table bench trestle shelf rack ladder door cupboard bed desk cart wheelbarrow plank": (0.3, 5.0),
    "tree wall floor roof house terrain ground kiln shed": (1.0, 500.0),
}
"""Greatest dimension in metres that things of these names have, from the smallest to the largest believable."""

ANY_PROP = (0.005, 12.0)
"""Greatest dimension in metres of a thing whose name says nothing."""

USUAL = 0.4
"""Metres: of several units that would be believable, the one that comes nearest to this is proposed."""

SELDOM = 0.5
"""Models in inches or feet are rarer: such a unit has to fit better by a factor of e to the power of this."""

FLAT_DEGREES = 2.0
Z_UP_FORMATS = ("stl", "ply")


@dataclass(frozen=True)
class Question:
    """``about``: "unit" or "up". ``proposal``: the unit or axis that is likely. ``text``: the question with its reason."""

    about: Literal["unit", "up"]
    proposal: str
    text: str


def believable(name: str) -> tuple[str | None, tuple[float, float]]:
    """The word of a name that says what the thing is, and the sizes such a thing has, in metres."""
    words = re.findall(r"[a-z]+", re.sub(r"([a-z])([A-Z])", r"\1 \2", name).lower())
    for word in reversed(words):
        for names, sizes in TYPICAL.items():
            if word in names.split() or word.removesuffix("s") in names.split():
                return word, sizes
    return None, ANY_PROP


def size_question(size: float, name: str) -> Question | None:
    """Is ``size`` (the greatest dimension, taken for metres) believable? None when it is."""
    word, (least, most) = believable(name)
    if least <= size <= most or size <= 0.0:
        return None
    likely = [u for u, metres in METRES_PER.items() if u != "m" and least <= size * metres <= most]
    what = f"a {word}" if word else "a prop"
    if not likely:
        return Question("unit", "m", f"{what} of {size:.4g} m, is that right? No unit makes it usual.")
    usual = math.sqrt(least * most) if word else USUAL
    best = min(likely, key=lambda u: abs(math.log(size * METRES_PER[u] / usual)) + SELDOM * (u in ("in", "ft")))
    metres = size * METRES_PER[best]
    return Question("unit", best, f"{what} of {size:.4g} m, is that right? In {best} it would be {metres:.3g} m.")


def up_question(mesh: Mesh, kind: str, sides: tuple[RestingSide, ...]) -> Question | None:
    """Does it lie on its back? Asked when it can stand on -Z but not on -Y, or when its format is often Z up."""

    def stands(axis: int) -> RestingSide | None:
        for side in sides:
            if side.down[axis] < -math.cos(math.radians(FLAT_DEGREES)):
                return side
        return None

    on_y, on_z = stands(1), stands(2)
    if on_z is None or (on_y is not None and kind not in Z_UP_FORMATS):
        return None
    if on_y is None:
        return Question("up", "z", "it stands on its -Z side and not on its -Y side: is +Z up?")
    if on_z.area > 1.5 * on_y.area and on_z.steadiness_deg > on_y.steadiness_deg:
        return Question("up", "z", f"{kind.upper()} files are often +Z up, and it stands more steadily so: is +Z up?")
    return None


def questions(mesh: Mesh, name: str, kind: str) -> tuple[Question, ...]:
    """All there is to ask of a prop read from a file of that ``kind`` (its suffix), its numbers taken for metres."""
    lo, hi = mesh.box
    asked = (
        size_question(float((hi - lo).max()), name),
        up_question(mesh, kind, resting_sides(mesh)),
    )
    return tuple(q for q in asked if q is not None)
