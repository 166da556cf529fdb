"""Files that nobody should trust: damaged, lying about their sizes, or made to take all of a server's memory. The same every time."""

import copy
import io
import json
import random
import struct
import zipfile
import zlib
from collections.abc import Iterator
from typing import Any, NamedTuple

import numpy as np

from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from broken_models import BAD_VALUES, changed, glb, model, paths

PROPS, SETS, TERRAIN, LISTS = "/api/props", "/api/sets/open", "/api/bearers/terrain", "/api/prop-lists/read"
GROUPS = "/api/sets/groups"


class Hostile(NamedTuple):
    """``door``: the address that it is sent to. ``text``: it is JSON, not a file."""

    name: str
    door: str
    file: str
    data: bytes
    text: bool = False


def broken_models(count: int) -> Iterator[Hostile]:
    """Each with one value that is wrong, at a place and of a kind by chance."""
    given = model()
    chance = random.Random(20)
    places = list(paths(given["json"]))
    for k in range(count):
        path, value = chance.choice(places), chance.choice(BAD_VALUES)
        data = glb(changed(given["json"], path, value), given["binary"])
        name = f"{k}: {'.'.join(map(str, path))} = {str(value)[:20]!r}"
        yield Hostile(name, (PROPS, SETS)[k % 2], "jug.glb", data)


def damaged_bytes(count: int) -> Iterator[Hostile]:
    """Cut short, and with bytes turned about."""
    given = model()
    whole = glb(given["json"], given["binary"])
    chance = random.Random(21)
    for k in range(count):
        data = bytearray(whole)
        if k % 3 == 0:
            del data[chance.randrange(len(data)) :]
        else:
            start = chance.choice((0, 12, len(data) - len(given["binary"]), 20))
            for _ in range(chance.randrange(1, 9)):
                data[min(len(data) - 1, start + chance.randrange(64))] = chance.randrange(256)
        yield Hostile(f"damaged {k}", (PROPS, SETS)[k % 2], "jug.glb", bytes(data))


def grid(n: int) -> tuple[np.ndarray, np.ndarray]:
    """A sheet of 2 n² triangles."""
    x, z = np.meshgrid(np.arange(n + 1.0), np.arange(n + 1.0))
    at = np.arange((n + 1) ** 2).reshape(n + 1, n + 1)
    a, b, c, d = at[:-1, :-1].ravel(), at[1:, :-1].ravel(), at[1:, 1:].ravel(), at[:-1, 1:].ravel()
    return np.stack([x.ravel(), 0 * x.ravel(), z.ravel()], 1), np.concatenate([np.c_[a, b, c], np.c_[a, c, d]])


def surfaces(vertices: np.ndarray, faces: np.ndarray) -> bytes:
    made = Surface(Paint("x", (0.5, 0.5, 0.5)), np.asarray(vertices, np.float64), np.asarray(faces, np.int32))
    return prop_document("x", [made]).to_glb()


def greedy_models() -> Iterator[Hostile]:
    """Small files that ask for much, and meshes at which an algorithm may never come to an end."""
    given = model()

    def with_json(name: str, change: Any) -> Iterator[Hostile]:
        found = copy.deepcopy(given["json"])
        change(found)
        for door in (PROPS, SETS):
            yield Hostile(name, door, "jug.glb", glb(found, given["binary"]))

    def no_view(found: Any) -> None:
        found["accessors"][found["meshes"][0]["primitives"][0]["attributes"]["POSITION"]] = {
            "componentType": 5126, "type": "VEC3", "count": 60_000_000,
        }  # fmt: skip

    def thin_sparse(found: Any) -> None:
        entry = found["accessors"][found["meshes"][0]["primitives"][0]["attributes"]["POSITION"]]
        entry.pop("bufferView")
        entry |= {
            "count": 60_000_000,
            "sparse": {
                "count": 2**31,
                "indices": {"bufferView": 0, "componentType": 5125},
                "values": {"bufferView": 0},
            },
        }

    def many_nodes(found: Any) -> None:
        found["nodes"] += [{"mesh": 0, "translation": [k % 50, 0, k // 50]} for k in range(1500)]
        found["scenes"][0]["nodes"] += list(range(6, 1506))

    def many_children(found: Any) -> None:
        found["nodes"] += [{"mesh": 0, "translation": [k % 50, 0, k // 50]} for k in range(1500)]
        found["nodes"][0]["children"] = [1, *range(6, 1506)]

    def chain(found: Any) -> None:
        found["nodes"] += [{"children": [7 + k]} for k in range(20_000)] + [{"mesh": 0}]
        found["scenes"][0]["nodes"].append(6)

    def same_buffer(found: Any) -> None:
        found["meshes"][0]["primitives"] *= 20_000

    def far(found: Any) -> None:
        found["nodes"][0]["translation"] = [1e30, 0, 0]

    def flat(found: Any) -> None:
        found["nodes"][0]["scale"] = [1, 0, 1]

    def singular(found: Any) -> None:
        found["nodes"][2]["matrix"] = [1, 0, 0, 0, 1, 0, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1]

    def self_child(found: Any) -> None:
        found["nodes"][1]["children"] = [0]

    def remote(found: Any) -> None:
        found["buffers"].append({"uri": "../../../etc/passwd", "byteLength": 10})

    def web(found: Any) -> None:
        found["images"] = [{"uri": "http://127.0.0.1:1/x.png"}]

    def many_instances(found: Any) -> None:
        found["accessors"][found["nodes"][3]["extensions"]["EXT_mesh_gpu_instancing"]["attributes"]["TRANSLATION"]] = {
            "componentType": 5126, "type": "VEC3", "count": 10_000_000,
        }  # fmt: skip

    for change in (
        no_view, thin_sparse, many_nodes, many_children, chain, same_buffer, far, flat, singular, self_child, remote, web, many_instances,
    ):  # fmt: skip
        yield from with_json(change.__name__, change)
    for value in (np.nan, np.inf, 1e38):
        for door in (PROPS, SETS):
            yield Hostile(
                f"{value}", door, "x.glb", glb(given["json"], np.float32(value).tobytes() + given["binary"][4:])
            )
    vertices, faces = grid(2)
    same = np.tile([[0, 1, 4]], (20_400, 1))
    sheets = [(grid(1)[0] * 17.0**-k + [0, k * 1e-9, 0], grid(1)[1] + 4 * k) for k in range(240)]
    for name, v, f in (
        ("coincident", vertices, same),
        ("lines", vertices, np.tile([[0, 1, 1]], (40, 1))),
        ("one point", vertices * 0, faces),
        ("tiny", vertices * 1e-30, faces),
        ("huge", vertices * 1e30, faces),
        ("shrinking sheets", np.concatenate([s[0] for s in sheets]), np.concatenate([s[1] for s in sheets])),
        ("needle", vertices * [1e5, 1, 1e-9], faces),
        ("fan", *fan(1_000)),
        ("crossing", *crossing(700)),
        ("dust", *dust(20_000)),
    ):
        for door in (PROPS, SETS):
            yield Hostile(name, door, "x.glb", surfaces(v, f))


def fan(n: int) -> tuple[np.ndarray, np.ndarray]:
    """So many triangles about one edge."""
    a = np.linspace(0, 2 * np.pi, n, endpoint=False)
    rim = np.c_[np.cos(a), np.sin(a), 0 * a]
    return np.concatenate([[[0, 0, -1], [0, 0, 1]], rim]), np.c_[np.zeros(n), np.ones(n), np.arange(2, n + 2)]


def crossing(n: int) -> tuple[np.ndarray, np.ndarray]:
    """Two bundles of long triangles, each of which cuts each of the other one."""
    k = np.linspace(0, 1, n)[:, None]
    one, two = np.zeros((n, 1)), np.ones((n, 1))
    a = np.stack([np.hstack([one, one, k]), np.hstack([two, one, k]), np.hstack([two, one + 0.01, k])], 1)
    b = np.stack([np.hstack([k, one, one]), np.hstack([k, one, two]), np.hstack([k, one + 0.01, two])], 1)
    vertices = np.concatenate([a, b]).reshape(-1, 3)
    return vertices, np.arange(len(vertices)).reshape(-1, 3)


def dust(n: int) -> tuple[np.ndarray, np.ndarray]:
    """So many loose triangles all about."""
    chance = np.random.default_rng(3)
    middle = chance.normal(size=(n, 1, 3))
    vertices = (middle + 0.01 * chance.normal(size=(n, 3, 3))).reshape(-1, 3)
    return vertices, np.arange(3 * n).reshape(-1, 3)


def other_formats() -> Iterator[Hostile]:
    """OBJ, PLY, STL and USD."""
    square = b"v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1\n"
    circle = "".join(f"v {np.cos(k)} 0 {np.sin(k)}\n" for k in np.linspace(0, 6.28, 20_000)).encode()
    polygon = b"f " + b" ".join(b"%d" % k for k in range(1, 20_001)) + b"\n"
    big = b"f " + b" ".join(b"%d" % (k % 4 + 1) for k in range(100_000)) + b"\n"
    ply = b"ply\nformat ascii 1.0\nelement vertex %d\nproperty float x\nproperty float y\nproperty float z\nelement face %d\nproperty list uchar int vertex_indices\nend_header\n"
    usda = b'#usda 1.0\n(defaultPrim = "a")\n'
    mesh = b'def Mesh "a" { point3f[] points = [(0,0,0),(1,0,0),(1,0,1)] int[] faceVertexCounts = [%s] int[] faceVertexIndices = [%s] }'
    files: dict[str, bytes] = {
        "polygon.obj": circle + polygon,
        "million.obj": square + big,
        "nan.obj": b"v nan 0 0\n" + square + b"f 1 2 3\n",
        "inf.obj": b"v 1e999 0 0\n" + square + b"f 1 2 3\n",
        "index.obj": square + b"f 1 2 900\nf -9 1 2\nf 0 0 0\n",
        "words.obj": b"v a b c\nf x y z\n" + bytes(range(256)),
        "empty.obj": b"",
        "nul.obj": b"\0" * 100_000,
        "mtl.obj": b"mtllib ../../../../etc/passwd\n" + square + b"usemtl x\nf 1 2 3\n",
        "lines.obj": square + b"l 1 2\n" * 50_000,
        "groups.obj": square + b"".join(b"o g%d\nf 1 2 3\n" % k for k in range(2_000)),
        "many.ply": ply % (10**12, 1),
        "faces.ply": ply % (3, 10**12) + b"0 0 0\n1 0 0\n0 0 1\n",
        "short.ply": ply % (3, 2) + b"0 0 0\n1 0 0\n0 0 1\n3 0 1 2\n",
        "wide.ply": ply % (3, 1) + b"0 0 0\n1 0 0\n0 0 1\n255 " + b"0 " * 255 + b"\n",
        "minus.ply": ply % (-3, -1),
        "words.ply": b"ply\nformat nothing 9\n",
        "binary.ply": ply.replace(b"ascii", b"binary_little_endian") % (2**31, 2**31) + b"\0" * 1000,
        "count.stl": b"\0" * 80 + struct.pack("<I", 2**32 - 1) + b"\0" * 500,
        "nan.stl": b"\0" * 80 + struct.pack("<I", 1) + struct.pack("<12fH", *[float("nan")] * 12, 0),
        "flat.stl": b"\0" * 80 + struct.pack("<I", 9) + struct.pack("<12fH", *[0.0] * 12, 0) * 9,
        "words.stl": b"solid x\nfacet normal a b c\n outer loop\n vertex 1 2\n",
        "open.stl": b"solid " + b"a" * 100_000,
        "count.usda": usda + mesh % (b"2000000000", b"0,1,2"),
        "minus.usda": usda + mesh % (b"-3", b"0,-1,2"),
        "index.usda": usda + mesh % (b"3", b"0,1,99"),
        "self.usda": usda + b'def "a" ( references = @self.usda@ ) {}',
        "away.usda": usda + b'def "a" ( references = @/etc/passwd@ ) {}',
        "deep.usda": usda + b'def "a" {' * 5_000 + b"}" * 5_000,
        "words.usda": usda + b"nothing of this is " + bytes(range(256)),
        "words.usdc": b"PXR-USDC" + b"\xff" * 500,
        "cube.usda": usda + b'def Cube "a" { double size = 1e300 }',
        "ball.usda": usda + b'def Sphere "a" { double radius = -1 }',
        "instances.usda": usda + b'def PointInstancer "a" { rel prototypes = </a/b> int[] protoIndices = [9] point3f[] positions = [(0,0,0)] def Cube "b" {} }',
        "bomb.usdz": bomb("bomb.usda", 300 << 20),
        "none.usdz": bomb("none.txt", 10),
        "zip.usdz": b"PK\x03\x04" + b"\xff" * 200,
        "text.gltf": b'{"asset":{"version":"2.0"}' + b" " * 1000,
        "deep.gltf": b'{"a":' * 100_000,
        "list.gltf": b"[" * 100_000,
        "number.gltf": b'{"asset":{"version":"2.0"},"scene":1e999,"nodes":[' + b"{}," * 1000 + b"{}]}",
        "digits.gltf": b'{"asset":{"version":"2.0"},"scene":' + b"9" * 10_000 + b"}",
        "data.gltf": b'{"asset":{"version":"2.0"},"buffers":[{"uri":"data:,@@@","byteLength":4}]}',
        "model.exe": b"MZ",
        "noname": b"v 0 0 0",
        "..obj": square,
    }  # fmt: skip
    for name, data in files.items():
        yield Hostile(name, PROPS, name, data)


def bomb(name: str, size: int) -> bytes:
    """An archive that is a thousand times its own size."""
    data = io.BytesIO()
    with zipfile.ZipFile(data, "w", zipfile.ZIP_DEFLATED) as archive, archive.open(name, "w", force_zip64=True) as file:
        for _ in range(max(1, size >> 20)):
            file.write(b" " * min(size, 1 << 20))
    return data.getvalue()


def png(width: int, height: int, rows: bytes) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = struct.pack(">IIBBBBB", width, height, 16, 0, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")


def pictures() -> Iterator[Hostile]:
    """Height images."""
    files = {
        "wide.png": png(60_000, 60_000, b""),
        "claims.png": png(4096, 4096, zlib.compress(b"\0" * 100)),
        "bomb.png": png(4096, 4096, zlib.compress(b"\0" * (4096 * 8193))),
        "one.png": png(1, 1, zlib.compress(b"\0\0\0")),
        "none.png": png(0, 0, b""),
        "short.png": png(64, 64, zlib.compress(b"\0" * 64 * 129))[:60],
        "text.png": b"not a picture",
        "gif.png": b"GIF89a" + struct.pack("<HH", 9, 9) + b"\0" * 50,
        "eps.png": b"%!PS-Adobe-3.0 EPSF-3.0\n%%BoundingBox: 0 0 9 9\n",
        "svg.png": b"<svg xmlns='http://www.w3.org/2000/svg'/>",
        "tiff.tif": b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 3000) + b"\xff" * 400,
        "self.tif": b"II*\0" + struct.pack("<I", 8) + struct.pack("<HHHII", 1, 330, 4, 1, 8) + struct.pack("<I", 8),
        "jpeg.jpg": b"\xff\xd8\xff\xe0" + b"\xff" * 500,
        "empty.png": b"",
    }  # fmt: skip
    for name, data in files.items():
        yield Hostile(name, TERRAIN, name, data)


def lists() -> Iterator[Hostile]:
    """Tables of props."""
    texts = {
        "nul": "prop\n\0\0",
        "quote": 'prop,share\n"' + "a" * 300_000,
        "rows": "prop,share\n" + "jug,1\n" * 100_000,
        "columns": ",".join(f"c{k}" for k in range(50_000)) + "\n",
        "numbers": "prop,share\njug,1e999\njug,nan\njug,-1\njug,٣\n",
        "surrogate": "prop\n\ud800\n",
        "field": "prop\n" + "x" * 2_000_000 + "\n",
        "empty": "",
        "ends": "\r\r\n\n\x1c\x1d\u2028",
    }
    for name, text in texts.items():
        for props in ({"jug": "jug"}, {}):
            body = json.dumps({"text": text, "props": props}).encode("utf-8", "surrogatepass")
            yield Hostile(f"{name} {len(props)}", LISTS, name, body, True)
    for name, body in (
        ("no json", b"{"), ("deep", b"[" * 100_000), ("number", b'{"text": 1e999, "props": 3}'), ("bytes", bytes(range(256))),
        ("digits", b'{"text": ' + b"9" * 10_000 + b"}"), ("keys", b'{"text": "", "props": {' + b",".join(b'"%d":"x"' % k for k in range(100_000)) + b"}}"),
    ):  # fmt: skip
        yield Hostile(name, LISTS, name, body, True)


def hostile() -> list[Hostile]:
    """All of them, about three hundred."""
    return [*broken_models(130), *damaged_bytes(30), *greedy_models(), *other_formats(), *pictures(), *lists()]
