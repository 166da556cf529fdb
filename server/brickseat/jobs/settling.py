"""Settle pieces of a set in the background: seen live, adopted or discarded, and nothing else moves."""

import os
import time
import uuid
from collections.abc import Callable, Container, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from brickseat.jobs.keeping import jobs
from brickseat.jobs.running import Cast, Failed, Job, Lack, Phase, Record, Shard
from brickseat.sets.listening import Frame, listeners
from brickseat.sets.news import message
from brickseat.sets.session import LiveSet
from brickseat.store.contact import kept_shape, wanted_kind
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat.store.shelving import shelve
from brickseat.workers import workers
from brickseat_core.budget import Budget, Stopped
from brickseat_core.constraints.bodies import Joined, whole_bodies
from brickseat_core.contact.index import SceneIndex
from brickseat_core.executing import NoCluster, run_all
from brickseat_core.formats.gltf.building import Paint, Surface, main_paint, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.shape_file import settling_shape_apart
from brickseat_core.gravity.breaking import HARDER
from brickseat_core.gravity.finish import FINISHED_FROM
from brickseat_core.gravity.hand import Pull
from brickseat_core.gravity.pouring import PourSlip, Stream
from brickseat_core.gravity.progress import Progress
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, stepping
from brickseat_core.gravity.shapes import ContactShape, NoShape, ShapeKind
from brickseat_core.gravity.trials import Trial, run_trial, trials_of
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.moves.adopt import AdoptMove
from brickseat_core.scene import Piece, Prop, Triple, Vec
from brickseat_core.scene.encoding import decode_piece, decode_pose, encode, encode_pose

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
    now = live.snapshot
    joined = whole_bodies(now.dressed, now.index)
    wanted = {joined.key_of(key) for key in asked.keys}
    pieces = tuple(joined.dressed.pieces.values())
    chosen = [p for p in pieces if p.key in wanted and p.movable]
    if not chosen and asked.pour is None:
        raise Failed("nothing that may move is selected; select loose pieces first")
    poured = [p.key for p in asked.pour.props] if asked.pour else []
    needed = {*(piece.prop.key for piece in pieces), *poured}
    stored = {p.key: p for p in StoredProp.objects.filter(key__in=needed)}
    properties = {key: properties_of(prop) for key, prop in stored.items()}

    def run(job: Job) -> list[Record]:
        try:
            alone = [p.prop.key for p in chosen if p.key not in joined.formations]
            shapes = shapes_of([*alone, *poured], asked.boxed, stored, job)
            bodies = {p.prop.key: p.prop for p in chosen if p.key in joined.formations}
            shapes.update(shapes_of_bodies(bodies, job))
            trial = Trial(
                pieces,
                tuple(p.key for p in chosen),
                asked.slip,
                shapes,
                properties,
                now.dressed.tolerance,
                now.index.derived,
            )
            several = asked.trials > 1
            found = side_by_side(trial, asked.trials, job) if several else [watched(trial, asked, job, joined)]
            for settled in found:
                keep_shards(job, settled.pieces, settled.shards)
            return [outcome_record(job, members_apart(settled, joined)) for settled in found]
        except (NotForGravity, NoCluster) as problem:
            raise Failed(str(problem)) from None

    return jobs.start(live.key, run, lambda job: broadcast_job(live.key, job), "pour" if asked.pour else "settle")


def broadcast_job(dressed: uuid.UUID, job: Job) -> None:
    """Tell the stages of a set how a job of it goes."""
    listeners.broadcast(dressed, message("job", {"job": job_record(job)}))


def keep_shards(job: Job, pieces: Iterable[Piece], shards: Mapping[str, str]) -> None:
    """Shards among ``pieces`` can be asked for from now on, by the keys of their props."""
    fresh = {p.prop.key: p.prop for p in pieces if p.prop.key in shards and p.prop.key not in job.shards}
    wholes = {p.key: p for p in StoredProp.objects.filter(key__in={shards[key] for key in fresh})}
    paints = {key: main_paint(GltfDocument.open(whole.path)) for key, whole in wholes.items()}
    for key, prop in fresh.items():
        whole = shards[key]
        job.shards[key] = Shard(key, prop.name, whole, shard_document(prop, paints[whole]).to_glb())


def shard_document(prop: Prop, paint: Paint) -> GltfDocument:
    """A shard as a model, in the paint that most of its whole has."""
    # Sharp where it broke: every triangle has corners of its own.
    corners = prop.mesh.vertices[prop.mesh.faces].reshape(-1, 3)
    faces = np.arange(len(corners), dtype=np.int32).reshape(-1, 3)
    return prop_document(prop.name, [Surface(paint, corners, faces)])


def shelve_shards(job: Job, keys: Iterable[str]) -> None:
    """Put the shards among the props of ``keys`` into the store, where they are kept but not shown. Raises FileError.

    They belong to whom the whole belongs: two dressers who break copies of one prop share its shards.
    """
    wanted = set(keys) & job.shards.keys()
    there = set(StoredProp.objects.filter(key__in=wanted).values_list("key", flat=True))
    wholes = {p.key: p for p in StoredProp.objects.filter(key__in={job.shards[key].of for key in wanted})}
    for key in sorted(wanted - there):
        shard = job.shards[key]
        whole = wholes.get(shard.of)
        if whole is None:
            raise Failed(f"what {shard.name} is a shard of is gone from the store; settle again")
        document = GltfDocument.parse(shard.data)
        made = shelve(key, shard.name[:200], document, category="shards", owner=whole.owner, listed=False)
        share = (made.volume or 0.0) / whole.volume if whole.volume else 0.0
        StoredProp.objects.filter(pk=made.pk).update(
            material=whole.material,
            mass=whole.mass * share if whole.mass is not None and share else None,
            grip=whole.grip,
            bounce=whole.bounce,
            fall=HARDER * properties_of(whole).bears,
            contact="hull",
        )


def shapes_of(
    wanted: Iterable[str], boxed: Container[str], stored: dict[str, StoredProp], job: Job
) -> dict[str, ContactShape]:
    """The shape of every prop that is to fall, by key. Raises Failed, with all that have none."""
    found: dict[str, ContactShape] = {}
    lacking: list[Lack] = []
    keys = list(dict.fromkeys(wanted))
    for number, key in enumerate(keys):
        if not job.on_progress("making contact shapes", number / len(keys), number, len(keys)):
            raise Stopped
        kind: ShapeKind | None = "box" if key in boxed else wanted_kind(stored[key])
        try:
            found[key] = kept_shape(stored[key], kind, asking(job))
        except NoShape as problem:
            lacking.append(Lack(key, stored[key].name, str(problem)))
    if lacking:
        names = " and ".join(lack.name for lack in lacking)
        raise Failed(f"{names} cannot fall without a contact shape: {lacking[0].reason}", tuple(lacking))
    return found


def shapes_of_bodies(bodies: Mapping[str, Prop], job: Job) -> dict[str, ContactShape]:
    """The shape of each body of joined pieces, by key. Raises NotForGravity, and Stopped."""
    return {key: settling_shape_apart(body, None, asking(job)) for key, body in bodies.items()}


def asking(job: Job) -> Budget:
    """Without an end of its own: whether the job is still wanted."""
    return Budget(on_progress=lambda done, total: not job.stop.is_set())


def members_apart(settled: Settled, joined: Joined) -> Settled:
    """An outcome in terms of the pieces that bodies are made of."""
    pieces: list[Piece] = []
    named = dict(settled.named)
    for piece in settled.pieces:
        formed = joined.formations.get(piece.key)
        pieces += [piece] if formed is None else formed.after(piece)
    for key, formed in joined.formations.items():
        if key in named:
            reason = named.pop(key)
            named.update({m.key: reason for m in formed.members})
    return replace(settled, pieces=tuple(pieces), named=named)


class Rows:
    """The rows of a job's frames: one for every piece that falls, those of a body each with a row of its own."""

    def __init__(self, joined: Joined) -> None:
        self.joined = joined
        self._arms: list[tuple[int, Vec]] = []

    def of(self, loose: Iterable[Piece]) -> list[tuple[str, Record]]:
        """The rows for more pieces that fall, as a cast lists them."""
        found: list[tuple[str, Record]] = []
        for number, piece in enumerate(loose, len({n for n, _ in self._arms})):
            formed = self.joined.formations.get(piece.key)
            for member in (piece,) if formed is None else formed.after(piece):
                found.append((member.key, encode_pose(member.pose)))
                self._arms.append((number, member.pose.origin - piece.pose.origin))
        return found

    def spread(self, poses: Vec) -> Vec:
        """(m, 7) poses of the rows, from (n, 7) poses of what falls: position, and turn since the start."""
        numbers = np.array([n for n, _ in self._arms if n < len(poses)], dtype=np.int64)
        arms = np.array([arm for n, arm in self._arms if n < len(poses)]).reshape(-1, 3)
        found = poses[numbers].copy()
        axis, w = found[:, 3:6], found[:, 6:7]
        # A vector turned by a unit quaternion, without its matrix.
        twice = 2.0 * np.cross(axis, arms)
        found[:, :3] += arms + w * twice + np.cross(axis, twice)
        return found


def watched(trial: Trial, asked: Asked, job: Job, joined: Joined) -> Settled:
    """One run, every frame of it sent to the open stages as it comes. Raises Stopped."""
    index = SceneIndex(trial.pieces, derived=trial.derived)
    rows = Rows(joined)
    stream = None
    if asked.pour is not None:
        stream = Stream(index, asked.pour, job.key)
        stream.to = np.array(asked.at) if asked.at is not None else None
    threads = os.cpu_count() or 1 if asked.slip.hand else 1
    phase: Phase = "easing apart"

    def told(done: int, total: int) -> bool:
        poured = (stream.let_go, stream.slip.most) if stream is not None else (0, 0)
        return job.on_progress(phase, progress.share, *poured)

    progress = Progress(Budget(on_progress=told))
    run = Run(index, list(trial.keys), trial.slip, trial.shapes, trial.properties, stream, threads, progress)
    cast_joins(job, rows.of(run.loose))
    run.ease()
    phase = "pouring" if stream is not None else "settling"
    began = time.monotonic()
    head = bytes.fromhex(job.key)
    shown, missed = len(run.loose), 0
    for poses in stepping(run):
        while not job.commands.empty():
            asked_now = job.commands.get()
            if isinstance(asked_now, Pull):
                keys = tuple(dict.fromkeys(map(joined.key_of, asked_now.keys)))
                run.hand.pull(replace(asked_now, keys=keys))
            elif stream is not None:
                stream.to = asked_now.to
        if job.enough.is_set():
            break
        share = stream.let_go / stream.slip.most if stream is not None else run.simulated / trial.slip.seconds
        progress.reach(FINISHED_FROM * min(1.0, share))
        if len(run.loose) > shown or len(run.world.gone) > missed:
            fresh = run.loose[shown:]
            keep_shards(job, fresh, run.shards)
            shown, missed = len(run.loose), len(run.world.gone)
            cast_joins(
                job,
                rows.of(fresh),
                [encode(p) for p in fresh],
                {p.prop.key: shard_file(job, p.prop.key) for p in fresh if p.prop.key in job.shards},
                list(run.world.gone),
            )
        listeners.broadcast(job.dressed, Frame(job.key, head + rows.spread(poses).astype("<f4").tobytes()))
        ahead = run.simulated / PACE - (time.monotonic() - began)
        if ahead > 0.0:
            time.sleep(ahead)
    phase = "finishing"
    return run.end(trial.tolerance)


def cast_joins(
    job: Job,
    rows: list[tuple[str, Record]],
    joined: list[Record] | None = None,
    files: dict[str, str] | None = None,
    gone: list[str] | None = None,
) -> None:
    """More rows of the frames: key and pose before the fall, and what a stage needs to draw those that are new."""
    first, cast = len(job.cast.keys), job.cast
    keys, starts = [key for key, _ in rows], [pose for _, pose in rows]
    more = Cast(keys, starts, joined or [], files or {}, gone or [])
    # Made anew, not grown: a stage that opens meanwhile reads the old one or the new one.
    job.cast = Cast(
        cast.keys + more.keys,
        cast.starts + more.starts,
        cast.joined + more.joined,
        {**cast.files, **more.files},
        more.gone or cast.gone,
    )
    listeners.broadcast(job.dressed, message("cast", cast_record(job, more, first)))


def cast_record(job: Job, cast: Cast, first: int = 0) -> Record:
    """Who falls in a job, by the rows of its frames from ``first`` on."""
    record = {"job": job.key, "first": first, "keys": cast.keys, "starts": cast.starts}
    return {**record, "joined": cast.joined, "files": cast.files, "gone": cast.gone}


def shard_file(job: Job, prop: str) -> str:
    """Where the model of a shard is to be had as long as its job is kept."""
    return f"/api/sets/{job.dressed}/jobs/{job.key}/shards/{prop}.glb"


def command(dressed: uuid.UUID, key: str, asked: Pull | PourTo | Literal["enough"]) -> None:
    """What the hand or the stream is to do in the job of a key; when that runs no more, it is passed over."""
    job = jobs.running_on(dressed)
    if job is None or job.key != key:
        return
    if asked == "enough":
        job.enough.set()
    else:
        job.commands.put(asked)


def side_by_side(trial: Trial, count: int, job: Job) -> list[Settled]:
    """Several trials at once. Raises Stopped, when no trial runs any more."""
    found: dict[int, Settled] = {}
    job.on_progress("trying", 0.0, 0, count)
    with workers.pool() as pool:
        for number, settled in run_all(run_trial, trials_of(trial, count), pool, job.stop.is_set):
            found[number] = settled
            job.on_progress("trying", len(found) / count, len(found), count)
    if len(found) < count:
        raise Stopped
    return [found[k] for k in sorted(found)]


def job_record(job: Job) -> Record:
    """A job as JSON values, with its outcomes once there are any."""
    return {
        "key": job.key,
        "kind": job.kind,
        "state": job.state,
        "phase": job.phase,
        "count": job.count,
        "total": job.total,
        "share": job.share,
        "problem": job.problem,
        "lacking": [{"key": lack.key, "name": lack.name, "reason": lack.reason} for lack in job.lacking],
        "outcomes": job.outcomes,
    }


def outcome_record(job: Job, settled: Settled) -> Record:
    """What came of a trial, as a proposed change in JSON values."""
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
        "broke": {key: whole for key, whole in settled.born.items() if whole is not None},
        "gone": list(settled.gone),
        "whole": [{"name": name, "reason": reason} for name, reason in settled.whole.items()],
        "poses": [{"key": p.key, "pose": encode_pose(p.pose)} for p in settled.pieces],
        "recipe": None,
        "words": "",
    }


def adoption(
    job: Job, trial: int, keys: tuple[str, ...] | None, there: Container[str], prop: Callable[[str], Prop]
) -> AdoptMove:
    """The move that takes over an outcome: all of it, or only the pieces of ``keys``. ``there``: keys on the set.

    Shards that it needs go into the store, where ``prop`` finds them. What broke is gone as soon as any of its shards is
    adopted. Raises Failed when there is no such outcome, and FileError.
    """
    if not 0 <= trial < len(job.outcomes):
        raise Failed("there is no such outcome to adopt; settle again")
    outcome = job.outcomes[trial]
    if job.kind == "fill":
        raise Failed("a filling is made by a move of kind fill, with the recipe of its outcome")
    fresh = {record["key"]: record for record in outcome["born"]}
    wanted = [(p["key"], decode_pose(p["pose"])) for p in outcome["poses"] if keys is None or p["key"] in keys]
    if not wanted:
        raise Failed("none of the selected pieces was settled; select some that were, or adopt all")
    moved = [(key, pose) for key, pose in wanted if key not in fresh and key in there]
    born = [fresh[key] for key, _ in wanted if key in fresh]
    shelve_shards(job, (record["prop"] for record in born))
    broken = {outcome["broke"].get(record["key"]) for record in born}
    gone = tuple(k for k in outcome["gone"] if (keys is None or k in broken) and k in there)
    try:
        pieces = tuple(decode_piece(record, prop) for record in born)
    except StoredProp.DoesNotExist:
        raise Failed("a prop of what fell is gone from the store; settle again") from None
    return AdoptMove("adopt", tuple(k for k, _ in moved), tuple(pose for _, pose in moved), pieces, gone)
