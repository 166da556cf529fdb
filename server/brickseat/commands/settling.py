"""Settle: gravity acts on loose pieces, and every contact is finished exactly."""

import os
from collections.abc import Mapping, Sequence
from fnmatch import fnmatchcase
from functools import partial
from pathlib import Path

from brickseat.commands.files import name_moved_apart, open_set, save, store_moved
from brickseat.commands.given import Given
from brickseat.commands.output import complain, print_json, progress
from brickseat.exit_codes import DONE, FAULTS
from brickseat_core.constraints.bodies import Joined, whole_bodies
from brickseat_core.constraints.indexing import index_of
from brickseat_core.executing import NoCluster, cluster_of, executor, run_all
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.motion import animate
from brickseat_core.formats.settle_extras import properties_and_kinds
from brickseat_core.geometry.lengths import in_words
from brickseat_core.gravity.settling import Settled, SettleSlip, shapes_for
from brickseat_core.gravity.trials import Trial, run_trial, trials_of
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.scene import Pose


def run_settle(given: Given, output: Path, slip: SettleSlip, trials: int, only: Sequence[str]) -> int:
    """Let loose pieces fall, keep the best of the trials. Raises FileError."""
    found = open_set(given)
    index = index_of(found.dressed)
    joined = whole_bodies(found.dressed, index)
    pieces = tuple(joined.dressed.pieces.values())
    chosen = [
        p
        for p in pieces
        if p.movable and (any(fnmatchcase(p.name, g) for g in only) if only else p.direction[1] < -0.5)
    ]
    if not chosen:
        named = f" named {' or '.join(only)}" if only else ""
        raise FileError(f"{given.set}: no piece that may move{named} stands by gravity; see brickseat check")
    properties, kinds = properties_and_kinds(found)
    try:
        shapes = shapes_for({p.prop.key: p.prop for p in chosen}, kinds)
        keys = tuple(p.key for p in chosen)
        trial = Trial(pieces, keys, slip, shapes, properties, given.tolerance, index.derived)
        outcomes = [run_trial(trial)] if trials == 1 else side_by_side(trial, trials, given.quiet)
    except NotForGravity as error:
        raise FileError(f"{given.set}: {error}") from None
    except NoCluster as error:
        raise FileError(str(error)) from None
    best = min(outcomes, key=lambda s: (s.score, s.seed))
    if best.motion is not None:
        still = animate(found, best.motion.times, member_paths(joined, best.motion.poses))
        names = (found.dressed.pieces[key].name for key in still)
        complain((f"{name}: drawn by instancing, so its motion is not kept" for name in names), given.quiet)
    after = store_moved(found, index, joined, best.pieces)
    save(found.document, output)
    name_moved_apart(found, after, given.quiet)
    left = [(joined.dressed.pieces[key].name, reason) for key, reason in sorted(best.named.items())]
    if given.as_json:
        records = [trial_record(settled) for settled in outcomes]
        named_left = [{"name": name, "reason": reason} for name, reason in left]
        print_json({"trials": records, "kept_seed": best.seed, "left": named_left})
    elif not given.quiet:
        print_outcomes(outcomes, best, left)
    return FAULTS if given.strict and left else DONE


def side_by_side(trial: Trial, count: int, quiet: bool) -> list[Settled]:
    """The outcomes of so many seeds, in their order, on all cores or on a cluster."""
    outcomes: dict[int, Settled] = {}
    open_pool = cluster_of(os.environ) or partial(executor, min(count, os.cpu_count() or 1))
    with progress("trials", quiet) as on_progress, open_pool() as pool:
        for number, settled in run_all(run_trial, trials_of(trial, count), pool):
            outcomes[number] = settled
            on_progress(len(outcomes), count)
    return [settled for _, settled in sorted(outcomes.items())]


def trial_record(settled: Settled) -> dict[str, float | int]:
    """What one trial came to, as JSON values."""
    return {
        "seed": settled.seed,
        "settled": len(settled.pieces),
        "simulated_s": settled.simulated,
        "spread_m": settled.spread,
        "height_m": settled.height,
        "faults": len(settled.named),
    }


def print_outcomes(outcomes: Sequence[Settled], best: Settled, left: Sequence[tuple[str, str]]) -> None:
    """The same for a person."""
    for settled in outcomes:
        print(
            f"seed {settled.seed}: {len(settled.pieces)} settled in {settled.simulated:.1f} s, spread "
            f"{in_words(settled.spread)}, height {in_words(settled.height)}, {len(settled.named)} with faults"
        )
    if len(outcomes) > 1:
        print(f"kept seed {best.seed}")
    for name, reason in left:
        print(f"{name}: {reason}")


def member_paths(joined: Joined, paths: Mapping[str, Sequence[Pose]]) -> dict[str, Sequence[Pose]]:
    """The way of every piece, those of a body carried along with it."""
    found: dict[str, Sequence[Pose]] = {}
    for key, path in paths.items():
        formed = joined.formations.get(key)
        if formed is None:
            found[key] = path
            continue
        steps = [formed.after(formed.body.at(pose)) for pose in path]
        found.update({m.key: [step[i].pose for step in steps] for i, m in enumerate(formed.members)})
    return found
