"""Contact shapes of props' files, made in a process of its own: native code cuts the mesh up, and may take any time and memory for it."""

import tempfile
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.formats.apart import Limits, TooMuch, run_apart
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.prop_file import whole_mesh
from brickseat_core.geometry.mesh import Mesh, Vec
from brickseat_core.gravity.shapes import (
    SHAPE_KINDS,
    ContactShape,
    NoShape,
    ShapeKind,
    best_shape,
    contact_shape,
    settling_shape,
)
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.scene import Prop

SHAPE_LIMITS = Limits(seconds=60.0)


def shape_apart(
    prop: Path | Mesh, kind: ShapeKind | None, with_error: bool, made: Path, budget: Budget = UNLIMITED
) -> ContactShape:
    """The contact shape of a prop's file, or of a mesh, which is also kept in the file ``made``. ``kind`` None: the best one.

    ``with_error``: its error is measured; else it is the shape to settle by, made without that. Raises NoShape, and GivenUp where the budget says so.
    """
    try:
        of = (prop.vertices, prop.faces) if isinstance(prop, Mesh) else str(prop)
        problem = run_apart(make_shape, of, kind, with_error, str(made), limits=SHAPE_LIMITS, budget=budget)
    except TooMuch as too_much:
        raise NoShape(f"it {too_much}") from None
    if problem is not None:
        raise NoShape(problem)
    return read_shape(made)


def make_shape(
    prop: str | tuple[Vec, NDArray[np.int32]], kind: ShapeKind | None, with_error: bool, made: str
) -> str | None:
    """As ``shape_apart``, in this process; why there is no such shape, None where there is one."""
    mesh = whole_mesh(GltfDocument.open(Path(prop)), "the prop") if isinstance(prop, str) else Mesh(*prop)
    try:
        if with_error:
            shape = best_shape(mesh) if kind is None else contact_shape(mesh, kind)
        else:
            shape = settling_shape(mesh, kind)
    except NoShape as problem:
        return str(problem)
    arrays = {f"solid{n}": solid for n, solid in enumerate(shape.solids)}
    arrays |= {f"light{n}": solid for n, solid in enumerate(shape.light)}
    arrays |= {"count": np.array(len(shape.solids)), "kind": np.array(shape.kind), "axis": np.array(shape.axis)}
    arrays |= {"figures": np.array(shape.figures), "centre": np.array(shape.centre)}
    arrays |= {"errors": np.array([shape.bulge, shape.uncovered])}
    with Path(made).open("wb") as file:
        np.savez(file, **arrays)  # type: ignore[arg-type]
    return None


def settling_shape_apart(prop: Prop, kind: ShapeKind | None, budget: Budget) -> ContactShape:
    """The shape of a prop to settle by, which is not kept. Raises NotForGravity, with the prop named, and GivenUp."""
    try:
        with tempfile.TemporaryDirectory(prefix="shape-") as folder:
            return shape_apart(prop.mesh, kind, False, Path(folder) / "shape.npz", budget)
    except NoShape as problem:
        raise NotForGravity(f"{prop.name} cannot fall: {problem}") from None


def read_shape(path: Path) -> ContactShape:
    """A shape as ``make_shape`` kept it."""
    with np.load(path, allow_pickle=False) as kept:
        solids = tuple(kept[f"solid{n}"] for n in range(int(kept["count"])))
        light = tuple(kept[f"light{n}"] for n in range(len(solids))) if "light0" in kept else ()
        figures = tuple(float(f) for f in kept["figures"])
        x, y, z = (float(c) for c in kept["centre"])
        bulge, uncovered = (float(e) for e in kept["errors"])
        found = next(k for k in SHAPE_KINDS if k == str(kept["kind"]))
        return ContactShape(found, solids, bulge, uncovered, (x, y, z), figures, int(kept["axis"]), light)
