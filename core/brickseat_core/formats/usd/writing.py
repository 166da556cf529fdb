"""A glTF document written as USD: its nodes as Xforms, each mesh once, drawn by instanceable references."""

import json
import tempfile
from pathlib import Path

import numpy as np
from pxr import Gf, Kind, Sdf, Tf, Usd, UsdGeom, UsdShade, UsdUtils, Vt

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import GENERATOR, Paint, Surface
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.instances import instance_matrices, is_instanced
from brickseat_core.formats.gltf.nodes import local_matrix
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.surfaces import mesh_surfaces
from brickseat_core.formats.usd.reading import EXTRAS_KEY, matrix4
from brickseat_core.scene import Vec

ROOT, PROTOTYPES = "/Set", "/Prototypes"


def usd_bytes(document: GltfDocument, path: Path) -> bytes:
    """The document as .usda, .usdc, .usd (binary) or .usdz, after the suffix of ``path``; metres, +Y up.

    Raises FileError.
    """
    kind = path.suffix.lower()[1:]
    with tempfile.TemporaryDirectory() as folder:
        layer = Path(folder) / f"set.{'usdc' if kind == 'usdz' else kind}"
        stage = Usd.Stage.CreateNew(str(layer))
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        stage.GetRootLayer().customLayerData = {"creator": GENERATOR}
        stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, ROOT).GetPrim())
        Writer(stage, document).write()
        stage.GetRootLayer().Save()
        if kind == "usdz":
            package = Path(folder) / "package.usdz"
            if not UsdUtils.CreateNewUsdzPackage(str(layer), str(package)):
                raise FileError(f"{path}: could not be packed as USDZ; write .usdc instead")
            layer = package
        return layer.read_bytes()


class Writer:
    """Writes a glTF document onto an empty USD stage."""

    def __init__(self, stage: Usd.Stage, document: GltfDocument) -> None:
        self.stage = stage
        self.document = document
        self.prototypes: dict[int, str] = {}
        self.taken: set[str] = set()
        found = read_set(document)
        self.leads = {body.lead.node for body in found.bodies.values()}
        self.worlds = found.worlds

    def free(self, parent: str, name: str) -> str:
        """A prim path under ``parent`` that nothing has yet, as near to ``name`` as USD allows."""
        base = f"{parent}/{Tf.MakeValidIdentifier(name) or 'node'}"
        path, again = base, 2
        while path in self.taken:
            path, again = f"{base}_{again}", again + 1
        self.taken.add(path)
        return path

    def write(self) -> None:
        """Write the nodes of the set and what lies under them."""
        nodes = self.document.items("nodes")
        below = {child for node in nodes for child in node.get("children", [])}
        for number in self.worlds:
            if number not in below:
                self.node(number, ROOT)

    def node(self, number: int, parent: str) -> None:
        """Write one node under the prim ``parent``, with its extras, its mesh or instances, and its children."""
        entry = self.document.items("nodes")[number]
        name = str(entry.get("name") or f"node {number}")
        path = self.xform(parent, name, local_matrix(entry, f"nodes[{number}]"))
        prim = self.stage.GetPrimAtPath(path)
        if isinstance(entry.get("extras"), dict):
            prim.SetCustomDataByKey(f"brickseat:{EXTRAS_KEY}", json.dumps(entry["extras"], ensure_ascii=False))
        if number in self.leads:
            Usd.ModelAPI(prim).SetKind(Kind.Tokens.component)
        if "mesh" in entry and is_instanced(entry):
            for i, matrix in enumerate(instance_matrices(self.document, number)):
                self.draw(self.xform(path, f"{name} {i + 1}", matrix), entry["mesh"])
        elif "mesh" in entry:
            self.draw(path, entry["mesh"])
        for child in entry.get("children", []):
            self.node(child, path)

    def xform(self, parent: str, name: str, matrix: Vec) -> str:
        """Define a transform of (4, 4) ``matrix`` under ``parent``; returns its path."""
        path = self.free(parent, name)
        made = UsdGeom.Xform.Define(self.stage, path)
        if not np.array_equal(matrix, np.eye(4)):
            made.AddTransformOp().Set(matrix4(matrix))
        made.GetPrim().SetDisplayName(name)
        return path

    def draw(self, parent: str, mesh: int) -> None:
        """Draw a glTF mesh under ``parent`` as an instance of its prototype, which is written once."""
        if mesh not in self.prototypes:
            self.prototypes[mesh] = self.prototype(mesh)
        prim = UsdGeom.Xform.Define(self.stage, self.free(parent, "drawn")).GetPrim()
        prim.GetReferences().AddInternalReference(self.prototypes[mesh])
        prim.SetInstanceable(True)

    def prototype(self, mesh: int) -> str:
        """Write the class that all instances of a glTF mesh refer to; returns its path."""
        path = f"{PROTOTYPES}/mesh_{mesh}"
        self.stage.CreateClassPrim(PROTOTYPES)
        self.stage.DefinePrim(path, "Xform")
        paints: dict[Paint, UsdShade.Material] = {}
        for i, surface in enumerate(mesh_surfaces(self.document, mesh).values()):
            if surface.paint not in paints:
                paints[surface.paint] = self.material(f"{path}/paint_{len(paints)}", surface.paint)
            self.surface(f"{path}/part_{i}", surface, paints[surface.paint])
        return path

    def surface(self, path: str, surface: Surface, material: UsdShade.Material) -> None:
        """Write one surface as a mesh of triangles that is not subdivided, bound to ``material``."""
        made = UsdGeom.Mesh.Define(self.stage, path)
        made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(surface.vertices, dtype=np.float32)))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(surface.faces), 3, np.int32)))
        indices = np.ascontiguousarray(surface.faces.ravel(), dtype=np.int32)
        made.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(indices))
        made.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        lo, hi = surface.vertices.min(axis=0), surface.vertices.max(axis=0)
        made.CreateExtentAttr([Gf.Vec3f(*lo.tolist()), Gf.Vec3f(*hi.tolist())])
        if surface.colours is not None:
            shown = made.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex)
            shown.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(surface.colours, dtype=np.float32)))
        UsdShade.MaterialBindingAPI.Apply(made.GetPrim()).Bind(material)

    def material(self, path: str, paint: Paint) -> UsdShade.Material:
        """Write a paint as a UsdPreviewSurface material."""
        made = UsdShade.Material.Define(self.stage, path)
        made.GetPrim().SetDisplayName(paint.name)
        shader = UsdShade.Shader.Define(self.stage, f"{path}/surface")
        shader.CreateIdAttr("UsdPreviewSurface")
        shader.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).Set(Gf.Vec3f(*paint.colour))
        shader.CreateInput("roughness", Sdf.ValueTypeNames.Float).Set(paint.roughness)
        shader.CreateInput("metallic", Sdf.ValueTypeNames.Float).Set(paint.metallic)
        made.CreateSurfaceOutput().ConnectToSource(shader.ConnectableAPI(), "surface")
        return made
