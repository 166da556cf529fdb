"""Settle pieces of a set in the background: seen live, adopted or discarded, and nothing else moves."""

import time
import uuid
from collections.abc import Container, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from django.conf import settings

from brickseat.jobs.running import Failed, Job, Lack, Stopped, jobs
from brickseat.sets.session import LiveSet
from brickseat.sets.telling import tell_from_thread
from brickseat.store.contact import kept_shape
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat.store.shelving import shelve
from brickseat_core.contact.index import SceneIndex
from brickseat_core.formats.gltf_build import Surface, main_paint, prop_document
from brickseat_core.formats.gltf_document import GltfDocument
from brickseat_core.gravity import finish as gravity
from brickseat_core.gravity.breaking import HARDER
from brickseat_core.gravity.hand import Pull
from brickseat_core.gravity.pouring import PourSlip, Stream
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, stepping
from brickseat_core.gravity.shapes import SHAPE_KINDS, ContactShape, NoShape
from brickseat_core.gravity.trials import NoCluster, Trial, executor, run_all, trials_of
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.moves.adopt import AdoptMove
from brickseat_core.scene import Piece, Prop, Triple, Vec
from brickseat_core.scene.encoding import encode, encode_pose

PACE = 1.0
"""Simulated seconds a second at most while it is watched: faster is not seen."""


@dataclass(frozen=True)
class Asked:
    """``pour``: what is poured meanwhile, and ``at`` where first. The pieces of ``keys`` are loose. ``boxed``: keys of
    props that fall as their boxes, having no other shape."""

    keys: tuple[str, ...]
    slip: SettleSlip
    trials: int = 1
    pour: PourSlip | None = None
    at: Triple | None = None
    boxed: tuple[str, ...] = ()


@dataclass(frozen=True)
class PourTo:
    """Where the stream goes; None pauses it."""

    to: Vec | None


def start(live: LiveSet, asked: Asked) -> Job:
    """Begin; raises Failed when nothing can be settled."""
    now, wanted = live.snapshot, set(asked.keys)
    pieces = tuple(now.dressed.pieces.values())
    chosen = [p for p in pieces if p.key in wanted and p.movable]
    if not chosen and asked.pour is None:
        raise Failed("nothing that may move is selected; select loose pieces first")
    poured = [p.key for p in asked.pour.props] if asked.pour else []
    needed = {*(piece.prop.key for piece in pieces), *poured}
    stored = {p.key: p for p in StoredProp.objects.filter(key__in=needed)}
    properties = {key: properties_of(prop) for key, prop in stored.items()}

    def run(job: Job) -> list[Settled]:
        try:
            shapes = shapes_of([*(p.prop.key for p in chosen), *poured], asked.boxed, stored, job)
            trial = Trial(pieces, tuple(p.key for p in chosen), asked.slip, shapes, properties, now.dressed.tolerance)
            found = side_by_side(trial, asked.trials, job) if asked.trials > 1 else [watched(trial, asked, job)]
            for settled in found:
                keep_shards(job, settled.pieces, settled.shards)
            return found
        except (NotForGravity, NoCluster) as problem:
            raise Failed(str(problem)) from None
        except gravity.Stopped:
            raise Stopped from None

    def heard(job: Job) -> None:
        tell_from_thread(live.key, {"type": "set.job", "job": job_record(job)})

    return jobs.start(live.key, run, heard)


@dataclass(frozen=True)
class FoundShard:
    """A shard that came of a job: its prop, and the stored prop that it is of."""

    prop: Prop
    of: StoredProp


def keep_shards(job: Job, pieces: Iterable[Piece], shards: Mapping[str, str]) -> None:
    """Shards among ``pieces`` can be asked for from now on, by the keys of their props."""
    fresh = {p.prop.key: p.prop for p in pieces if p.prop.key in shards and p.prop.key not in job.findings}
    kinds = {p.key: p for p in StoredProp.objects.filter(key__in={shards[key] for key in fresh})}
    job.findings.update({key: FoundShard(prop, kinds[shards[key]]) for key, prop in fresh.items()})


def shards_to_adopt(job: Job, pieces: Iterable[Piece]) -> None:
    """Put the shards among ``pieces`` into the store, where they are kept but not shown. Raises FileError.

    They belong to whom the whole belongs: two dressers who break copies of one prop share its shards.
    """
    wanted = {p.prop.key for p in pieces} & job.findings.keys()
    there = set(StoredProp.objects.filter(key__in=wanted).values_list("key", flat=True))
    for key in sorted(wanted - there):
        found: FoundShard = job.findings[key]
        document = shard_document(found)
        whole = found.of
        made = shelve(key, found.prop.name[:200], document, category="shards", owner=whole.owner, listed=False)
        share = (made.volume or 0.0) / whole.volume if whole.volume else 0.0
        StoredProp.objects.filter(pk=made.pk).update(
            material=whole.material,
            mass=whole.mass * share if whole.mass is not None and share else None,
            grip=whole.grip,
            bounce=whole.bounce,
            fall=HARDER * properties_of(whole).bears,
            contact="hull",
        )


def shard_document(found: FoundShard) -> GltfDocument:
    """A shard as a model, in the paint that most of its whole has."""
    paint = main_paint(GltfDocument.open(found.of.path))
    mesh = found.prop.mesh
    # Sharp where it broke: every triangle has corners of its own.
    corners = mesh.vertices[mesh.faces].reshape(-1, 3)
    faces = np.arange(len(corners), dtype=np.int32).reshape(-1, 3)
    return prop_document(found.prop.name, [Surface(paint, corners, faces)])


def shapes_of(
    wanted: Iterable[str], boxed: Container[str], stored: dict[str, StoredProp], job: Job
) -> dict[str, ContactShape]:
    """The shape of every prop that is to fall, by key. Raises Failed, with all that have none."""
    found: dict[str, ContactShape] = {}
    lacking: list[Lack] = []
    keys = list(dict.fromkeys(wanted))
    for number, key in enumerate(keys):
        if not job.tell("making contact shapes", number / len(keys)):
            raise Stopped
        kind = "box" if key in boxed else next((k for k in SHAPE_KINDS if k == stored[key].contact), None)
        try:
            found[key] = kept_shape(stored[key], kind)
        except NoShape as problem:
            lacking.append(Lack(key, stored[key].name, str(problem)))
    if lacking:
        names = " and ".join(lack.name for lack in lacking)
        raise Failed(f"{names} cannot fall without a contact shape: {lacking[0].reason}", tuple(lacking))
    return found


def watched(trial: Trial, asked: Asked, job: Job) -> Settled:
    """One run, every frame of it sent to the open stages as it comes. Raises Stopped."""
    index = SceneIndex(trial.pieces)
    stream = None
    if asked.pour is not None:
        stream = Stream(index, asked.pour, job.key)
        stream.to = np.array(asked.at) if asked.at is not None else None
    run = Run(index, list(trial.keys), trial.slip, trial.shapes, trial.properties, stream)
    starts = [encode_pose(p.pose) for p in run.loose]
    tell_from_thread(
        job.dressed, {"type": "set.job", "job": {**job_record(job), "keys": run.world.keys, "starts": starts}}
    )
    job.tell("easing apart", 0.0)
    run.ease()
    began = time.monotonic()
    told, missed = len(run.loose), 0
    for poses in stepping(run):
        while not job.commands.empty():
            asked_now = job.commands.get()
            if isinstance(asked_now, Pull):
                run.hand.pull(asked_now)
            elif stream is not None:
                stream.to = asked_now.to
        if job.enough.is_set():
            break
        words, done = "settling", run.simulated / trial.slip.seconds
        if stream is not None:
            words, done = f"poured {stream.let_go} of {stream.slip.most}", stream.let_go / stream.slip.most
        if not job.tell(words, 0.9 * min(done, 1.0)):
            raise Stopped
        if len(run.loose) > told or len(run.world.gone) > missed:
            keep_shards(job, run.loose[told:], run.shards)
            joined = [encode(p) for p in run.loose[told:]]
            told, missed = len(run.loose), len(run.world.gone)
            files = {p["prop"]: shard_file(job, p["prop"]) for p in joined if p["prop"] in job.findings}
            cast = {"job": job.key, "joined": joined, "files": files, "gone": run.world.gone}
            tell_from_thread(job.dressed, {"type": "set.cast", "cast": cast})
        tell_from_thread(job.dressed, {"type": "set.frame", "data": poses.astype("<f4").tobytes()})
        ahead = run.simulated / PACE - (time.monotonic() - began)
        if ahead > 0.0:
            time.sleep(ahead)
    return run.end(trial.tolerance, lambda words, share: job.tell(words, 0.9 + 0.1 * share))


def shard_file(job: Job, prop: str) -> str:
    """Where the model of a shard is to be had as long as its job is kept."""
    return f"/api/sets/{job.dressed}/jobs/{job.key}/shards/{prop}.glb"


def command(dressed: uuid.UUID, asked: Pull | PourTo | Literal["enough"]) -> None:
    """What the hand or the stream is to do in the settling that runs on a set; without one it is passed over."""
    job = jobs.running_on(dressed)
    if job is None:
        return
    if asked == "enough":
        job.enough.set()
    else:
        job.commands.put(asked)


def side_by_side(trial: Trial, count: int, job: Job) -> list[Settled]:
    found: dict[int, Settled] = {}
    job.tell(f"0 of {count} trials", 0.0)
    with executor(min(count, 2), settings.CLUSTER) as pool:
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
        "lacking": [{"key": lack.key, "name": lack.name, "reason": lack.reason} for lack in job.lacking],
        "outcomes": [outcome_record(job, s) for s in outcomes],
    }


def outcome_record(job: Job, settled: Settled) -> dict[str, Any]:
    born = [p for p in settled.pieces if p.key in settled.born]
    return {
        "seed": settled.seed,
        "score": settled.score,
        "spread": settled.spread,
        "height": settled.height,
        "seconds": settled.seconds,
        "named": [{"key": k, "reason": r} for k, r in settled.named.items()],
        "born": [encode(p) for p in born],
        "files": {p.prop.key: shard_file(job, p.prop.key) for p in born if p.prop.key in settled.shards},
        "gone": list(settled.gone),
        "whole": [{"name": name, "reason": reason} for name, reason in settled.whole.items()],
        "poses": [{"key": p.key, "pose": encode_pose(p.pose)} for p in settled.pieces],
    }


def adoption(job: Job, trial: int, keys: tuple[str, ...] | None, there: Container[str]) -> AdoptMove:
    """The move that takes over an outcome: all of it, or only the pieces of ``keys``. ``there``: keys on the set.

    What broke is gone as soon as any of its shards is adopted. Raises Failed when there is no such outcome.
    """
    outcomes: list[Settled] = job.outcome or []
    if not 0 <= trial < len(outcomes):
        raise Failed("there is no such outcome to adopt; settle again")
    outcome = outcomes[trial]
    wanted = [p for p in outcome.pieces if keys is None or p.key in keys]
    if not wanted:
        raise Failed("none of the selected pieces was settled; select some that were, or adopt all")
    moved = [p for p in wanted if p.key not in outcome.born and p.key in there]
    born = tuple(p for p in wanted if p.key in outcome.born)
    broken = {outcome.born[p.key] for p in born}
    gone = tuple(k for k in outcome.gone if (keys is None or k in broken) and k in there)
    return AdoptMove("adopt", tuple(p.key for p in moved), tuple(p.pose for p in moved), born, gone)
