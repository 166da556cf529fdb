"""Lists of props to fill a bay with, as tables: CSV in and out.

Columns: ``prop`` (a name, or in files the path of a model), ``share``, ``count``, ``turn_step_deg``, ``sides`` (base or any),
``size_from``, ``size_to``, ``size_step``, ``nest`` (yes or no). Only ``prop`` must be there; what is left empty is as the recipe has
it by default. Commas, semicolons or tabs part the columns; a decimal comma is understood, quoted or where something else parts them.
"""

import csv
import io
import math
from collections.abc import Callable, Mapping, Sequence
from typing import Any

from brickseat_core.formats.errors import FileError

NUMBERS = ("share", "turn_step_deg", "size_from", "size_to", "size_step")
COLUMNS = ("prop", "share", "count", "turn_step_deg", "sides", "size_from", "size_to", "size_step", "nest")
WORDS: dict[str, dict[str, Any]] = {
    "sides": {"base": "base", "any": "any"},
    "nest": {"yes": True, "no": False, "true": True, "false": False, "1": True, "0": False},
}
MODELS = (".glb", ".gltf", ".obj", ".ply", ".stl", ".usd", ".usda", ".usdc", ".usdz")
MOST_ROWS = 100
MOST_ROWS_NAMED = 5
"""Wrong rows that are named in one error."""
LONGEST = 1_000_000
"""Characters of a list."""


class BadRow(ValueError):
    """A row that is wrong; says which column, and what to do."""


def rules_of_csv(
    text: str, where: str, named: Callable[[str], Mapping[str, str]] | None = None
) -> list[dict[str, Any]]:
    """The props of a fill recipe, as plain JSON values. ``where``: what the list is called in errors.

    ``named``: how a prop is named in the recipe; by default a model is a file, and all else the piece of that name.
    Raises FileError, with the numbers of the rows that are wrong.
    """
    if len(text) > LONGEST:
        raise FileError(f"{where}: is longer than {LONGEST} characters; split it")
    text = text.removeprefix("\ufeff")
    head = text.split("\n", 1)[0]
    delimiter = max(";\t,", key=lambda c: (head.count(c), -";\t,".index(c)))
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise FileError(f"{where}: is no table ({error}); save it as CSV") from None
    if not rows:
        raise FileError(f"{where}: is empty; its first row names the columns: {', '.join(COLUMNS)}")
    columns = [name.strip().lower() for name in rows[0]]
    if "prop" not in columns:
        raise FileError(f"{where}: row 1 names no column prop; the columns are {', '.join(COLUMNS)}")
    for name in columns:
        if name not in COLUMNS or columns.count(name) > 1:
            raise FileError(f"{where}: row 1: {name!r} is no column, or twice; the columns are {', '.join(COLUMNS)}")
    rules, wrong = [], []
    for number, row in enumerate(rows[1:], 2):
        if not any(cell.strip() for cell in row):
            continue
        try:
            rules.append(
                rule_of(dict(zip(columns, map(str.strip, row), strict=False)), len(row), columns, named or by_kind)
            )
        except BadRow as problem:
            wrong.append(f"row {number}: {problem}")
    if wrong:
        more = f"; and {len(wrong) - MOST_ROWS_NAMED} more rows" if len(wrong) > MOST_ROWS_NAMED else ""
        raise FileError(f"{where}: {'; '.join(wrong[:MOST_ROWS_NAMED])}{more}")
    if not rules or len(rules) > MOST_ROWS:
        raise FileError(f"{where}: has {len(rules)} props; 1 to {MOST_ROWS} may be listed")
    return rules


def by_kind(name: str) -> Mapping[str, str]:
    """A model is a file, all else the piece of that name."""
    return {"file": name} if name.lower().endswith(MODELS) else {"piece": name}


def rule_of(
    row: Mapping[str, str], many: int, columns: Sequence[str], named: Callable[[str], Mapping[str, str]]
) -> dict[str, Any]:
    """One row. Raises BadRow."""
    if many > len(columns):
        raise BadRow(f"has {many} cells, and there are {len(columns)} columns; quote what has a comma in it")
    if not row.get("prop"):
        raise BadRow("prop: is empty; name a prop")
    rule: dict[str, Any] = dict(named(row["prop"]))
    for name in NUMBERS:
        if row.get(name):
            rule[name] = number_of(row[name], name)
    if row.get("count"):
        count = number_of(row["count"], "count")
        if count != int(count) or count < 1:
            raise BadRow(f"count: {row['count']} is no number of pieces; write 1 or more, or leave it empty")
        rule["count"] = int(count)
    for name, words in WORDS.items():
        if row.get(name):
            if row[name].lower() not in words:
                raise BadRow(f"{name}: {row[name]!r} is not one of {', '.join(list(words)[:2])}")
            rule[name] = words[row[name].lower()]
    low, high = rule.pop("size_from", None), rule.pop("size_to", None)
    if low is not None or high is not None:
        low, high = low if low is not None else high, high if high is not None else low
        if low > high or low <= 0.0:
            raise BadRow(f"size_from: {low:g} to {high:g} is no range of sizes; put the lesser one first, above 0")
        rule["size"] = [low, high]
    return rule


def number_of(text: str, column: str) -> float:
    """A number with a decimal point or comma. Raises BadRow."""
    try:
        found = float(text.replace(",", ".") if text.count(",") == 1 and "." not in text else text)
    except ValueError:
        found = math.nan
    if not math.isfinite(found) or found < 0.0:
        raise BadRow(f"{column}: {text!r} is no number of 0 or more; write it like 0.5")
    return found


def csv_of_rules(rules: Sequence[Mapping[str, Any]], name_of: Callable[[Mapping[str, Any]], str]) -> str:
    """The list of a recipe's ``props`` as CSV (RFC 4180), which ``rules_of_csv`` reads. ``name_of``: what a prop goes by."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    for rule in rules:
        low, high = rule.get("size", (1.0, 1.0))
        cells = {
            **{
                name: f"{rule[name]:g}"
                for name in ("share", "count", "turn_step_deg", "size_step")
                if rule.get(name) is not None
            },
            "prop": name_of(rule),
            "sides": rule.get("sides", "base"),
            "size_from": f"{low:g}",
            "size_to": f"{high:g}",
            "nest": "yes" if rule.get("nest", True) else "no",
        }
        writer.writerow([cells.get(column, "") for column in COLUMNS])
    return out.getvalue()
