"""Pieces fall in the background: once and seen live, or several times side by side. Nothing on the set moves meanwhile."""

import os
import time
import uuid
from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from brickseat.jobs.contact_shapes import shapes_of, shapes_of_bodies
from brickseat.jobs.keeping import jobs
from brickseat.jobs.outcome import Outcome, Record
from brickseat.jobs.running import Failed, Job, Phase
from brickseat.jobs.shards import keep_shards, shard_file
from brickseat.jobs.telling import cast_joins
from brickseat.jobs.trials import side_by_side
from brickseat.sets.listening import Frame, listeners
from brickseat.sets.snapshot import Snapshot
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat_core.budget import Budget
from brickseat_core.constraints.bodies import Joined, whole_bodies
from brickseat_core.contact.index import SceneIndex
from brickseat_core.executing import NoCluster
from brickseat_core.gravity.finish import FINISHED_FROM
from brickseat_core.gravity.hand import Pull
from brickseat_core.gravity.pouring import PourSlip, Stream
from brickseat_core.gravity.progress import Progress
from brickseat_core.gravity.settling import Run, Settled, SettleSlip, stepping
from brickseat_core.gravity.trials import Trial, run_trial, trials_of
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.scene import Piece, Triple, Vec
from brickseat_core.scene.encoding import encode, encode_pose

PACE = 1.0
"""Simulated seconds a second at most while it is watched: faster is not seen."""


@dataclass(frozen=True)
class PourTo:
    """Where the stream goes; None pauses it."""

    to: Vec | None


class Fall:
    """What falls on a set as it is ``now``: the pieces of ``keys``, or what is poured, with ``at`` where first.

    ``boxed``: keys of props that fall as their boxes, having no other shape. Raises Failed where nothing can fall.
    """

    def __init__(
        self,
        now: Snapshot,
        slip: SettleSlip,
        boxed: tuple[str, ...],
        keys: tuple[str, ...] = (),
        trials: int = 1,
        pour: PourSlip | None = None,
        at: Triple | None = None,
    ) -> None:
        self.now, self.slip, self.boxed, self.trials, self.pour, self.at = now, slip, boxed, trials, pour, at
        self.joined = whole_bodies(now.dressed, now.index)
        wanted = {self.joined.key_of(key) for key in keys}
        self.pieces = tuple(self.joined.dressed.pieces.values())
        self.chosen = [p for p in self.pieces if p.key in wanted and p.movable]
        if not self.chosen and pour is None:
            raise Failed("nothing that may move is selected; select loose pieces first")

    def run(self, job: Job) -> list[Outcome]:
        """What came of it. Raises Failed and Stopped."""
        try:
            trial = self._trial(job)
            if self.trials > 1:
                found = [settled for settled, _ in side_by_side(run_trial, trials_of(trial, self.trials), job)]
            else:
                found = [self._watched(trial, job)]
            for settled in found:
                keep_shards(job, settled.pieces, settled.shards)
            return [outcome_of(job, members_apart(settled, self.joined), self.now.index) for settled in found]
        except (NotForGravity, NoCluster) as problem:
            raise Failed(str(problem)) from None

    def _trial(self, job: Job) -> Trial:
        """All that is needed to let it happen, contact shapes too. Raises Failed and Stopped."""
        formations = self.joined.formations
        poured = [p.key for p in self.pour.props] if self.pour else []
        needed = {*(piece.prop.key for piece in self.pieces), *poured}
        stored = {p.key: p for p in StoredProp.objects.filter(key__in=needed)}
        alone = [p.prop.key for p in self.chosen if p.key not in formations]
        shapes = shapes_of([*alone, *poured], self.boxed, stored, job)
        shapes.update(shapes_of_bodies({p.prop.key: p.prop for p in self.chosen if p.key in formations}, job))
        properties = {key: properties_of(prop) for key, prop in stored.items()}
        keys, tolerance = tuple(p.key for p in self.chosen), self.now.dressed.tolerance
        return Trial(self.pieces, keys, self.slip, shapes, properties, tolerance, self.now.index.derived)

    def _watched(self, trial: Trial, job: Job) -> Settled:
        """One run, every frame of it sent to the open stages as it comes. Raises Stopped."""
        index = SceneIndex(trial.pieces, derived=trial.derived)
        rows = Rows(self.joined)
        stream = None
        if self.pour is not None:
            stream = Stream(index, self.pour, job.key)
            stream.to = np.array(self.at) if self.at is not None else None
        threads = os.cpu_count() or 1 if self.slip.hand else 1
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
                    keys = tuple(dict.fromkeys(map(self.joined.key_of, asked_now.keys)))
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


def command(dressed: uuid.UUID, key: str, asked: Pull | PourTo | Literal["enough"]) -> None:
    """What the hand or the stream is to do in the job of a key; when that runs no more, it is passed over."""
    job = jobs.running_on(dressed)
    if job is None or job.key != key:
        return
    if asked == "enough":
        job.enough.set()
    else:
        job.commands.put(asked)


def outcome_of(job: Job, settled: Settled, index: SceneIndex) -> Outcome:
    """What came of a trial, as a proposed change."""
    born = [p for p in settled.pieces if p.key in settled.born]
    return Outcome(
        settled.seed,
        settled.score,
        settled.seconds,
        [{"key": p.key, "pose": encode_pose(p.pose)} for p in settled.pieces],
        spread=settled.spread,
        height=settled.height,
        named=[{"key": k, "reason": r} for k, r in settled.named.items()],
        boxes={p.key: np.concatenate(index.box_of(p)).tolist() for p in settled.pieces},
        born=[encode(p) for p in born],
        files={p.prop.key: shard_file(job, p.prop.key) for p in born if p.prop.key in settled.shards},
        broke={key: whole for key, whole in settled.born.items() if whole is not None},
        gone=list(settled.gone),
        whole=[{"name": name, "reason": reason} for name, reason in settled.whole.items()],
    )
