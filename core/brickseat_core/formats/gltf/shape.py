"""The shape of a glTF 2.0 document as far as it is read: which entries are lists, objects, whole numbers and text.

Khronos glTF 2.0 specification, section 5. It is looked at once, when a document is opened. Readers then go by it; what
numbers refer to, and whether they are in range, they check themselves.
"""

from collections.abc import Callable, Mapping
from typing import Any, TypeGuard

from brickseat_core.formats.errors import FileError

Json = dict[str, Any]
INSTANCING = "EXT_mesh_gpu_instancing"


def is_object(value: Any) -> bool:
    return isinstance(value, dict)


def is_whole(value: Any) -> TypeGuard[int]:
    return isinstance(value, int) and not isinstance(value, bool)


def is_text(value: Any) -> bool:
    return isinstance(value, str)


def is_list_of(fits: Callable[[Any], bool]) -> Callable[[Any], bool]:
    return lambda value: isinstance(value, list) and all(fits(each) for each in value)


def is_whole_by_name(value: Any) -> bool:
    return isinstance(value, dict) and all(is_whole(each) for each in value.values())


OBJECT = (is_object, "an object")
OBJECTS = (is_list_of(is_object), "a list of objects")
WHOLE = (is_whole, "a whole number")
WHOLES = (is_list_of(is_whole), "a list of whole numbers")
BY_NAME = (is_whole_by_name, "an object of whole numbers")
TEXT = (is_text, "text")
TEXTS = (is_list_of(is_text), "a list of texts")

Rule = tuple[Callable[[Any], bool], str]
LISTS = (
    "scenes",
    "nodes",
    "meshes",
    "accessors",
    "bufferViews",
    "buffers",
    "images",
    "materials",
    "textures",
    "samplers",
    "skins",
    "animations",
    "cameras",
)
DOCUMENT: Mapping[str, Rule] = {
    **dict.fromkeys(LISTS, OBJECTS),
    "extensionsRequired": TEXTS,
    "extensionsUsed": TEXTS,
}
ENTRIES: Mapping[str, Mapping[str, Rule]] = {
    "scenes": {"nodes": WHOLES},
    "nodes": {"children": WHOLES, "extensions": OBJECT, "name": TEXT},
    "meshes": {"primitives": OBJECTS, "name": TEXT},
    "accessors": {"bufferView": WHOLE, "sparse": OBJECT},
    "buffers": {"uri": TEXT, "byteLength": WHOLE},
    "images": {"uri": TEXT, "bufferView": WHOLE},
    "textures": {"source": WHOLE, "sampler": WHOLE},
    "skins": {"joints": WHOLES},
    "animations": {"channels": OBJECTS, "samplers": OBJECTS},
}
PRIMITIVE: Mapping[str, Rule] = {
    "attributes": BY_NAME,
    "indices": WHOLE,
    "material": WHOLE,
    "mode": WHOLE,
    "targets": (is_list_of(is_whole_by_name), "a list of objects of whole numbers"),
    "extensions": OBJECT,
}


def check_shape(document: Json) -> None:
    """Raises FileError for the first entry that is not what readers expect there."""
    check_entry(document, DOCUMENT, "")
    for kind, rules in ENTRIES.items():
        for number, entry in enumerate(document.get(kind, [])):
            check_entry(entry, rules, f"{kind}[{number}].")
    for number, buffer in enumerate(document.get("buffers", [])):
        check_there(buffer, "byteLength", f"buffers[{number}].")
    for number, mesh in enumerate(document.get("meshes", [])):
        check_there(mesh, "primitives", f"meshes[{number}].")
        for i, primitive in enumerate(mesh["primitives"]):
            where = f"meshes[{number}].primitives[{i}]."
            check_entry(primitive, PRIMITIVE, where)
            check_there(primitive, "attributes", where)
    for number, node in enumerate(document.get("nodes", [])):
        extensions, where = node.get("extensions", {}), f"nodes[{number}].extensions."
        check_entry(extensions, {INSTANCING: OBJECT}, where)
        if INSTANCING in extensions:
            check_entry(extensions[INSTANCING], {"attributes": BY_NAME}, f"{where}{INSTANCING}.")
            check_there(extensions[INSTANCING], "attributes", f"{where}{INSTANCING}.")


def check_entry(entry: Json, rules: Mapping[str, Rule], where: str) -> None:
    """Raises FileError where something in ``entry`` is not as its rule says. What is not there is not looked at."""
    for name, (fits, words) in rules.items():
        if name in entry and not fits(entry[name]):
            raise FileError(f"{where}{name} is not {words}; export it again")


def check_there(entry: Json, name: str, where: str) -> None:
    """Raises FileError where ``name`` is left out of an entry."""
    if name not in entry:
        raise FileError(f"{where}{name} is left out; export it again")
