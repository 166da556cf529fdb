"""Contact shapes of stored props: made once for each file and kind, and kept in memory."""

import tempfile
from functools import lru_cache
from pathlib import Path
from typing import TypedDict

import numpy as np
from scipy.spatial import ConvexHull

from brickseat.store.models import StoredProp
from brickseat.store.shelving import mesh_of
from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.shape_file import read_shape, shape_apart
from brickseat_core.formats.writing import write_whole
from brickseat_core.gravity.shapes import SHAPE_KINDS, ContactShape, NoShape, ShapeKind, good_enough

SHAPES_VERSION = 4
"""Raised when shapes are made otherwise, so that none that was kept is used again."""
PAINTS = (
    Paint("contact a", (0.66, 0.28, 0.16), 0.9),
    Paint("contact b", (0.2, 0.38, 0.45), 0.9),
    Paint("contact c", (0.62, 0.5, 0.2), 0.9),
    Paint("contact d", (0.3, 0.36, 0.2), 0.9),
)


class ContactRecord(TypedDict):
    kind: str
    parts: int
    bulge: float
    uncovered: float
    good: bool
    problem: str | None
    file: str | None


@lru_cache(maxsize=512)
def _shape(digest: str, key: str, kind: ShapeKind | None) -> ContactShape | str:
    prop = StoredProp.objects.get(key=key)
    with tempfile.TemporaryDirectory(prefix="shape-") as folder:
        try:
            return shape_apart(prop.path, kind, True, Path(folder) / "shape.npz")
        except NoShape as problem:
            return str(problem)


def contact_of(prop: StoredProp, kind: ShapeKind | None) -> ContactRecord:
    """The contact shape of a prop with its error in metres, or why there is none of that kind."""
    shape = _shape(prop.digest, prop.key, kind)
    if isinstance(shape, str):
        return {
            "kind": kind or "best",
            "parts": 0,
            "bulge": 0.0,
            "uncovered": 0.0,
            "good": False,
            "problem": shape,
            "file": None,
        }
    return {
        "kind": shape.kind,
        "parts": shape.cost,
        "bulge": shape.bulge,
        "uncovered": shape.uncovered,
        "good": good_enough(shape, mesh_of(prop)),
        "problem": None,
        "file": f"/api/props/{prop.key}/contact/{shape.kind}/{prop.digest[:16]}.glb",
    }


def contact_document(prop: StoredProp, kind: ShapeKind | None) -> bytes | None:
    """The shape as GLB, its convex parts in turning colours; None when there is none."""
    shape = _shape(prop.digest, prop.key, kind)
    if isinstance(shape, str):
        return None
    surfaces = []
    for number, corners in enumerate(shape.solids):
        hull = ConvexHull(corners)
        faces = hull.simplices.copy()
        outward = np.einsum(
            "ij,ij->i",
            np.cross(
                hull.points[faces[:, 1]] - hull.points[faces[:, 0]], hull.points[faces[:, 2]] - hull.points[faces[:, 0]]
            ),
            hull.equations[:, :3],
        )
        faces[outward < 0] = faces[outward < 0][:, ::-1]
        surfaces.append(Surface(PAINTS[number % len(PAINTS)], hull.points, faces.astype(np.int32)))
    return prop_document(f"contact shape of {prop.name}", surfaces).to_glb()


def wanted_kind(prop: StoredProp) -> ShapeKind | None:
    """The kind of contact shape that was chosen for it; None where the best one is to be found."""
    return next((kind for kind in SHAPE_KINDS if kind == prop.contact), None)


def kept_shape(prop: StoredProp, kind: ShapeKind | None, budget: Budget = UNLIMITED) -> ContactShape:
    """The shape that a prop settles by: made once for each mesh and kind, and kept beside its file. Raises NoShape, and GivenUp."""
    path = prop.path.with_name(f"{prop.digest}-shape-{SHAPES_VERSION}-{kind or 'own'}.npz")
    if path.is_file():
        return read_shape(path)
    with tempfile.TemporaryDirectory(prefix="shape-") as folder:
        made = Path(folder) / "shape.npz"
        shape = shape_apart(prop.path, kind, False, made, budget)
        write_whole(path, made.read_bytes())
    return shape
