"""Fill: several ways to fill a bay, side by side. One of them is made by an ordinary move, on the set as it is by then."""

from collections.abc import Callable, Container
from dataclasses import replace
from typing import Annotated, Any

from ninja import Schema
from pydantic import Field

from brickseat.jobs.kind import JobKind, Run
from brickseat.jobs.outcome import Outcome
from brickseat.jobs.running import Failed, Job
from brickseat.jobs.trials import side_by_side
from brickseat.sets.session import LiveSet
from brickseat.sets.snapshot import Snapshot
from brickseat_core.executing import NoCluster
from brickseat_core.moves.fields import Key
from brickseat_core.proposals.fill.filling import Filled
from brickseat_core.proposals.fill.trials import FillTrial, fill_trials, run_fill_trial
from brickseat_core.recipes.fill_schema import FillRecipe, checked_fill, fill_json
from brickseat_core.recipes.scatter_schema import BadRecipe
from brickseat_core.scene import Prop
from brickseat_core.scene.encoding import encode, encode_pose


class FillTrialsAsked(Schema):
    """A bay to be filled in several ways, from the seed of the recipe on. ``again``: the recipe whose pieces would make room."""

    recipe: FillRecipe
    trials: Annotated[int, Field(ge=2, le=12)] = 6
    again: Key | None = None


class Fill(JobKind[FillTrialsAsked]):
    name = "fill"
    summary = (
        "Fill a bay in several ways, in the background. One of them is made by a move of kind fill with its recipe."
    )
    asked = FillTrialsAsked

    def prepare(self, now: Snapshot, asked: FillTrialsAsked, prop: Callable[[str], Prop]) -> Run:
        """Raises Failed where the recipe cannot be placed."""
        pieces = now.dressed.pieces
        bay = now.dressed.regions.get(asked.recipe.bay)
        if bay is None:
            raise Failed("that bay is no longer there; choose another one")
        try:
            recipe = checked_fill(asked.recipe)
        except BadRecipe as problem:
            raise Failed(str(problem)) from None
        props: list[Prop] = []
        for rule in asked.recipe.props:
            if rule.piece is not None and rule.piece in pieces:
                props.append(pieces[rule.piece].prop)
            elif rule.prop is not None:
                props.append(prop(rule.prop))
            else:
                raise Failed("a prop of the recipe is not on the set; choose props of the store")
        own = [p.key for p in pieces.values() if asked.again is not None and p.recipe == asked.again]
        standing = tuple(p for p in pieces.values() if p.key not in set(own))
        # What was moved by hand stands where it is in every one of them, and is said when one is made.
        plain = replace(recipe, exceptions=replace(recipe.exceptions, nudged={}))
        trial = FillTrial(standing, bay, plain, tuple(props), now.dressed.tolerance, now.index.derived)

        def run(job: Job) -> list[Outcome]:
            try:
                found = side_by_side(run_fill_trial, fill_trials(trial, asked.trials), job)
            except NoCluster as problem:
                raise Failed(str(problem)) from None
            ways = [
                outcome_of(replace(recipe, seed=recipe.seed + number), filled, own, seconds)
                for number, (filled, seconds) in enumerate(found)
            ]
            # The fullest first.
            return sorted(ways, key=lambda outcome: (outcome.score, outcome.seed))

        return run

    def adopt(self, job: Job, outcome: Outcome, keys: Container[str] | None, anyway: bool, live: LiveSet) -> Any:
        """Raises Failed: nothing of it is taken over as it is."""
        raise Failed("a filling is made by a move of kind fill, with the recipe of its outcome")


def outcome_of(recipe: FillRecipe, filled: Filled, gone: list[str], seconds: float) -> Outcome:
    """A filling as a proposed change. ``gone``: keys of what it takes the place of."""
    pieces = list(filled.pieces.values())
    return Outcome(
        recipe.seed,
        -filled.density,
        seconds,
        [{"key": p.key, "pose": encode_pose(p.pose)} for p in pieces],
        born=[encode(p) for p in pieces],
        gone=gone,
        recipe=fill_json(recipe),
        words=filled.in_words(),
    )


KIND = Fill()
