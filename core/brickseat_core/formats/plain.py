"""OBJ (with its MTL), PLY and STL: formats of plain surfaces, without unit, up axis or placement."""

import os
from collections.abc import Iterable
from pathlib import Path
from typing import Any

import numpy as np
import trimesh

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface
from brickseat_core.formats.gltf.surfaces import PLAIN_PAINT
from brickseat_core.formats.model import Model, Part
from brickseat_core.geometry.mesh import Mesh, MeshError, Vec

PLAIN = (".obj", ".ply", ".stl")
MOST_BYTES = 1 << 30
GAMMA = 2.2


class OwnFolder(trimesh.visual.resolvers.FilePathResolver):
    """Finds material files beside the model, and nowhere else."""

    def __init__(self, folder: Path) -> None:
        super().__init__(str(folder))
        self.folder = folder.resolve()

    def get(self, name: str) -> bytes:
        """The bytes of a file beside the model. Raises FileNotFoundError for all else, and for what is too large."""
        target = (self.folder / name.strip()).resolve()
        if not target.is_relative_to(self.folder) or not target.is_file() or target.stat().st_size > MOST_BYTES:
            raise FileNotFoundError(name)
        return target.read_bytes()

    __getitem__ = get


def read_plain(path: Path) -> Model:
    """The parts of an OBJ, PLY or STL file as they are written. Raises FileError."""
    kind = path.suffix.lower()[1:]
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FileError(f"{path}: is larger than 1 GB; export it in parts")
        with path.open("rb") as file:
            loaded = trimesh.load(
                file,
                file_type=kind,
                resolver=OwnFolder(path.parent),
                process=False,
                split_objects=True,
                group_material=True,
            )
    except FileError:
        raise
    except OSError as error:
        raise FileError(f"{path}: cannot be read ({error.strerror}); check the path") from None
    except Exception as error:  # noqa: BLE001  (the readers of this library raise whatever they stumble on)
        raise FileError(
            f"{path}: is not a readable {kind.upper()} file ({type(error).__name__}); export it again"
        ) from None
    found = loaded.geometry if isinstance(loaded, trimesh.Scene) else {"": loaded}
    parts: dict[str, list[Surface]] = {}
    for key, geometry in reversed(found.items()):
        if isinstance(geometry, trimesh.Trimesh) and len(geometry.faces):
            surface = surface_of(geometry, path)
            # Surfaces are named after their object and their material.
            parts.setdefault(key.removesuffix(f"_{surface.paint.name}") or path.stem, []).append(surface)
    if not parts:
        raise FileError(f"{path}: it has no triangles; export the surface of the model")
    return Model(tuple(Part(name, tuple(surfaces)) for name, surfaces in parts.items()))


def surface_of(geometry: Any, path: Path) -> Surface:
    """The surface of one of trimesh's geometries, in its vertex colours or its material's. Raises FileError."""
    try:
        mesh = Mesh(np.asarray(geometry.vertices, dtype=np.float64), np.asarray(geometry.faces, dtype=np.int32))
    except MeshError as error:
        raise FileError(f"{path}: {error}; mend the model and export it again") from None
    visual = geometry.visual
    if visual.kind == "vertex":
        return Surface(PLAIN_PAINT, mesh.vertices, mesh.faces, linear(np.asarray(visual.vertex_colors)[:, :3] / 255.0))
    material = getattr(visual, "material", None)
    if visual.kind == "texture" and material is not None:
        r, g, b = linear(np.asarray(material.main_color[:3], dtype=np.float64) / 255.0).tolist()
        return Surface(Paint(str(material.name or "paint"), (r, g, b)), mesh.vertices, mesh.faces)
    return Surface(PLAIN_PAINT, mesh.vertices, mesh.faces)


def linear(colour: Vec) -> Vec:
    """Linear colour of one written for a screen, all in 0..1."""
    return np.asarray(np.clip(colour, 0.0, 1.0) ** GAMMA)


def for_screen(colour: Iterable[float]) -> list[float]:
    """Linear colours, 0 to 1, as a screen wants them."""
    return [float(np.clip(c, 0.0, 1.0) ** (1.0 / GAMMA)) for c in colour]


def plain_bytes(model: Model, path: Path) -> dict[Path, bytes]:
    """The files that make up ``model`` in the format of ``path``: the model itself and, for OBJ, its MTL."""
    kind = path.suffix.lower()[1:]
    if kind == "obj":
        return obj_bytes(model, path)
    surfaces = [s for part in model.parts for s in part.surfaces]
    offsets = np.cumsum([0, *(len(s.vertices) for s in surfaces)])
    whole = trimesh.Trimesh(
        np.concatenate([s.vertices for s in surfaces]),
        np.concatenate([s.faces + offset for s, offset in zip(surfaces, offsets, strict=False)]),
        process=False,
    )
    made = whole.export(file_type=kind)
    return {path: made.encode() if isinstance(made, str) else bytes(made)}


def one_line(name: str) -> str:
    """A name without line breaks and what else is not printed: the format is lines of words."""
    return " ".join("".join(c if c.isprintable() else " " for c in name).split()) or "part"


def obj_bytes(model: Model, path: Path) -> dict[Path, bytes]:
    """One ``o`` a part, one ``usemtl`` a surface. Coordinates keep all digits of a float64."""
    materials = path.with_name(f"{path.stem.replace(' ', '_')}.mtl")
    lines = ["# Brick Seat: metres, +Y up", f"mtllib {materials.name}"]
    paints: dict[str, Paint] = {}
    base = 1
    for part in model.parts:
        lines.append(f"o {one_line(part.name)}")
        for surface in part.surfaces:
            paint = surface.paint
            name = one_line(paint.name).replace(" ", "_")
            while name in paints and paints[name] != paint:
                name += "_"
            paints[name] = paint
            lines.append(f"usemtl {name}")
            lines += [f"v {x!r} {y!r} {z!r}" for x, y, z in surface.vertices.tolist()]
            lines += [f"f {a} {b} {c}" for a, b, c in (surface.faces + base).tolist()]
            base += len(surface.vertices)
    library = []
    for name, paint in paints.items():
        r, g, b = for_screen(paint.colour)
        library.append(f"newmtl {name}\nKd {r:.6f} {g:.6f} {b:.6f}\nPr {paint.roughness:g}\nPm {paint.metallic:g}\n")
    return {
        path: (os.linesep.join(lines) + os.linesep).encode(),
        materials: "\n".join(library).encode(),
    }
