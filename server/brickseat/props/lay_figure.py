"""A jointed lay figure of wood, life size: every limb a node of its own, turned about the joint above it."""

from dataclasses import dataclass, field

from brickseat.props.modelling import block, soft, turned
from brickseat.props.paints import ASH, OAK
from brickseat_core.formats.gltf.building import Surface, parts_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.scene import Triple

THIGH, SHIN, FOOT = 0.42, 0.4, 0.06
"""Metres of the legs' parts; the hips stand as high as all three."""
LIMB = 0.12
UPPER_ARM, FOREARM = 0.28, 0.25
Turn = tuple[str, str, float]
SITTING: tuple[Turn, ...] = (
    *((f"{side} hip", "x", -90.0) for side in ("left", "right")),
    *((f"{side} knee", "x", 90.0) for side in ("left", "right")),
    *((f"{side} shoulder", "x", -28.0) for side in ("left", "right")),
    *((f"{side} elbow", "x", -42.0) for side in ("left", "right")),
    ("neck", "x", 8.0),
)


@dataclass(frozen=True)
class Limb:
    """A limb about its joint: ``at`` from the joint above, with what hangs on it."""

    joint: str
    at: Triple
    surfaces: list[Surface]
    limbs: list["Limb"] = field(default_factory=list)


def leg(side: str, x: float) -> Limb:
    """Thigh, shin and foot; the thigh's back is flat, so that it lies on what it sits on."""
    foot = Limb("ankle", (0.0, -SHIN, 0.0), [block(OAK, (0.085, FOOT, 0.24), (0.0, -FOOT, 0.05), 0.008)])
    shin = Limb(
        "knee", (0.0, -THIGH, 0.0), [block(ASH, (0.09, SHIN - 0.02, 0.09), (0.0, -SHIN + 0.005, 0.0), 0.012)], [foot]
    )
    thigh = [block(ASH, (LIMB, THIGH - 0.01, LIMB), (0.0, -THIGH + 0.04, 0.0), 0.012)]
    return named(side, Limb("hip", (x, 0.0, 0.0), thigh, [shin]))


def arm(side: str, x: float) -> Limb:
    """Upper arm, forearm and hand in one with it."""
    hand = block(OAK, (0.05, 0.13, 0.07), (0.0, -FOREARM - 0.12, 0.0), 0.01)
    forearm = Limb(
        "elbow", (0.0, -UPPER_ARM, 0.0), [block(ASH, (0.06, FOREARM, 0.065), (0.0, -FOREARM, 0.0), 0.01), hand]
    )
    upper = [block(ASH, (0.07, UPPER_ARM, 0.075), (0.0, -UPPER_ARM + 0.02, 0.0), 0.01)]
    return named(side, Limb("shoulder", (x, 0.36, 0.0), upper, [forearm]))


def named(side: str, limb: Limb) -> Limb:
    """The same with the side before the name of every joint."""
    return Limb(f"{side} {limb.joint}", limb.at, limb.surfaces, [named(side, below) for below in limb.limbs])


def figure() -> Limb:
    """The whole figure, hanging on its pelvis; it stands on its soles at y = 0."""
    head = turned([(ASH, soft([(0, 0.03), (0.05, 0.04), (0.085, 0.12), (0.08, 0.2), (0.04, 0.25), (0, 0.255)]))], 28)
    neck = turned([(OAK, [(0, -0.03), (0.035, -0.03), (0.035, 0.05), (0, 0.05)])], 20)
    trunk = Limb(
        "waist",
        (0.0, 0.12, 0.0),
        [block(ASH, (0.34, 0.3, 0.19), (0.0, 0.12, 0.0), 0.02), block(OAK, (0.2, 0.14, 0.14), (0.0, 0.0, 0.0), 0.015)],
        [Limb("neck", (0.0, 0.45, 0.0), [*head, *neck]), arm("left", 0.215), arm("right", -0.215)],
    )
    pelvis = [block(OAK, (0.28, 0.14, 0.18), (0.0, -0.02, 0.0), 0.015)]
    return Limb("pelvis", (0.0, THIGH + SHIN + FOOT, 0.0), pelvis, [trunk, leg("left", 0.085), leg("right", -0.085)])


def lay_figure_document() -> GltfDocument:
    """The figure as a glTF document, a node for every joint."""
    limbs: list[tuple[Limb, list[int]]] = []

    def gather(limb: Limb) -> int:
        number = len(limbs)
        below: list[int] = []
        limbs.append((limb, below))
        below += [gather(child) for child in limb.limbs]
        return number

    gather(figure())
    document = parts_document((limb.joint, limb.surfaces) for limb, _ in limbs)
    nodes = document.json["nodes"]
    for number, (limb, below) in enumerate(limbs):
        nodes[number]["translation"] = list(limb.at)
        if below:
            nodes[number]["children"] = below
    document.json["scenes"] = [{"nodes": [0]}]
    return document
