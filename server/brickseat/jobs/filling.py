"""Several ways to fill a bay, tried in the background: each is looked at, and one of them made by an ordinary move."""

import time
from dataclasses import dataclass, replace

from brickseat.jobs.keeping import jobs
from brickseat.jobs.running import Failed, Job, Record
from brickseat.jobs.settling import broadcast_job
from brickseat.sets.session import LiveSet
from brickseat.workers import workers
from brickseat_core.budget import Stopped
from brickseat_core.executing import NoCluster, run_all
from brickseat_core.proposals.fill.filling import Filled
from brickseat_core.proposals.fill.trials import FillTrial, fill_trials, run_fill_trial
from brickseat_core.recipes.fill_schema import FillRecipe, checked_fill, fill_json
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.scene import Prop
from brickseat_core.scene.encoding import encode, encode_pose


@dataclass(frozen=True)
class FillAsked:
    """``props``: of the recipe, in its order. ``again``: the recipe whose pieces would make room."""

    recipe: FillRecipe
    props: tuple[Prop, ...]
    trials: int
    again: str | None = None


def start(live: LiveSet, asked: FillAsked) -> Job:
    """Begin; raises Failed where the recipe cannot be placed."""
    now = live.snapshot
    bay = now.dressed.regions.get(asked.recipe.bay)
    if bay is None:
        raise Failed("that bay is no longer there; choose another one")
    try:
        recipe = checked_fill(asked.recipe)
    except BadRecipe as problem:
        raise Failed(str(problem)) from None
    own = [p.key for p in now.dressed.pieces.values() if asked.again is not None and p.recipe == asked.again]
    standing = tuple(p for p in now.dressed.pieces.values() if p.key not in set(own))
    # What was moved by hand stands where it is in every one of them, and is said when one is made.
    plain = replace(recipe, exceptions=replace(recipe.exceptions, nudged={}))
    trial = FillTrial(standing, bay, plain, asked.props, now.dressed.tolerance, now.index.derived)

    def run(job: Job) -> list[Record]:
        try:
            return side_by_side(trial, recipe, asked.trials, own, job)
        except NoCluster as problem:
            raise Failed(str(problem)) from None

    return jobs.start(live.key, run, lambda job: broadcast_job(live.key, job), "fill")


def side_by_side(trial: FillTrial, recipe: FillRecipe, count: int, gone: list[str], job: Job) -> list[Record]:
    """What came of each, the fullest first. Raises Stopped, when no trial runs any more."""
    found: list[Record] = []
    began = time.monotonic()
    job.on_progress("trying", 0.0, 0, count)
    with workers.pool() as pool:
        for number, filled in run_all(run_fill_trial, fill_trials(trial, count), pool, job.stop.is_set):
            seconds = time.monotonic() - began
            found.append(outcome_record(replace(recipe, seed=recipe.seed + number), filled, gone, seconds))
            job.on_progress("trying", len(found) / count, len(found), count)
    if len(found) < count:
        raise Stopped
    return sorted(found, key=lambda outcome: (outcome["score"], outcome["seed"]))


def outcome_record(recipe: FillRecipe, filled: Filled, gone: list[str], seconds: float) -> Record:
    """A filling as a proposed change in JSON values. ``gone``: keys of what it takes the place of."""
    pieces = list(filled.pieces.values())
    return {
        "seed": recipe.seed,
        "score": -filled.density,
        "spread": 0.0,
        "height": 0.0,
        "seconds": seconds,
        "named": [],
        "born": [encode(p) for p in pieces],
        "files": {},
        "broke": {},
        "gone": gone,
        "whole": [],
        "poses": [{"key": p.key, "pose": encode_pose(p.pose)} for p in pieces],
        "recipe": fill_json(recipe),
        "words": filled.in_words(),
    }
