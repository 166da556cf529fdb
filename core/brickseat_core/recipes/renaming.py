"""Other names in a recipe. Files are read without what lays recipes, which takes long to load: nothing of that comes in here."""

from collections.abc import Callable
from typing import Any


def renamed(data: dict[str, Any], place: Callable[[str], str], prop: Callable[[str], str]) -> dict[str, Any]:
    """A recipe of any kind, as plain JSON values, with other names: those of pieces and regions by ``place``, those of props by ``prop``.

    What was laid by chance stays so: each prop keeps the name that its chances go by.
    """

    def mapped(holder: dict[str, Any], name: str, change: Callable[[str], str]) -> dict[str, Any]:
        value = holder.get(name)
        if isinstance(value, str):
            return {**holder, name: change(value)}
        if isinstance(value, list | tuple):
            return {**holder, name: [change(v) if isinstance(v, str) else v for v in value]}
        return holder

    def each(holder: dict[str, Any], name: str, change: Callable[[dict[str, Any]], dict[str, Any]]) -> dict[str, Any]:
        listed = holder.get(name)
        if not isinstance(listed, list | tuple):
            return holder
        return {**holder, name: [change(v) if isinstance(v, dict) else v for v in listed]}

    def named(rule: dict[str, Any]) -> dict[str, Any]:
        given = rule.get("name") or rule.get("prop") or rule.get("piece") or rule.get("file")
        return {**rule, "name": given} if isinstance(given, str) else rule

    def distance(rule: dict[str, Any]) -> dict[str, Any]:
        return mapped(mapped(rule, "of", place), "kind", prop)

    for name in ("on", "keep_out", "only_inside", "bay"):
        data = mapped(data, name, place)
    data = mapped(data, "prop", prop)
    data = each(data, "props", lambda rule: mapped(mapped(named(rule), "piece", place), "prop", prop))
    rules = data.get("rules")
    if isinstance(rules, dict):
        for name in ("near", "far"):
            rules = each(rules, name, distance)
        for name in ("chalk", "paint"):
            rules = each(rules, name, lambda on: mapped(on, "on", place))
        data = {**data, "rules": rules}
    return data
