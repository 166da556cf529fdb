"""Several ways to fill one bay, side by side in processes of their own: each differs in its seed alone."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from brickseat_core.budget import Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.fill.filling import Filled, Filling
from brickseat_core.recipes.fill_schema import FillRecipe
from brickseat_core.recipes.places import Places
from brickseat_core.recipes.scatter_schema import MOST_SEED
from brickseat_core.scene import Piece, Prop, Region, Set
from brickseat_core.stopping import NEVER, Stop


@dataclass(frozen=True)
class FillTrial:
    """What one process needs to fill: plain data, pickled as it is. ``pieces``: what stands already. ``bay``: the region of the recipe."""

    pieces: tuple[Piece, ...]
    bay: Region
    recipe: FillRecipe
    props: tuple[Prop, ...]
    tolerance: float
    derived: Mapping[str, Mesh] = field(default_factory=dict)


def run_fill_trial(trial: FillTrial, stop: Stop = NEVER) -> Filled:
    """One filling, from nothing; the same in every process. Its pieces have keys of their own.

    ``stop``: ends the trial as soon as it is set, by raising Stopped.
    """
    dressed = Set.of("a set", trial.pieces, trial.tolerance, [trial.bay])
    index = SceneIndex(trial.pieces, derived=trial.derived)
    seed = trial.recipe.seed
    return Filling(
        Places(dressed, index),
        trial.recipe,
        list(trial.props),
        f"trial {seed}",
        lambda number: f"trial {seed} {number}",
        lambda prop, number: f"{prop.name} {number}",
        trial.tolerance,
        Budget(on_progress=lambda done, total: not stop.is_set()),
    ).run()


def fill_trials(trial: FillTrial, count: int) -> list[FillTrial]:
    """``count`` trials from the seed of ``trial`` on."""
    recipe = trial.recipe
    return [replace(trial, recipe=replace(recipe, seed=(recipe.seed + k) % (MOST_SEED + 1))) for k in range(count)]
