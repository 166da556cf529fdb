"""Settle: let gravity act on loose pieces among fixed ones until they lie still, then finish every contact exactly.

A run is a generator of steps, so that the one who watches sets the pace and may stop it; the same seed gives the same
outcome, bit for bit on one machine.
"""

import os
import time
from collections.abc import Iterable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace

import numpy as np

from brickseat_core.contact.index import SceneIndex, frame_along
from brickseat_core.contact.retreat import first_window
from brickseat_core.gravity.finish import Stopped, Told, finish, rebuilt, swept
from brickseat_core.gravity.hand import Hand
from brickseat_core.gravity.shapes import ContactShape, NoShape, ShapeKind, settling_shape
from brickseat_core.gravity.world import EASE, RELAX, SETTLE, NotForGravity, Settings, Stuff, World, calmed, pose_after
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Vec, rotation_about
from brickseat_core.tolerances import SEATED_TOLERANCE

LEAST_OVERLAP = 5e-4
"""Metres that shapes may be inside each other at the start; more is eased apart first."""
MOST_EASING = 240
MOST_PARTING, PARTED = 3.0, 1e-3
"""Metres a piece is raised at most out of what it starts in, and how far it is then kept off."""
QUIET_SHARE, QUIET_TRAVEL, QUIET_SECONDS = 0.98, 2e-3, 0.5
"""It lies still when so many have moved less than so far (m) within so long (s): in a heap something always rocks."""
CALM_AFTER = 2.5
"""Seconds after which the fall is over and what still rolls is slowed, more and more."""
RELAX_STEPS = 20
UNSEEN_DROP, MOST_RETURNS, RETURN_SECONDS, RETURN_DAMPING = 0.005, 2, 0.8, (2.0, 4.0)
"""Metres of an exact drop that need no further thought; how often, how long and how calmly gravity acts again."""
BELOW = 1.0
"""Metres under everything that stands there: what gets so far down has left the set."""
MOST_RESCUES = 3
FRAME_SECONDS = 1.0 / 30.0
FRAMES_KEPT = 120
"""Of a shove, which may go on for long, when its motion is not wanted."""


@dataclass(frozen=True)
class SettleSlip:
    """``lift``: metres everything is raised first; ``jitter``: metres and radians of chance put on each piece, by
    ``seed``. ``calm``: 0 as things fall, 1 as if in honey. ``seconds``: simulated at most. ``motion``: keep it.
    ``hand``: somebody shoves, and it goes on although all lie still."""

    lift: float = 0.0
    jitter: float = 0.0
    seed: int = 0
    calm: float = 0.3
    seconds: float = 8.0
    motion: bool = False
    hand: bool = False


@dataclass(frozen=True)
class Motion:
    """A run as it went, the exact end last: ``times`` (f,) in seconds, and the poses of each piece, by key."""

    times: Vec
    poses: Mapping[str, tuple[Pose, ...]]


@dataclass(frozen=True)
class Settled:
    """What came of a run: the ``pieces`` where they lie, those ``named`` with what is still wrong, by key, and figures.

    ``spread``: metres of the pieces' middles from their common one, on the level; ``height``: of the highest point
    above the lowest.
    """

    seed: int
    pieces: tuple[Piece, ...]
    named: Mapping[str, str]
    spread: float
    height: float
    seconds: float
    simulated: float
    motion: Motion | None = field(default=None, compare=False)

    @property
    def score(self) -> float:
        """Fewer faults first, then the lower and closer heap: the smaller the better."""
        return 1000.0 * len(self.named) + self.height + self.spread


def shapes_for(
    props: Mapping[str, Prop], kinds: Mapping[str, ShapeKind] | None = None, told: Told | None = None
) -> dict[str, ContactShape]:
    """A contact shape of each prop, of its wanted kind where there is one.

    Raises NotForGravity, with the prop named, where none can be made, and Stopped when ``told`` says so.
    """
    wanted = kinds or {}

    def made(key: str) -> ContactShape:
        try:
            return settling_shape(props[key].mesh, wanted.get(key))
        except NoShape as problem:
            raise NotForGravity(f"{props[key].name} cannot fall: {problem}") from None

    out: dict[str, ContactShape] = {}
    with ThreadPoolExecutor(max_workers=max(1, os.cpu_count() or 1)) as pool:
        for number, (key, shape) in enumerate(zip(props, pool.map(made, props), strict=True)):
            out[key] = shape
            if told is not None and not told("making contact shapes", number / len(props)):
                pool.shutdown(cancel_futures=True)
                raise Stopped
    return out


class Run:
    """A settling under way. ``advance`` makes it go on; ``end`` finishes it exactly."""

    def __init__(
        self,
        index: SceneIndex,
        keys: list[str],
        slip: SettleSlip,
        shapes: Mapping[str, ContactShape],
        stuffs: Mapping[str, Stuff] | None = None,
    ) -> None:
        self.index = index
        self.slip = slip
        self.started = time.perf_counter()
        self.before = [index.pieces[k] for k in sorted(keys)]
        self.loose = parted(index, jittered(self.before, slip))
        chosen = {p.key for p in self.loose}
        self.fixed = [p for p in index.pieces.values() if p.key not in chosen]
        self.two_sided = frozenset(p.key for p in self.fixed if index.placed.sense[index.row[p.key]] == 0.0)
        self.shapes, self.stuffs = shapes, stuffs or {}
        self.settings = calmed(SETTLE, slip.calm)
        self.world = self._world(self.loose, self.settings)
        lows = [p.world_box()[0][1] for p in (*self.fixed, *self.loose)]
        self.floor = min(lows) - BELOW
        self.rescues = dict.fromkeys(self.world.keys, 0)
        self.named: dict[str, str] = {}
        self.simulated = 0.0
        self.times: list[float] = [0.0]
        self.frames: list[Vec] = [self.world.poses()]
        self.quiet = False
        self.hand = Hand(self.world)

    def _world(self, pieces: list[Piece], settings: Settings) -> World:
        return World(pieces, self.fixed, self.shapes, self.stuffs, settings, self.two_sided)

    def ease(self) -> int:
        """Bring shapes that start inside each other apart, gently; returns how many steps that took."""
        if not self.world.overlaps(LEAST_OVERLAP):
            return 0
        self.world.change(EASE)
        steps = 0
        while steps < MOST_EASING:
            for _ in range(12):
                self.world.step()
            steps += 12
            if not self.world.overlaps(LEAST_OVERLAP):
                break
        self.world.change(self.settings)
        return steps

    def advance(self, seconds: float = FRAME_SECONDS) -> Vec:
        """Go on by so much simulated time; returns (n, 7) poses, as ``World.poses`` gives them."""
        for _ in range(max(1, round(seconds / self.settings.dt))):
            self.hand.act()
            self.world.step()
            self.simulated += self.settings.dt
        now = self.world.poses()
        self._rescue(now)
        self.times.append(self.simulated)
        self.frames.append(now)
        if self.slip.hand and not self.slip.motion and len(self.frames) > FRAMES_KEPT:
            del self.times[0], self.frames[0]
        self._judge()
        return now

    def _rescue(self, now: Vec) -> None:
        for number in np.flatnonzero((now[:, 1] < self.floor) | ~np.isfinite(now).all(axis=1)):
            key = self.world.keys[number]
            self.rescues[key] += 1
            # Back to where it began, and higher each time; after the last time it stays there, held.
            start = self.loose[number].pose.origin
            self.world.put(int(number), start + np.array([0.0, 0.05 * self.rescues[key], 0.0]))
            if self.rescues[key] > MOST_RESCUES:
                self.world.hold(int(number))
                self.named[key] = "fell out of the set again and again; it was put back to where it began"

    def _judge(self) -> None:
        back = len(self.times) - 1
        while back > 0 and self.times[-1] - self.times[back] < QUIET_SECONDS:
            back -= 1
        if self.times[-1] >= QUIET_SECONDS:
            moved = np.linalg.norm(self.frames[-1][:, :3] - self.frames[back][:, :3], axis=1)
            self.quiet = float((moved < QUIET_TRAVEL).mean()) >= QUIET_SHARE
        late = self.simulated - CALM_AFTER
        if late > 0.0 and not self.slip.hand:
            linear, angular = self.settings.damping
            self.world.damp(linear + 0.5 * late, angular + 1.5 * late)

    @property
    def over(self) -> bool:
        return (self.quiet and not self.slip.hand) or self.simulated >= self.slip.seconds

    def relaxed(self, world: World) -> list[Piece]:
        """The pieces after a short, stiff and slow second run, which takes most of what is left of overlaps."""
        again = self._world(world.placed(), RELAX)
        for _ in range(RELAX_STEPS):
            again.step()
        return again.placed()

    def end(self, tolerance: float = SEATED_TOLERANCE, told: Told | None = None) -> Settled:
        """Finish exactly on the true meshes. The index is left as it was."""
        lying = self.relaxed(self.world)
        for _ in range(MOST_RETURNS):
            # What was held by friction alone falls when it is dropped exactly: gravity then has to act once more.
            dropped = dropped_exactly(self.index, lying)
            if farthest(lying, dropped) < UNSEEN_DROP:
                break
            again = self._world(dropped, self.settings)
            again.damp(*RETURN_DAMPING)
            for _ in range(round(RETURN_SECONDS / self.settings.dt)):
                again.step()
            lying = self.relaxed(again)
        # What fell out again and again lies where it began.
        lying = [start if p.key in self.named else p for start, p in zip(self.loose, lying, strict=True)]
        done = finish(self.index, lying, tolerance, told)
        middles = np.array([0.5 * (p.world_box()[0] + p.world_box()[1]) for p in done.pieces])
        apart = middles[:, [0, 2]] - middles[:, [0, 2]].mean(axis=0)
        tops = [p.world_box()[1][1] for p in done.pieces]
        lows = [p.world_box()[0][1] for p in done.pieces]
        motion = self.motion(done.pieces) if self.slip.motion else None
        return Settled(
            self.slip.seed,
            done.pieces,
            {**done.named, **self.named},
            float(np.sqrt((apart**2).sum(axis=1).mean())),
            float(max(tops) - min(lows)),
            time.perf_counter() - self.started,
            self.simulated,
            motion,
        )

    def motion(self, ends: Iterable[Piece]) -> Motion:
        """What was seen, and then ``ends``."""
        poses = {
            piece.key: tuple(pose_after(piece.pose, frame[number]) for frame in self.frames)
            for number, piece in enumerate(self.loose)
        }
        for end in ends:
            poses[end.key] = (*poses[end.key], end.pose)
        return Motion(np.array([*self.times, self.times[-1] + FRAME_SECONDS]), poses)


def settle(
    index: SceneIndex,
    keys: list[str],
    slip: SettleSlip,
    shapes: Mapping[str, ContactShape],
    stuffs: Mapping[str, Stuff] | None = None,
    tolerance: float = SEATED_TOLERANCE,
    told: Told | None = None,
) -> Settled:
    """The whole chain for the pieces of ``keys``: ease apart, settle, relax, finish. The index is left as it was.

    Raises NotForGravity before anything moves, and Stopped when ``told`` says so.
    """
    if not keys:
        raise NotForGravity("nothing is chosen to settle; choose loose pieces first")
    run = Run(index, keys, slip, shapes, stuffs)
    run.ease()
    for _ in stepping(run):
        if told is not None and not told("settling", min(0.99, run.simulated / slip.seconds)):
            raise Stopped
    return run.end(tolerance, told)


def stepping(run: Run) -> Iterator[Vec]:
    """Frame after frame until it is over."""
    while not run.over:
        yield run.advance()


def dropped_exactly(index: SceneIndex, pieces: list[Piece]) -> list[Piece]:
    """One sweep of exact drops, bottom up. The index is left as it was."""
    before = [index.pieces[p.key] for p in pieces]
    at = {p.key: p for p in pieces}
    try:
        rebuilt(index, at)
        swept(index, at, at)
        return [at[p.key] for p in pieces]
    finally:
        for piece in before:
            index.put(piece)


def farthest(before: list[Piece], after: list[Piece]) -> float:
    """Metres of the farthest movement."""
    return max(float(np.abs(a.pose.origin - b.pose.origin).max()) for a, b in zip(before, after, strict=True))


def parted(index: SceneIndex, pieces: list[Piece]) -> list[Piece]:
    """The pieces with those that start inside others raised, from the lowest up, to the first height where they are free.

    On the true meshes: shapes locked into each other are never parted by an engine that knows only their overlaps.
    """
    out = {p.key: p for p in pieces}
    before = {p.key: index.pieces[p.key] for p in pieces}
    for piece in pieces:
        index.remove(piece.key)
    try:
        for piece in sorted(pieces, key=lambda p: (float(p.world_box()[0][1]), p.key)):
            upright = replace(piece, direction=DOWN)
            mover = index.mover(piece.prop.mesh, piece.pose, frame_along(np.array(DOWN)))
            near = index.near(mover, piece.pose.origin)
            probes = piece.pose.apply(piece.prop.mesh.probes)
            lift = first_window(index, mover, near, probes, limit=MOST_PARTING)
            if lift:
                upright = upright.at(piece.pose.moved(np.array([0.0, lift + PARTED, 0.0])))
                out[piece.key] = piece.at(upright.pose)
            index.put(upright)
    finally:
        for piece in before.values():
            index.put(piece)
    return [out[p.key] for p in pieces]


def jittered(pieces: list[Piece], slip: SettleSlip) -> list[Piece]:
    """The pieces lifted, and each turned and moved a little by chance."""
    rng = np.random.default_rng(slip.seed)
    out = []
    for piece in pieces:
        shift = rng.uniform(-1.0, 1.0, 3) * slip.jitter
        axis = rng.normal(size=3)
        angle = float(rng.uniform(-1.0, 1.0)) * min(1.0, 4.0 * slip.jitter)
        pose = piece.pose.moved(shift + np.array([0.0, slip.lift + slip.jitter, 0.0]))
        if angle:
            turn = rotation_about(axis / np.linalg.norm(axis), angle)
            pose = replace(pose, basis=tuple(float(v) for v in (turn @ pose.linear).ravel()))
        out.append(piece.at(pose))
    return out
