"""What belongs to a set as a whole, in the extras of its scene: ties, recipes and cut-outs, which name pieces by node."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Literal, cast

from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.shape import Json
from brickseat_core.formats.recipe_names import by_key, by_name
from brickseat_core.scene import CutOut, Prop, Recipe, Record, Set, Tie
from brickseat_core.scene.encoding import BadRecord, decode, encode

Related = Literal["tie", "recipe", "cut_out"]
FIELDS: dict[Related, str] = {"tie": "ties", "recipe": "recipes", "cut_out": "cut_outs"}
NAMES_PIECES: dict[Related, tuple[str, ...]] = {"tie": ("piece", "to"), "recipe": (), "cut_out": ("piece", "bearer")}
"""Which values of an encoded record are keys of pieces: node names in the file."""
MOST_RECORDS = 100_000


def no_prop(key: str) -> Prop:
    """Stands in for finding a prop where no record of a file names one. Raises BadRecord, always."""
    raise BadRecord(f"it names a prop, {key}, which a file does not hold")


def scene_extras(document: GltfDocument) -> Json:
    """Our extras of the scene that is shown; empty where there are none."""
    number = document.json.get("scene", 0)
    scenes = document.items("scenes")
    scene = scenes[number] if isinstance(number, int) and 0 <= number < len(scenes) else {}
    extras = scene.get("extras")
    ours = extras.get("brickseat") if isinstance(extras, dict) else None
    return ours if isinstance(ours, dict) else {}


def with_relations(document: GltfDocument, dressed: Set) -> Set:
    """The set with the ties, recipes and cut-outs of the scene. Raises FileError, saying which of them is wrong."""
    ours = scene_extras(document)
    keys = {piece.name: piece.key for piece in dressed.pieces.values()}
    found: dict[str, Any] = {}
    for kind, field in FIELDS.items():
        listed = ours.get(field, [])
        if not isinstance(listed, list) or len(listed) > MOST_RECORDS:
            raise FileError(f"scene.extras.brickseat.{field} is not a list of {kind}s; correct its extras")
        records = {}
        for number, data in enumerate(listed):
            record = read_record(kind, data, keys, f"scene.extras.brickseat.{field}[{number}]")
            if isinstance(record, Recipe):
                record = replace(record, parameters=by_key(record.parameters, dressed))
            records[record.key] = record
        found[field] = records
    return replace(dressed, **found)


def read_record(kind: Related, data: Any, keys: Mapping[str, str], where: str) -> Tie | Recipe | CutOut:
    """One record out of a file's extras. ``keys``: the piece of each name. Raises FileError, with ``where`` in it."""
    if not isinstance(data, dict):
        raise FileError(f"{where} is not an object; correct its extras")
    values = dict(data)
    for name in NAMES_PIECES[kind]:
        if values.get(name) not in keys:
            raise FileError(f"{where}: {name} {values.get(name)!r} is no piece of this file; correct its extras")
        values[name] = keys[values[name]]
    try:
        return cast("Tie | Recipe | CutOut", decode(kind, values, no_prop))
    except (BadRecord, ValueError) as problem:
        raise FileError(f"{where}: {problem}; correct its extras") from None


def relations_of(dressed: Set) -> Json:
    """The ties, recipes and cut-outs of a set as the extras of its scene: pieces by name. Empty lists are left out."""
    found: Json = {}
    for kind, field in FIELDS.items():
        listed = [named(kind, record, dressed) for record in dressed.of_kind(kind).values()]
        if listed:
            found[field] = listed
    return found


def named(kind: Related, record: Record, dressed: Set) -> Json:
    """A record as JSON in which pieces go by their names, as files have them."""
    data = encode(record)
    for name in NAMES_PIECES[kind]:
        data[name] = dressed.pieces[data[name]].name
    if kind == "recipe":
        data["parameters"] = by_name(data["parameters"], dressed)
    return data
