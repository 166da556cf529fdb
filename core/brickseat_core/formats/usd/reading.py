"""USD (usda, usdc, usdz) read as a glTF document: prims become nodes, meshes are shared as instances share them.

Follows the OpenUSD schemas UsdGeom (Mesh, Xformable, PointInstancer, gprims) and UsdShade (UsdPreviewSurface).
"""

import json
import tempfile
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from pxr import Gf, Tf, Usd, UsdGeom, UsdShade, UsdUtils

from brickseat_core.formats.apart import Limits, TooMuch, run_apart
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface, empty_document, material_entry, primitive_entry
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.formats.gltf.surfaces import PLAIN_PAINT
from brickseat_core.geometry.polygons import triangles_of
from brickseat_core.scene import Vec

USD = (".usd", ".usda", ".usdc", ".usdz")
MOST_BYTES = 1 << 30
MOST_PRIMS = 200_000
USD_LIMITS = Limits(seconds=180.0, memory=8 << 30, output=4 << 30)
"""Where the file is one of one's own: somebody else's has the limits of ``LIMITS``."""
EXTRAS_KEY = "extras"
ROUND_SECTIONS = 32


@dataclass
class Node:
    """A prim on its way to becoming a node: ``meshes`` are keys of the surfaces it draws."""

    name: str
    matrix: Vec
    extras: Json | None = None
    meshes: list[str] = field(default_factory=list)
    children: list["Node"] = field(default_factory=list)

    @property
    def plain(self) -> bool:
        """Nothing but what it draws: no children, no transform, no word of its own."""
        return not self.children and self.extras is None and np.array_equal(self.matrix, np.eye(4))


@dataclass(frozen=True)
class Stage:
    """``metres_per_unit``: None when the file does not say."""

    document: GltfDocument
    metres_per_unit: float | None


def read_usd(path: Path) -> Stage:
    """All a USD stage draws at its default time, in metres and +Y up when it declares its unit. Raises FileError."""
    try:
        if path.stat().st_size > MOST_BYTES:
            raise FileError(f"{path}: is larger than 1 GB; export it in parts")
        with path.open("rb"):
            pass
    except OSError as error:
        raise FileError(f"{path}: cannot be read ({error.strerror}); check the path") from None
    # Held while reading: the library's own chatter would otherwise go to standard error.
    quiet = UsdUtils.CoalescingDiagnosticDelegate()
    try:
        refuse_strangers(path)
        stage = Usd.Stage.Open(str(path.resolve()))
        found = Reader(stage, path).read()
    except (Tf.ErrorException, RuntimeError) as error:
        raise FileError(f"{path}: is not a readable USD file ({type(error).__name__}); export it again") from None
    finally:
        quiet.TakeUncoalescedDiagnostics()
        del quiet
    return found


def read_apart(path: Path) -> Stage:
    """``read_usd`` in a process of its own, with a limit of time and memory.

    The library is native code: a damaged file can take its process down, or keep it for ever.

    Raises FileError.
    """
    with tempfile.TemporaryDirectory() as folder:
        made = Path(folder) / "stage.glb"
        try:
            metres_per_unit: float | None = run_apart(read_to, str(path), str(made), limits=USD_LIMITS)
        except TooMuch as problem:
            raise TooMuch(f"{path}: {problem}") from None
        return Stage(GltfDocument.open(made), metres_per_unit)


def read_to(path: str, made: str) -> float | None:
    """Read a stage and write what it holds as GLB; its unit, as the file says. Raises FileError."""
    stage = read_usd(Path(path))
    stage.document.save(Path(made))
    return stage.metres_per_unit


def refuse_strangers(path: Path) -> None:
    """Layers and assets have to be there, and inside the file's own folder. Raises FileError."""
    layers, assets, missing = UsdUtils.ComputeAllDependencies(str(path.resolve()))
    if missing:
        raise FileError(f"{path}: refers to “{missing[0]}”, which is missing; put it beside the file")
    root = path.resolve().parent
    for found in [layer.realPath or layer.identifier for layer in layers] + list(assets):
        outer = str(found).partition("[")[0]
        if outer and not Path(outer).resolve().is_relative_to(root):
            raise FileError(f"{path}: refers to “{found}”, outside the file's own folder; bring it into the folder")


class Reader:
    """Reads one open stage into a glTF document. ``path`` is only named in errors."""

    def __init__(self, stage: Usd.Stage, path: Path) -> None:
        self.stage = stage
        self.path = path
        self.surfaces: dict[str, list[Surface]] = {}
        self.prims = 0

    def read(self) -> Stage:
        """The whole stage, turned so that y is up, in metres where it declares its unit. Raises FileError."""
        declared = self.stage.HasAuthoredMetadata("metersPerUnit")
        unit = float(UsdGeom.GetStageMetersPerUnit(self.stage)) if declared else None
        whole = np.eye(4)
        if UsdGeom.GetStageUpAxis(self.stage) == UsdGeom.Tokens.z:
            whole = np.array([[1.0, 0, 0, 0], [0, 0, 1, 0], [0, -1, 0, 0], [0, 0, 0, 1]])
        if unit is not None and np.isfinite(unit) and unit > 0:
            whole = np.diag([unit, unit, unit, 1.0]) @ whole
        roots = [n for prim in self.below(self.stage.GetPseudoRoot()) if (n := self.node_of(prim)) is not None]
        if not self.surfaces:
            raise FileError(f"{self.path}: draws nothing: no prim of it is a mesh; export the models with it")
        document = empty_document()
        meshes: dict[tuple[str, ...], int] = {}
        paints: dict[Paint, int] = {}
        nodes: list[Json] = []
        document.json.update({"nodes": nodes, "meshes": [], "materials": [], "scene": 0})

        def lay(node: Node, above: Vec) -> int:
            entry: Json = {"name": node.name}
            number = len(nodes)
            nodes.append(entry)
            matrix = above @ node.matrix
            if not np.array_equal(matrix, np.eye(4)):
                entry["matrix"] = [float(v) for v in matrix.T.ravel()]
            if node.extras is not None:
                entry["extras"] = node.extras
            if node.meshes:
                key = tuple(node.meshes)
                if key not in meshes:
                    meshes[key] = len(document.json["meshes"])
                    document.json["meshes"].append(self.mesh_entry(document, key, paints))
                entry["mesh"] = meshes[key]
            if node.children:
                entry["children"] = [lay(child, np.eye(4)) for child in node.children]
            return number

        document.json["scenes"] = [{"nodes": [lay(node, whole) for node in roots]}]
        document.json["materials"] = [material_entry(paint) for paint in paints]
        return Stage(document, unit)

    def below(self, prim: Usd.Prim) -> list[Usd.Prim]:
        """The active, defined and loaded children of a prim, those within instances too."""
        flags = Usd.PrimIsActive & Usd.PrimIsDefined & Usd.PrimIsLoaded & ~Usd.PrimIsAbstract
        return list(prim.GetFilteredChildren(Usd.TraverseInstanceProxies(flags)))

    def node_of(self, prim: Usd.Prim) -> Node | None:
        """The node of a prim and all below it; None when nothing there is drawn. Raises FileError."""
        self.prims += 1
        if self.prims > MOST_PRIMS:
            raise FileError(f"{self.path}: has more than {MOST_PRIMS} prims; export it in parts")
        shape = UsdGeom.Imageable(prim)
        if shape and (
            shape.GetVisibilityAttr().Get() == UsdGeom.Tokens.invisible
            or shape.GetPurposeAttr().Get() in (UsdGeom.Tokens.guide, UsdGeom.Tokens.proxy)
        ):
            return None
        node = Node(str(prim.GetDisplayName() or prim.GetName()), self.local(prim), self.extras(prim))
        if prim.IsA(UsdGeom.PointInstancer):
            node.children = self.instances(UsdGeom.PointInstancer(prim))
            return node if node.children else None
        if prim.IsA(UsdGeom.Gprim):
            key = str(prim.GetPrimInPrototype().GetPath() if prim.IsInstanceProxy() else prim.GetPath())
            if key not in self.surfaces:
                self.surfaces[key] = self.surface(prim)
            if self.surfaces[key]:
                node.meshes = [key]
        node.children = [n for child in self.below(prim) if (n := self.node_of(child)) is not None]
        if not node.meshes and not node.children:
            return None
        return self.folded(prim, node)

    def folded(self, prim: Usd.Prim, node: Node) -> Node:
        """Bodies drawn by several prims become one node where nothing is lost by it, or one body where it is not."""
        is_model = prim.IsInstance() or Usd.ModelAPI(prim).GetKind() in ("component", "subcomponent")
        one = not node.meshes and len(node.children) == 1
        if (is_model or one) and all(child.plain for child in node.children):
            node.meshes += [key for child in node.children for key in child.meshes]
            node.children = []
        elif is_model and not node.meshes and node.extras is None:
            node.extras = {"brickseat": {"role": "prop"}}
        return node

    def local(self, prim: Usd.Prim) -> Vec:
        """(4, 4) local transform of a prim, column vectors. Raises FileError when it is not finite."""
        if not prim.IsA(UsdGeom.Xformable):
            return np.eye(4)
        matrix = UsdGeom.Xformable(prim).GetLocalTransformation()
        return self.finite(np.array(matrix, dtype=np.float64).T, f"the transform of {prim.GetPath()}")

    def finite(self, values: Vec, what: str) -> Vec:
        """``values``, when all are finite. Raises FileError, naming ``what``."""
        if not np.isfinite(values).all():
            raise FileError(f"{self.path}: {what} is not made of finite numbers; mend the model and export it again")
        return values

    def extras(self, prim: Usd.Prim) -> Json | None:
        """What Brick Seat wrote beside a prim, as JSON text; anything else is not its own. Raises FileError."""
        ours = prim.GetCustomDataByKey("brickseat")
        if not isinstance(ours, dict) or not isinstance(ours.get(EXTRAS_KEY), str):
            return None
        try:
            parsed = json.loads(ours[EXTRAS_KEY])
        except ValueError:
            raise FileError(f"{self.path}: {prim.GetPath()} has broken extras; hand it over again") from None
        return parsed if isinstance(parsed, dict) else None

    def instances(self, instancer: UsdGeom.PointInstancer) -> list[Node]:
        """One node for each instance that a point instancer draws. Raises FileError for a prototype that it has not."""
        targets = instancer.GetPrototypesRel().GetForwardedTargets()
        prototypes = [self.node_of(prim) if (prim := self.stage.GetPrimAtPath(t)) else None for t in targets]
        which = np.array(instancer.GetProtoIndicesAttr().Get() or [], dtype=np.int64)
        matrices = instancer.ComputeInstanceTransformsAtTime(Usd.TimeCode.Default(), Usd.TimeCode.Default())
        if len(which) and (int(which.min()) < 0 or int(which.max()) >= len(prototypes)):
            raise FileError(f"{self.path}: {instancer.GetPath()} draws a prototype that it has not; export it again")
        found = []
        for number, matrix in zip(which.tolist(), matrices, strict=False):
            prototype = prototypes[number]
            if prototype is not None:
                where = self.finite(np.array(matrix, dtype=np.float64).T, f"an instance of {instancer.GetPath()}")
                found.append(
                    Node(prototype.name, where, prototype.extras, list(prototype.meshes), list(prototype.children))
                )
        return found

    def surface(self, prim: Usd.Prim) -> list[Surface]:
        """The triangles of one gprim; empty when it draws none (curves, points)."""
        paint = self.paint(prim)
        if prim.IsA(UsdGeom.Mesh):
            return self.mesh_surface(UsdGeom.Mesh(prim), paint)
        made = round_shape(prim)
        return [] if made is None else [Surface(paint, *made)]

    def mesh_surface(self, mesh: UsdGeom.Mesh, paint: Paint) -> list[Surface]:
        """The triangles of a polygon mesh, holes left out; empty when it has none. Raises FileError."""
        where = f"{self.path}: {mesh.GetPath()}"
        points = np.array(mesh.GetPointsAttr().Get() or np.zeros((0, 3)), dtype=np.float64).reshape(-1, 3)
        counts = np.array(mesh.GetFaceVertexCountsAttr().Get() or [], dtype=np.int64)
        indices = np.array(mesh.GetFaceVertexIndicesAttr().Get() or [], dtype=np.int64)
        if not len(points) or not len(counts):
            return []
        if not np.isfinite(points).all():
            row = int(np.flatnonzero(~np.isfinite(points).all(axis=1))[0])
            raise FileError(f"{where}: point {row} is not a finite number; mend the model and export it again")
        if int(counts.min()) < 0 or int(counts.sum()) != len(indices):
            raise FileError(f"{where}: its face counts do not add up to its indices; export it again")
        if len(indices) and (int(indices.min()) < 0 or int(indices.max()) >= len(points)):
            raise FileError(f"{where}: an index is out of range (there are {len(points)} points); export it again")
        faces = triangles(points, counts, indices, set(mesh.GetHoleIndicesAttr().Get() or []))
        if mesh.GetOrientationAttr().Get() == UsdGeom.Tokens.leftHanded:
            faces = faces[:, ::-1]
        colours = np.array(mesh.GetDisplayColorAttr().Get() or np.zeros((0, 3)), dtype=np.float64).reshape(-1, 3)
        return [Surface(paint, points, faces, colours if len(colours) == len(points) > 1 else None)]

    def paint(self, prim: Usd.Prim) -> Paint:
        """The paint of a prim: its bound material, else its one display colour, else the plain one."""
        material, _ = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()
        shader = material.ComputeSurfaceSource()[0] if material else None
        if shader:

            def given(name: str, default: Any) -> Any:
                found = shader.GetInput(name)
                value = found.Get() if found else None
                return default if value is None else value

            r, g, b = (float(v) for v in given("diffuseColor", (0.18, 0.18, 0.18)))
            name = material.GetPrim().GetDisplayName() or material.GetPrim().GetName()
            return Paint(str(name), (r, g, b), float(given("roughness", 0.5)), float(given("metallic", 0.0)))
        shown = UsdGeom.Gprim(prim).GetDisplayColorAttr().Get()
        if shown is not None and len(shown) == 1:
            r, g, b = (float(v) for v in shown[0])
            return Paint("shown colour", (r, g, b))
        return PLAIN_PAINT

    def mesh_entry(self, document: GltfDocument, keys: tuple[str, ...], paints: dict[Paint, int]) -> Json:
        """The glTF mesh of the surfaces under ``keys``. ``paints``: the material number of each paint, added to."""
        surfaces = (s for key in keys for s in self.surfaces[key])
        primitives = [primitive_entry(document, s, paints.setdefault(s.paint, len(paints))) for s in surfaces]
        return {"name": keys[0].rpartition("/")[2], "primitives": primitives}


def triangles(points: Vec, counts: Any, indices: Any, holes: set[int]) -> Any:
    """(m, 3) int32 triangles of polygons; faces named in ``holes`` left out, and those with less than three corners."""
    keep = np.array([i not in holes for i in range(len(counts))]) & (counts >= 3)
    corners = indices[np.repeat(keep, counts)]
    return corners[triangles_of(points[corners], counts[keep])].reshape(-1, 3).astype(np.int32)


def round_shape(prim: Usd.Prim) -> tuple[Vec, Any] | None:
    """Vertices and faces of a cube, sphere, cylinder, cone or capsule; None for other gprims."""
    turned = {"X": (2, 0, 1), "Y": (1, 2, 0), "Z": (0, 1, 2)}

    def of(name: str) -> float:
        return float(prim.GetAttribute(name).Get())

    kind = prim.GetTypeName()
    if kind == "Cube":
        made = trimesh.creation.box([of("size")] * 3)
    elif kind == "Sphere":
        made = trimesh.creation.icosphere(subdivisions=3, radius=of("radius"))
    elif kind == "Cylinder":
        made = trimesh.creation.cylinder(of("radius"), of("height"), sections=ROUND_SECTIONS)
    elif kind == "Cone":
        made = trimesh.creation.cone(of("radius"), of("height"), sections=ROUND_SECTIONS)
        made.apply_translation([0.0, 0.0, -0.5 * of("height")])
    elif kind == "Capsule":
        made = trimesh.creation.capsule(of("height"), of("radius"))
    else:
        return None
    axis = prim.GetAttribute("axis").Get() if prim.HasAttribute("axis") else "Z"
    vertices = np.asarray(made.vertices, dtype=np.float64)[:, turned[str(axis)]]
    return np.ascontiguousarray(vertices), np.asarray(made.faces, dtype=np.int32)


def matrix4(matrix: Vec) -> Gf.Matrix4d:
    """USD multiplies rows from the left: its matrices are the transposed ones."""
    return Gf.Matrix4d(matrix.T.tolist())
