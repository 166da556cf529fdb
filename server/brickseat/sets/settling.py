"""Settle pieces of a set in the background: seen live, adopted or discarded, and nothing else moves."""

import time
import uuid
from dataclasses import dataclass
from typing import Any

from brickseat.jobs.running import Failed, Job, Stopped, jobs
from brickseat.live.pointing import vector
from brickseat.live.session import LiveSet
from brickseat.live.telling import tell_from_thread
from brickseat.sets.records import pose_record
from brickseat.store.contact import kept_shape
from brickseat.store.models import StoredProp
from brickseat_core.contact.index import SceneIndex
from brickseat_core.gravity import finish as gravity
from brickseat_core.gravity.hand import Pull, Strength
from brickseat_core.gravity.materials import MATERIALS, USUAL_MATERIAL
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, stepping
from brickseat_core.gravity.shapes import SHAPE_KINDS, ContactShape, NoShape
from brickseat_core.gravity.trials import Trial, executor, run_all, trials_of
from brickseat_core.gravity.world import NotForGravity, Stuff
from brickseat_core.scene import Piece

PACE = 1.0
"""Simulated seconds a second at most while it is watched: faster is not seen."""


@dataclass(frozen=True)
class Asked:
    keys: tuple[str, ...]
    slip: SettleSlip
    trials: int


def stuff_of(prop: StoredProp) -> Stuff:
    material = MATERIALS.get(prop.material, MATERIALS[USUAL_MATERIAL])
    return Stuff(material, prop.grip, prop.bounce, prop.mass)


def start(live: LiveSet, asked: Asked) -> Job:
    """Begin; raises Failed when nothing can be settled."""
    with live.lock:
        pieces = tuple(live.index.pieces.values())
        chosen = [p for p in pieces if p.key in set(asked.keys) and p.movable]
    if not chosen:
        raise Failed("nothing that may move is selected; select loose pieces first")
    stored = {p.key: p for p in StoredProp.objects.filter(key__in={piece.prop.key for piece in pieces})}
    stuffs = {key: stuff_of(prop) for key, prop in stored.items()}

    def run(job: Job) -> list[Settled]:
        try:
            shapes = shapes_of(chosen, stored, job)
            trial = Trial(pieces, tuple(p.key for p in chosen), asked.slip, shapes, stuffs, live.tolerance)
            return side_by_side(trial, asked.trials, job) if asked.trials > 1 else [watched(trial, job)]
        except NotForGravity as problem:
            raise Failed(str(problem)) from None
        except gravity.Stopped:
            raise Stopped from None

    def heard(job: Job) -> None:
        tell_from_thread(live.key, {"type": "set.job", "job": job_record(job)})

    return jobs.start(live.key, run, heard)


def shapes_of(chosen: list[Piece], stored: dict[str, StoredProp], job: Job) -> dict[str, ContactShape]:
    """The shape of every prop that is to fall, by key. Raises NotForGravity, with the prop named."""
    found: dict[str, ContactShape] = {}
    keys = list(dict.fromkeys(p.prop.key for p in chosen))
    for number, key in enumerate(keys):
        if not job.tell("making contact shapes", number / len(keys)):
            raise Stopped
        kind = next((k for k in SHAPE_KINDS if k == stored[key].contact), None)
        try:
            found[key] = kept_shape(stored[key], kind)
        except NoShape as problem:
            raise NotForGravity(f"{stored[key].name} cannot fall: {problem}; look at it on the bench") from None
    return found


def watched(trial: Trial, job: Job) -> Settled:
    """One run, every frame of it sent to the open stages as it comes."""
    index = SceneIndex(trial.pieces)
    run = Run(index, list(trial.keys), trial.slip, trial.shapes, trial.stuffs)
    starts = [pose_record(p.pose) for p in run.loose]
    tell_from_thread(
        job.dressed, {"type": "set.job", "job": {**job_record(job), "keys": run.world.keys, "starts": starts}}
    )
    job.tell("easing apart", 0.0)
    run.ease()
    began = time.monotonic()
    for poses in stepping(run):
        while not job.commands.empty():
            run.hand.pull(job.commands.get())
        if job.enough.is_set():
            break
        if not job.tell("settling", 0.9 * run.simulated / trial.slip.seconds):
            raise Stopped
        tell_from_thread(job.dressed, {"type": "set.frame", "data": poses.astype("<f4").tobytes()})
        ahead = run.simulated / PACE - (time.monotonic() - began)
        if ahead > 0.0:
            time.sleep(ahead)
    return run.end(trial.tolerance, lambda words, share: job.tell(words, 0.9 + 0.1 * share))


def shove(dressed: uuid.UUID, asked: Any) -> None:
    """A message of the hand to the settling that runs on a set: pull, let go, or enough. Others are passed over."""
    job = jobs.running_on(dressed)
    if job is None or not isinstance(asked, dict):
        return
    if asked.get("enough") is True:
        job.enough.set()
        return
    keys, to = asked.get("keys"), asked.get("to")
    strength: Strength = "soft" if asked.get("strength") == "soft" else "firm"
    if isinstance(keys, list) and all(isinstance(k, str) for k in keys):
        place = vector(to, "to") if to is not None else None
        job.commands.put(Pull(tuple(keys), place, strength))


def side_by_side(trial: Trial, count: int, job: Job) -> list[Settled]:
    found: dict[int, Settled] = {}
    job.tell(f"0 of {count} trials", 0.0)
    with executor(min(count, 2)) as pool:
        for number, settled in run_all(trials_of(trial, count), pool, job.stop.is_set):
            found[number] = settled
            job.tell(f"{len(found)} of {count} trials", len(found) / count)
    if len(found) < count:
        raise Stopped
    return [found[k] for k in sorted(found)]


def job_record(job: Job) -> dict[str, Any]:
    """A job as JSON values, with its outcomes once there are any."""
    outcomes: list[Settled] = job.outcome or []
    return {
        "key": job.key,
        "state": job.state,
        "words": job.words,
        "share": job.share,
        "problem": job.problem,
        "outcomes": [outcome_record(s) for s in outcomes],
    }


def outcome_record(settled: Settled) -> dict[str, Any]:
    return {
        "seed": settled.seed,
        "score": settled.score,
        "spread": settled.spread,
        "height": settled.height,
        "seconds": settled.seconds,
        "named": [{"key": k, "reason": r} for k, r in settled.named.items()],
        "poses": [{"key": p.key, "pose": pose_record(p.pose)} for p in settled.pieces],
    }


def chosen_pieces(job: Job, trial: int, keys: tuple[str, ...] | None) -> list[Piece]:
    """The pieces of an outcome that are adopted. Raises Failed when there is no such outcome."""
    outcomes: list[Settled] = job.outcome or []
    if not 0 <= trial < len(outcomes):
        raise Failed("there is no such outcome to adopt; settle again")
    found = [p for p in outcomes[trial].pieces if keys is None or p.key in keys]
    if not found:
        raise Failed("none of the selected pieces was settled; select some that were, or adopt all")
    return found
