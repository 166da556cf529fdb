"""Sets of thousands as GLB: rows of pieces on a flat floor, two hundred of them not right; props of the demo, or turned pots of our own."""

from collections.abc import Mapping

import numpy as np

from brickseat.props.hollow_hill import PROPS
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.prop_file import whole_mesh
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene import Piece, Pose, Prop, Set

ROW = 72
STEP = 0.9
FLOATING, AGAINST = 100, 50
"""Pieces that float, and pieces pushed into their neighbour, which makes two that are not right."""
STANDING = ("milk-jug", "mug", "crate", "kiln-post", "bucket", "stool", "fire-brick", "wide-bowl", "tall-jar", "saggar")

Documents = Mapping[str, GltfDocument]


def demo_props() -> Documents:
    """Some props of the demo that stand on a flat floor as they are."""
    made = {prop.key: GltfDocument.parse(prop.document().to_glb()) for prop in PROPS}
    return {key: made[key] for key in STANDING}


def pots(count: int = 40, sections: int = 84) -> Documents:
    """Turned pots of about 2,000 triangles, each another one."""
    made = {}
    for number in range(count):
        rng = np.random.default_rng(number)
        r, h = rng.uniform(0.06, 0.2), rng.uniform(0.1, 0.5)
        profile = [(0.0, 0.0), (0.8 * r, 0.0), (r, 0.3 * h), (1.1 * r, 0.5 * h), (0.9 * r, 0.8 * h), (0.7 * r, h)]
        profile += [(0.6 * r, h), (0.8 * r, 0.8 * h), (0.9 * r, 0.4 * h), (0.7 * r, 0.1 * h), (0.0, 0.1 * h)]
        mesh = turned(profile, sections)
        clay = Paint("clay", (0.3 + 0.5 * float(rng.random()), 0.35, 0.25))
        made[f"pot-{number}"] = prop_document(f"pot {number}", [Surface(clay, mesh.vertices, mesh.faces)])
    return made


def turned(profile: list[tuple[float, float]], sections: int) -> Mesh:
    """A closed surface of revolution about the y axis; its profile (radius, height) runs from the axis up to the axis again."""
    inner = np.array(profile[1:-1])
    angle = np.arange(sections) * (2 * np.pi / sections)
    rings = np.stack(
        [
            inner[:, None, 0] * np.cos(angle),
            np.repeat(inner[:, None, 1], sections, axis=1),
            inner[:, None, 0] * np.sin(angle),
        ],
        axis=-1,
    ).reshape(-1, 3)
    points = np.concatenate([rings, [[0, profile[0][1], 0], [0, profile[-1][1], 0]]])
    faces = []
    for k in range(sections):
        j = (k + 1) % sections
        for ring in range(len(inner) - 1):
            a, b = ring * sections, (ring + 1) * sections
            faces += [(a + k, b + k, a + j), (a + j, b + k, b + j)]
        last = (len(inner) - 1) * sections
        faces += [(len(rings), k, j), (len(rings) + 1, last + j, last + k)]
    return Mesh(points, np.array(faces, dtype=np.int32))


def crowd_file(documents: Documents, count: int) -> bytes:
    """The ``crowd`` as GLB."""
    grey = Paint("stone", (0.6, 0.58, 0.5))
    slab = prop_document("slab", [Surface(grey, SLAB.vertices, SLAB.faces)])
    return set_document(crowd(documents, count), {**documents, "slab": slab}).to_glb()


def crowd(documents: Documents, count: int) -> Set:
    """A floor and ``count`` pieces on it, in rows along x, the last of them free: ``FLOATING`` are 20 mm above it, and
    ``AGAINST`` stand 20 mm deep in the one beside them."""
    props = {key: Prop(key, key.replace("-", " "), whole_mesh(document, key)) for key, document in documents.items()}
    wide = Pose.from_parts((0.0, 0.0, 0.0), (0.0, 0.0, 0.0, 1.0), (0.6 * ROW * STEP, 0.2, 0.6 * ROW * STEP))
    pieces = [Piece("slab", "slab", Prop("slab", "slab", SLAB), wide, "bearer")]
    kinds = list(props.values())
    for number in range(count):
        prop = kinds[number % len(kinds)]
        lo = prop.mesh.box[0]
        x, z = (number % ROW - ROW / 2) * STEP, (number // ROW - ROW / 2) * STEP
        y = -float(lo[1])
        if number % (count // FLOATING) == 3:
            y += 0.02
        if number % (count // AGAINST) == 12 and number % ROW:
            beside = kinds[(number - 1) % len(kinds)].mesh.box[1]
            x += float(beside[0] - lo[0]) - STEP - 0.02
        pieces.append(Piece(f"p{number}", f"piece {number}", prop, Pose((x, y, z))))
    return Set.of("crowd", pieces)


BOX = np.array(
    [
        (0, 1, 3), (0, 3, 2), (4, 6, 7), (4, 7, 5), (0, 4, 5), (0, 5, 1),
        (2, 3, 7), (2, 7, 6), (0, 2, 6), (0, 6, 4), (1, 5, 7), (1, 7, 3),
    ],
    dtype=np.int32,
)  # fmt: skip
"""Triangles of a box whose corners count x, then y, then z."""
SLAB = Mesh(np.array([[x, y, z] for x in (-1.0, 1.0) for y in (-1.0, 0.0) for z in (-1.0, 1.0)]), BOX)
