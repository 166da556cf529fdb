"""A glTF model with all that is read of one, and the same with something wrong in one place."""

import copy
import json
import struct
from collections.abc import Iterator
from typing import Any

import numpy as np

from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube

BAD_VALUES: list[Any] = [
    None, True, -1, 2**40, 1e308, "x", "\ud800", [], {}, [[[]]], {"a": {}}, [-1], ["x"] * 3, [1e308] * 16, [0] * 16, 0, 99,
]  # fmt: skip


def model() -> dict[str, Any]:
    """A model with all that is read of one: a hierarchy, a material, a skin, instances, and what Brick Seat writes itself."""
    surface = Surface(Paint("clay", (0.5, 0.3, 0.2)), cube().vertices, cube().faces)
    document = prop_document("jug", [surface])
    found = document.json
    skinned = copy.deepcopy(found["meshes"][0])
    attributes = skinned["primitives"][0]["attributes"]
    count = found["accessors"][attributes["POSITION"]]["count"]
    attributes["JOINTS_0"] = document.append(np.zeros((count, 4), np.uint8), "VEC4")
    attributes["WEIGHTS_0"] = document.append(np.tile(np.array([1, 0, 0, 0], np.float32), (count, 1)), "VEC4")
    places = document.append(np.array([[0, 0, 0], [2, 0, 0]], np.float32), "VEC3")
    found["meshes"].append(skinned)
    found["skins"] = [{"joints": [1]}]
    found["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"] = {"index": 0}
    found["textures"], found["samplers"] = [{"source": 0, "sampler": 0}], [{}]
    found["images"] = [{"uri": "data:image/png;base64,"}]
    found["animations"] = [
        {"channels": [{"sampler": 0, "target": {"node": 2}}], "samplers": [{"input": 0, "output": 0}]}
    ]
    found["extensionsUsed"] = found["extensionsRequired"] = ["EXT_mesh_gpu_instancing"]
    found["meshes"][0]["primitives"][0] |= {"mode": 4, "extensions": {"ours": {}}}
    ours = {
        "role": "prop", "direction": [0, -1, 0], "seats": [], "body": "jug", "spiked": False, "sink": 0.0, "stand_off": 0.0,
        "group": "", "recipe": "", "number": 1, "friction": 0.5, "mass": 1.0, "contact_shape": "hull",
    }  # fmt: skip
    found["nodes"] = [
        {"name": "jug", "mesh": 0, "children": [1], "extras": {"brickseat": ours}},
        {"name": "lid", "mesh": 0, "translation": [0, 1, 0], "rotation": [0, 0, 0, 1], "scale": [1, 1, 1]},
        {"name": "floor", "mesh": 0, "matrix": [9, 0, 0, 0, 0, 1, 0, 0, 0, 0, 9, 0, 0, -1, 0, 1]},
        {"name": "row", "mesh": 0, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": places}}}},
        {"name": "figure", "mesh": 1, "skin": 0},
        {"name": "niche", "mesh": 0, "extras": {"brickseat": {"role": "region"}}},
    ]
    found["scenes"] = [{"nodes": [0, 2, 3, 4, 5], "extras": {"brickseat": {"ties": [], "recipes": [], "cut_outs": []}}}]
    data = document.to_glb()
    size = struct.unpack_from("<I", data, 12)[0]
    return {"json": json.loads(data[20 : 20 + size]), "binary": data[28 + size :]}


def glb(document: Any, binary: bytes) -> bytes:
    """A binary glTF file of any JSON value, with its lone surrogates written as they are."""
    text = json.dumps(document).encode("utf-8", "surrogatepass")
    text += b" " * (-len(text) % 4)
    body = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(binary), 0x004E4942) + binary
    return struct.pack("<III", 0x46546C67, 2, 12 + len(body)) + body


def paths(value: Any, here: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Where anything stands in a JSON value."""
    entries = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, below in entries:
        yield (*here, key)
        yield from paths(below, (*here, key))


def changed(document: Any, path: tuple[Any, ...], value: Any) -> Any:
    """A copy with something else in one place."""
    found = copy.deepcopy(document)
    at = found
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    return found
