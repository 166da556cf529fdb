"""Scatter and fill: a recipe of a file laid on a set of a file."""

import os
from pathlib import Path
from typing import Any, Literal

from brickseat.commands.checking import left_over
from brickseat.commands.files import open_set, save
from brickseat.commands.given import Given
from brickseat.commands.output import complain, print_json, progress
from brickseat_core.budget import Budget
from brickseat_core.constraints.indexing import index_of
from brickseat_core.executing import cluster_of
from brickseat_core.formats.boundary import reading
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.storing import store_set
from brickseat_core.formats.moves_file import fresh_keys, prop_named, read_json, read_text
from brickseat_core.formats.opening import open_document
from brickseat_core.formats.prop_facts import facts_of
from brickseat_core.formats.prop_file import whole_prop
from brickseat_core.formats.recipe_names import UnknownName, by_key
from brickseat_core.formats.tables.prop_list import rules_of_csv
from brickseat_core.moves import MoveRefused, compute_move
from brickseat_core.moves.fill import FillMove
from brickseat_core.moves.scatter import ScatterMove
from brickseat_core.recipes.fill_schema import parse_fill
from brickseat_core.recipes.scatter_schema import BadRecipe, parse_recipe
from brickseat_core.scene import Prop


def run_recipe(given: Given, kind: Literal["scatter", "fill"], recipe: Path, output: Path, seed: int | None) -> int:
    """Lay a recipe. Raises FileError."""
    found = open_set(given)
    data = read_json(recipe, kind)
    models: dict[str, GltfDocument] = {}
    props: dict[str, Prop] = {}
    index = index_of(found.dressed)
    try:
        data = by_key(with_files(data, kind, recipe.parent, models, props), found.dressed, strict=True)
        if seed is not None:
            data = {**data, "seed": seed}
        name = recipe.stem[:80]
        move: ScatterMove | FillMove = (
            ScatterMove("scatter", parse_recipe(data), name=name)
            if kind == "scatter"
            else FillMove("fill", parse_fill(data), name=name)
        )
        with progress("laying" if kind == "scatter" else "filling", given.quiet) as on_progress:
            outcome = compute_move(
                found.dressed,
                index,
                {},
                move,
                lambda key: props[key] if key in props else prop_named(found.dressed, key),
                fresh_keys(found.dressed),
                Budget(on_progress=on_progress),
                facts_of(found),
                cluster_of(os.environ),
            )
    except (BadRecipe, MoveRefused, UnknownName) as problem:
        raise FileError(f"{recipe}: {problem}") from None
    after = outcome.change.on(found.dressed)
    store_set(found, after, models)
    save(found.document, output)
    complain([outcome.change.words], given.quiet)
    if given.as_json:
        print_json(dict(outcome.counts))
    return left_over(after, given)


def with_files(
    data: Any, kind: str, folder: Path, models: dict[str, GltfDocument], props: dict[str, Prop]
) -> dict[str, Any]:
    """A recipe whose props out of files go by key. ``folder``: where its paths begin. Raises FileError and BadRecipe.

    Their documents and the props themselves are added to ``models`` and ``props``. The props of a fill may be the name of a CSV list.
    """
    if not isinstance(data, dict):
        raise BadRecipe(f"a recipe is an object; see brickseat schema {kind}")
    if kind == "fill" and isinstance(data.get("props"), str):
        listed_in = folder / data["props"]
        data = {**data, "props": rules_of_csv(read_text(listed_in), str(listed_in))}

    def read(rule: Any) -> Any:
        if not isinstance(rule, dict) or not isinstance(rule.get("file"), str):
            return rule
        if "prop" in rule or "piece" in rule:
            raise BadRecipe("props: name a prop, a piece or a file, and only one of them")
        file = rule["file"]
        if file not in models:
            path = folder / file
            with reading(path):
                models[file] = open_document(path)
                mesh, seats = whole_prop(models[file], str(path))
            props[file] = Prop(file, path.stem, mesh, seats)
        return {"name": file, **{name: value for name, value in rule.items() if name != "file"}, "prop": file}

    listed = data.get("props")
    return {**data, "props": [read(rule) for rule in listed]} if isinstance(listed, list) else data
