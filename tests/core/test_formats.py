"""Props and sets in every format: read as they are meant, written so that they come back, refused when broken."""

import functools
import math
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pxr import Gf, Sdf, Usd, UsdGeom

from brickseat_core.constraints.indexing import index_of
from brickseat_core.fit.check import check
from brickseat_core.fit.set_down import set_down
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document, set_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.light import light_copy
from brickseat_core.formats.gltf.reading import read_set
from brickseat_core.formats.gltf.skin import bend
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.gltf.surfaces import model_of
from brickseat_core.formats.opening import open_document, save_document
from brickseat_core.formats.prop_file import read_prop
from brickseat_core.formats.usd.reading import read_usd
from brickseat_core.geometry.cube import cube
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.geometry.questions import questions
from brickseat_core.scene import Piece, Pose, Prop, Set
from shapes import bounds

RED = Paint("red glaze", (0.6, 0.05, 0.04), 0.3)


def small_set() -> GltfDocument:
    """A floor, a red cube on it and a sunk one, turned and sized."""
    prop = Prop("cube", "cube", cube())
    pieces = [
        Piece("f", "floor", prop, Pose.from_parts((0, -0.5, 0), (0, 0, 0, 1), (9, 1, 9)), "bearer"),
        Piece("a", "cube 1", prop, Pose.from_parts((0.25, 0.125, 0), (0, 0.6, 0, 0.8), (0.25, 0.25, 0.25))),
        Piece("b", "cube 2", prop, Pose((2.0, 0.375, 1.0)), sink=0.125, spiked=True),
    ]
    return set_document(
        Set.of("set", pieces), {"cube": prop_document("cube", [Surface(RED, cube().vertices, cube().faces)])}
    )


@pytest.mark.parametrize("kind", ["glb", "gltf", "usda", "usdc", "usdz"])
def test_a_set_comes_back_whole(tmp_path: Path, kind: str) -> None:
    made = small_set()
    save_document(made, tmp_path / f"set.{kind}")
    before, after = read_set(made).dressed, read_set(open_document(tmp_path / f"set.{kind}")).dressed
    assert [p.name for p in after.pieces.values()] == ["floor", "cube 1", "cube 2"]
    for old, new in zip(before.pieces.values(), after.pieces.values(), strict=True):
        assert new.pose.matrix == pytest.approx(old.pose.matrix, abs=1e-9)
        assert (new.role, new.sink, new.spiked) == (old.role, old.sink, old.spiked)
        assert new.prop.mesh.mass[0] == pytest.approx(1.0)
    assert len({id(p.prop) for p in after.pieces.values()}) == 1, "copies share one mesh"
    paint = model_of(open_document(tmp_path / f"set.{kind}")).parts[0].surfaces[0].paint
    assert (paint.name, paint.roughness) == (RED.name, pytest.approx(0.3))
    assert paint.colour == pytest.approx(RED.colour)
    states = [f.state for f in check(index_of(after)).values()]
    assert states == ["seated", "seated"]


@pytest.mark.parametrize("kind", ["obj", "ply", "stl"])
def test_plain_formats_keep_shape_and_place(tmp_path: Path, kind: str) -> None:
    save_document(small_set(), tmp_path / f"set.{kind}")
    mesh = read_prop(tmp_path / f"set.{kind}")
    assert mesh.box[0] == pytest.approx([-4.5, -1.0, -4.5], abs=1e-6)
    assert mesh.health.closed
    assert mesh.health.shells == 3
    assert mesh.mass[0] == pytest.approx(81 + 1 / 64 + 1, rel=1e-6)
    if kind == "obj":
        model = model_of(open_document(tmp_path / "set.obj"))
        assert {p.name for p in model.parts} == {"floor", "cube 1", "cube 2"}
        assert model.parts[0].surfaces[0].paint.colour == pytest.approx(RED.colour, abs=0.01)


def test_obj_finds_its_materials_beside_it_and_nowhere_else(tmp_path: Path) -> None:
    (tmp_path / "kiln").mkdir()
    (tmp_path / "secret.mtl").write_text("newmtl wall\nKd 1 0 0\n")
    body = "v 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl wall\nf 1 2 3\n"
    (tmp_path / "kiln" / "a.obj").write_text("mtllib ../secret.mtl\n" + body)
    (tmp_path / "kiln" / "b.obj").write_text("mtllib own.mtl\n" + body)
    (tmp_path / "kiln" / "own.mtl").write_text("newmtl wall\nKd 0 1 0\n")

    def colour(name: str) -> tuple[float, float, float]:
        return model_of(open_document(tmp_path / "kiln" / name)).parts[0].surfaces[0].paint.colour

    assert colour("b.obj") == pytest.approx((0, 1, 0))
    assert colour("a.obj")[0] < 0.9


@pytest.mark.parametrize(("unit", "up", "size"), [("cm", "y", (0.1, 0.2, 0.3)), ("in", "z", (0.254, 0.762, 0.508))])
def test_units_and_up_axis_are_taken_as_given(tmp_path: Path, unit: str, up: str, size: tuple[float, ...]) -> None:
    box = trimesh.creation.box([10.0, 20.0, 30.0])
    box.apply_translation([5.0, 10.0, 15.0])
    for kind in ("stl", "glb"):
        box.export(tmp_path / f"box.{kind}")
        lo, hi = read_prop(tmp_path / f"box.{kind}", unit, up).box  # type: ignore[arg-type]
        assert hi - lo == pytest.approx(size, rel=1e-6)
        assert read_prop(tmp_path / f"box.{kind}", unit, up).mass[0] > 0, "turned, not mirrored"  # type: ignore[arg-type]


def stage_at(path: Path) -> Usd.Stage:
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, 0.01)
    return stage


def quad_box(stage: Usd.Stage, path: str, size: float, orientation: str = "rightHanded") -> UsdGeom.Mesh:
    """A box of quads from the origin, ``size`` wide, twice as high along Z."""
    mesh = UsdGeom.Mesh.Define(stage, path)
    mesh.CreatePointsAttr([Gf.Vec3f(x * size, y * size, 2 * z * size) for z in (0, 1) for y in (0, 1) for x in (0, 1)])
    quads = [(0, 2, 3, 1), (4, 5, 7, 6), (0, 1, 5, 4), (2, 6, 7, 3), (0, 4, 6, 2), (1, 3, 7, 5)]
    if orientation == "leftHanded":
        quads = [(a, d, c, b) for a, b, c, d in quads]
    mesh.CreateFaceVertexCountsAttr([4] * 6)
    mesh.CreateFaceVertexIndicesAttr([i for q in quads for i in q])
    mesh.CreateOrientationAttr(orientation)
    return mesh


def test_usd_units_axes_polygons_and_shapes(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "a.usda")
    jar = UsdGeom.Xform.Define(stage, "/World/Jar")
    jar.AddTranslateOp().Set(Gf.Vec3d(100, 0, 0))
    Usd.ModelAPI(jar.GetPrim()).SetKind("component")
    quad_box(stage, "/World/Jar/body", 10.0, "leftHanded")
    quad_box(stage, "/World/Jar/neck", 5.0)
    ball = UsdGeom.Sphere.Define(stage, "/World/Ball")
    ball.CreateRadiusAttr(20.0)
    UsdGeom.Imageable(quad_box(stage, "/World/hidden", 500.0).GetPrim()).MakeInvisible()
    stage.GetRootLayer().Save()
    pieces = {p.name: p for p in read_set(open_document(tmp_path / "a.usda")).dressed.pieces.values()}
    assert set(pieces) == {"Jar", "Ball"}, "a component is one piece"
    lo, hi = bounds(pieces["Jar"])
    assert lo == pytest.approx([1.0, 0.0, -0.1], abs=1e-9)
    assert hi == pytest.approx([1.1, 0.2, 0.0], abs=1e-9)
    assert pieces["Jar"].prop.mesh.health.closed
    assert pieces["Jar"].prop.mesh.mass[0] > 0
    # A ball of flat faces holds a little less than a true one.
    volume = pieces["Ball"].prop.mesh.mass[0] * 1e-6
    assert 0.97 < volume / (4 / 3 * math.pi * 0.2**3) < 1.0


def test_usd_point_instancers_become_pieces(tmp_path: Path) -> None:
    stage = stage_at(tmp_path / "many.usdc")
    instancer = UsdGeom.PointInstancer.Define(stage, "/Pots")
    quad_box(stage, "/Pots/proto/pot", 10.0)
    instancer.CreatePrototypesRel().SetTargets([Sdf.Path("/Pots/proto/pot")])
    instancer.CreateProtoIndicesAttr([0, 0, 0])
    instancer.CreatePositionsAttr([Gf.Vec3f(0, 0, 0), Gf.Vec3f(50, 0, 0), Gf.Vec3f(100, 0, 30)])
    stage.GetRootLayer().Save()
    boxes = [bounds(p)[0] for p in read_set(open_document(tmp_path / "many.usdc")).dressed.pieces.values()]
    assert boxes == [pytest.approx(low, abs=1e-7) for low in ([0.0, 0.0, -0.1], [0.5, 0.0, -0.1], [1.0, 0.3, -0.1])]


def test_usd_may_refer_only_to_what_lies_beside_it(tmp_path: Path) -> None:
    folder = tmp_path / "inner"
    folder.mkdir()
    for where in (tmp_path, folder):
        other = Usd.Stage.CreateNew(str(where / "pot.usda"))
        other.SetDefaultPrim(UsdGeom.Xform.Define(other, "/Pot").GetPrim())
        quad_box(other, "/Pot/pot", 1.0)
        other.GetRootLayer().Save()
    for name, target in (("good", "./pot.usda"), ("out", "../pot.usda"), ("gone", "./lost.usda")):
        (folder / f"{name}.usda").write_text(f'#usda 1.0\ndef Xform "A" (references = @{target}@) {{}}\n')
    assert len(read_set(open_document(folder / "good.usda")).bodies) == 1
    for name in ("out", "gone"):
        with pytest.raises(FileError, match=r"outside|missing"):
            open_document(folder / f"{name}.usda")


@pytest.mark.parametrize(
    ("size", "name", "kind", "expected"),
    [
        ((0.2, 0.3, 0.2), "milk jug", "obj", []),
        ((200.0, 300.0, 200.0), "MilkJug_02", "obj", [("unit", "mm")]),
        ((2.0, 2.1, 2.0), "jugs", "glb", [("unit", "ft")]),
        ((0.9, 0.05, 0.3), "plank", "stl", []),
        ((400.0, 300.0, 300.0), "thing 7", "stl", [("unit", "mm")]),
    ],
)
def test_suspicious_sizes_are_asked_about(
    size: tuple[float, float, float], name: str, kind: str, expected: list[tuple[str, str]]
) -> None:
    vertices = cube().vertices * np.array(size)
    found = questions(Mesh(vertices, cube().faces), name, kind)
    assert [(q.about, q.proposal) for q in found] == expected


def test_a_model_on_its_back_is_asked_about() -> None:
    cone = trimesh.creation.cone(0.1, 0.3)
    on_z = Mesh(np.asarray(cone.vertices), np.asarray(cone.faces, dtype=np.int32))
    assert [(q.about, q.proposal) for q in questions(on_z, "cone", "obj")] == [("up", "z")]
    on_y = Mesh(on_z.vertices @ np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]]), on_z.faces)
    assert questions(on_y, "cone", "obj") == ()


def test_a_light_copy_is_light_and_says_how_far_off_it_is(tmp_path: Path) -> None:
    ball = trimesh.creation.icosphere(subdivisions=5, radius=0.2)
    heavy = prop_document("ball", [Surface(RED, np.asarray(ball.vertices), np.asarray(ball.faces, dtype=np.int32))])
    size = len(heavy.to_glb())
    light, error = light_copy(heavy, 500)
    light.save(tmp_path / "light.glb")
    mesh = read_prop(tmp_path / "light.glb")
    assert 100 < len(mesh.faces) <= 500
    assert 0.0 < error < 0.01
    assert (tmp_path / "light.glb").stat().st_size < size / 20
    assert abs(mesh.mass[0]) == pytest.approx(4 / 3 * math.pi * 0.2**3, rel=0.03)


def refusal(run: Callable[[], object]) -> str | None:
    """What a reader complains of; None when it gives an answer. Anything but a FileError comes through."""
    try:
        run()
    except FileError as error:
        return str(error)
    return None


@functools.cache
def whole_file(kind: str) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        save_document(small_set(), Path(folder) / f"set.{kind}")
        return (Path(folder) / f"set.{kind}").read_bytes()


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_damaged_files_give_an_answer_or_a_clear_refusal(tmp_path: Path, data: st.DataObject) -> None:
    kind = data.draw(st.sampled_from(["glb", "gltf", "obj", "ply", "stl", "usda"]))
    content = bytearray(whole_file(kind))
    if data.draw(st.booleans()):
        del content[data.draw(st.integers(0, len(content) - 1)) :]
    for _ in range(data.draw(st.integers(0, 6))):
        if content:
            content[data.draw(st.integers(0, len(content) - 1))] = data.draw(st.integers(0, 255))
    path = tmp_path / f"damaged.{kind}"
    path.write_bytes(content)
    # Text alone cannot take the reader down; the binary kinds are read in a process of their own.
    words = refusal(lambda: read_set(read_usd(path).document) if kind == "usda" else read_prop(path).box)
    assert words is None or (str(path) in words and "\n" not in words)


@pytest.mark.parametrize("kind", ["usdc", "usdz"])
def test_damaged_binary_usd_never_takes_the_caller_down(tmp_path: Path, kind: str) -> None:
    save_document(small_set(), tmp_path / f"set.{kind}")
    whole = (tmp_path / f"set.{kind}").read_bytes()
    rng = np.random.default_rng(11)
    for _ in range(4):
        content = bytearray(whole)
        for place in rng.integers(0, len(content), 24):
            content[place] = rng.integers(0, 256)
        (tmp_path / f"damaged.{kind}").write_bytes(content)
        words = refusal(lambda: open_document(tmp_path / f"damaged.{kind}"))
        assert words is None or "\n" not in words


def arm() -> GltfDocument:
    """A bar of two halves along +X, each carried by its own joint: shoulder at the origin, elbow at x = 1."""
    bar = trimesh.creation.box([2.0, 0.2, 0.2])
    bar.apply_translation([1.0, 0.0, 0.0])
    bar = bar.subdivide().subdivide()
    points = np.asarray(bar.vertices, dtype=np.float32)
    made = prop_document("arm", [])
    beyond = points[:, 0] > 1.0
    joints = np.zeros((len(points), 4), np.uint8)
    joints[:, 0] = beyond
    weights = np.zeros((len(points), 4), np.float32)
    weights[:, 0] = 1.0
    bind = np.tile(np.eye(4, dtype=np.float32), (2, 1, 1))
    bind[1, 0, 3] = -1.0
    attributes = {
        "POSITION": made.append(points, "VEC3"),
        "JOINTS_0": made.append(joints, "VEC4"),
        "WEIGHTS_0": made.append(weights, "VEC4"),
    }
    indices = made.append(np.asarray(bar.faces, dtype="<u4").ravel(), "SCALAR")
    matrices = made.append(bind.transpose(0, 2, 1).reshape(-1, 16).astype("<f4"), "MAT4")
    made.json["meshes"] = [{"primitives": [{"attributes": attributes, "indices": indices}]}]
    made.json["skins"] = [{"joints": [1, 2], "inverseBindMatrices": matrices}]
    made.json["nodes"] = [
        {"name": "arm", "mesh": 0, "skin": 0, "translation": [50, 0, 0]},
        {"name": "shoulder", "children": [2], "translation": [0, 0.5, 0]},
        {"name": "elbow", "translation": [1, 0, 0]},
        {"name": "rig", "children": [1]},
        {"name": "floor", "mesh": 1, "extras": {"brickseat": {"role": "bearer"}}},
    ]
    floor = np.array([[-9, 0, -9], [9, 0, -9], [9, 0, 9], [-9, 0, 9]], dtype=np.float32)
    ground = {
        "attributes": {"POSITION": made.append(floor, "VEC3")},
        "indices": made.append(np.array([0, 2, 1, 0, 3, 2], dtype="<u4"), "SCALAR"),
    }
    made.json["meshes"].append({"primitives": [ground]})
    made.json["scenes"] = [{"nodes": [0, 3, 4]}]
    return GltfDocument.parse(made.to_glb())


def test_a_jointed_prop_is_seated_as_it_is_bent(tmp_path: Path) -> None:
    document = arm()
    straight = next(iter(read_set(document).dressed.pieces.values()))
    assert bounds(straight)[1] == pytest.approx([2.0, 0.6, 0.1], abs=1e-6), "the node's own place is ignored"
    bend(document, "elbow", "z", -90.0)
    found = read_set(document)
    bent = next(p for p in found.dressed.pieces.values() if p.role == "prop")
    lo, hi = bounds(bent)
    assert lo[1] == pytest.approx(0.5 - 1.0, abs=1e-6)
    assert hi[0] == pytest.approx(1.1, abs=1e-6)
    index = index_of(found.dressed)
    index.put(bent.at(set_down(index, bent).pose))
    store_set(found, replace(found.dressed, pieces=index.pieces))
    after = read_set(GltfDocument.parse(document.to_glb()))
    fits = check(index_of(after.dressed))
    assert [f.gap for f in fits.values()] == [pytest.approx(0.0, abs=1e-6)]
    save_document(document, tmp_path / "bent.usda")
    again = read_set(open_document(tmp_path / "bent.usda")).dressed
    low = min(float(bounds(p)[0][1]) for p in again.pieces.values() if p.role == "prop")
    assert low == pytest.approx(0.0, abs=1e-6)
    with pytest.raises(FileError, match="no joints are named"):
        bend(document, "knee", "x", 10.0)


def test_concave_polygons_of_usd_are_not_fanned(tmp_path: Path) -> None:
    path = tmp_path / "bracket.usda"
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    outline = [(1, 1), (2, 1), (2, 0), (0, 0), (0, 2), (1, 2)]
    points = [(x, y, z) for z in (0.0, 1.0) for x, y in outline]
    n = len(outline)
    sides = [[k, (k + 1) % n, (k + 1) % n + n, k + n] for k in range(n)]
    faces = [list(range(n)), list(range(2 * n - 1, n - 1, -1)), *(side[::-1] for side in sides)]
    mesh = UsdGeom.Mesh.Define(stage, "/bracket")
    mesh.GetPointsAttr().Set([Gf.Vec3f(*map(float, p)) for p in points])
    mesh.GetFaceVertexCountsAttr().Set([len(f) for f in faces])
    mesh.GetFaceVertexIndicesAttr().Set([i for f in faces for i in f])
    stage.GetRootLayer().Save()
    bracket = read_prop(path)
    assert bracket.health.closed
    assert abs(bracket.mass[0]) == pytest.approx(3.0, rel=1e-6), "an L of three squares; fanned it would overlap itself"
    assert bracket.area == pytest.approx(2 * 3.0 + 8.0, rel=1e-6)


@pytest.mark.parametrize("scale", [1.0, 1e-14])
def test_every_normal_that_is_written_has_the_length_of_one(scale: float) -> None:
    corners = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0), (3, 3, 3), (4, 4, 4), (5, 5, 5)], float) * scale
    # The last face has no area, and its last corner belongs to no other.
    faces = np.array([(0, 1, 2), (0, 2, 3), (4, 5, 6)], dtype=np.int32)
    made = prop_document("odd", [Surface(RED, corners, faces)])
    (primitive,) = made.json["meshes"][0]["primitives"]
    normals = made.accessor(primitive["attributes"]["NORMAL"], "here").astype(float)
    assert np.linalg.norm(normals, axis=1) == pytest.approx(np.ones(len(normals)), abs=1e-6)
