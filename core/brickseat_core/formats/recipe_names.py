"""Recipes as files have them, in which pieces and regions go by name, and as sets have them, in which all go by key."""

from collections.abc import Mapping
from typing import Any

from brickseat_core.recipes.renaming import renamed
from brickseat_core.scene import Set


class UnknownName(ValueError):
    """A recipe names what is not in the file; says what."""


def by_name(parameters: Mapping[str, Any], dressed: Set) -> dict[str, Any]:
    """The parameters of a recipe with names in the place of keys. A prop goes by a piece that is a copy of it."""
    names = {key: place.name for places in (dressed.pieces, dressed.regions) for key, place in places.items()}
    copies: dict[str, str] = {}
    for piece in dressed.pieces.values():
        copies.setdefault(piece.prop.key, piece.key)

    def piece_of(rule: Any) -> Any:
        if not isinstance(rule, dict) or rule.get("prop") not in copies:
            return rule
        rest = {name: value for name, value in rule.items() if name != "prop"}
        return {**rest, "piece": copies[rule["prop"]], "name": rule.get("name") or rule["prop"]}

    found = dict(parameters)
    if isinstance(found.get("props"), list | tuple):
        found["props"] = [piece_of(rule) for rule in found["props"]]
    return renamed(found, lambda key: names.get(key, key), lambda key: names.get(copies.get(key, ""), key))


def by_key(parameters: Mapping[str, Any], dressed: Set, strict: bool = False) -> dict[str, Any]:
    """The parameters of a recipe with keys in the place of names. ``strict``: raises UnknownName for a name that is not there.

    What a kept recipe names may be gone meanwhile: it is said when the recipe is laid again.
    """
    keys = {place.name: key for places in (dressed.regions, dressed.pieces) for key, place in places.items()}

    def key_of(name: str) -> str:
        if strict and name not in keys:
            raise UnknownName(f"there is no piece and no region named {name!r}; see brickseat check")
        return keys.get(name, name)

    def prop_of(name: str) -> str:
        piece = dressed.pieces.get(keys.get(name, ""))
        return piece.prop.key if piece is not None else name

    return renamed(dict(parameters), key_of, prop_of)
