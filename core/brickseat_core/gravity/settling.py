"""Settle: let gravity act on loose pieces among fixed ones until they lie still, then finish every contact exactly.

A run is a generator of steps, so that the one who watches sets the pace and may stop it; the same seed gives the same
outcome, bit for bit on one machine.
"""

import time
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from brickseat_core.budget import UNLIMITED, Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import check, side_by_side
from brickseat_core.gravity.breaking import Blows, shattered
from brickseat_core.gravity.finish import (
    FINISHED_FROM,
    Finished,
    finish,
    measured,
    toppled,
    with_pieces,
)
from brickseat_core.gravity.hand import Hand
from brickseat_core.gravity.pouring import Stream
from brickseat_core.gravity.progress import Progress
from brickseat_core.gravity.shapes import ContactShape, NoShape, ShapeKind, settling_shape
from brickseat_core.gravity.shards import Unbreakable
from brickseat_core.gravity.starting import back_on_their_side, jittered, parted
from brickseat_core.gravity.world import (
    EASE,
    RELAX,
    SETTLE,
    STRIKE,
    EngineShapes,
    NotForGravity,
    PhysicalProperties,
    Settings,
    World,
    calmed,
    pose_after,
)
from brickseat_core.scene import DOWN, Piece, Pose, Prop, Vec
from brickseat_core.tolerances import SEATED_TOLERANCE

LEAST_OVERLAP = 5e-4
"""Metres that shapes may be inside each other at the start; more is eased apart first."""
MOST_EASING = 120
LOCKED, RISE, MOST_RISES = 3e-3, 0.02, 40
"""Metres that shapes may still be inside each other then; what is deeper in is raised by so many, so many times at most."""
QUIET_SHARE, QUIET_TRAVEL, QUIET_SECONDS = 0.95, 2e-3, 0.5
"""It lies still when so many have moved less than so far (m) within so long (s): in a heap something always rocks."""
CALM_AFTER, PATIENCE = 2.5, 2.0
"""Seconds after which the fall is over: what still rolls is slowed, more and more, and what creeps counts as lying, so many
times as far more for each second: the finish holds it where it is."""
MOST_FINE = 150
"""Loose pieces under a hand that may have the shapes to lie with from the start and still be stepped within a frame."""
LEAST_LYING, LYING_STEPS = 0.1, 30
"""Seconds for which things lie with those shapes before it is over; steps for what did not come to lie by itself."""
RELAX_STEPS = 20
FALL_CAP, FALL_DAMPING, FALL_REACH = 1.5, (2.0, 4.0), 0.6
STILL_STEPS, STILL_TRAVEL = 10, 5e-4
"""How fast (m/s), how calmly and how far (m) things may roll when gravity acts once more; it is over when in so many
steps nothing goes so far (m)."""
MOST_LAST_FALLS, LAST_FALL_SECONDS, LAST_LIFT = 5, 1.0, 0.01
"""How often, and how long each time, gravity acts on the few alone that do not stand when all is finished; metres that
they are raised, shaken, when it does not help."""
BELOW = 1.0
"""Metres under everything that stands there: what gets so far down has left the set."""
MOST_RESCUES = 3
FALLING_SPEED = 0.3
"""Metres a second from which a poured piece is still on its way."""
TENDER_SECONDS = 0.1
"""Shards part from each other for so long, and do not break by that."""
FRAME_SECONDS = 1.0 / 30.0
FRAMES_KEPT = 120
"""When its motion is not wanted: a shove or a pour may go on for long."""


@dataclass(frozen=True)
class SettleSlip:
    """``lift``: metres everything is raised first; ``jitter``: metres and radians of chance put on each piece, by
    ``seed``. ``calm``: 0 as things fall, 1 as if in honey. ``seconds``: simulated at most. ``motion``: keep it.
    ``hand``: somebody shoves or pours, and it goes on although all lie still. ``breaks``: metres of the smallest shard
    that things break into when they are struck harder than they bear; None when nothing breaks."""

    lift: float = 0.0
    jitter: float = 0.0
    seed: int = 0
    calm: float = 0.3
    seconds: float = 8.0
    motion: bool = False
    hand: bool = False
    breaks: float | None = None


@dataclass(frozen=True)
class Motion:
    """A run as it went, the exact end last: ``times`` (f,) in seconds, and the poses of each piece, by key."""

    times: Vec
    poses: Mapping[str, tuple[Pose, ...]]


@dataclass(frozen=True)
class Settled:
    """What came of a run: the ``pieces`` where they lie, those ``named`` with what is still wrong, by key, and figures. Named are others, too,
    that did not fall and lost what carried them.

    ``spread``: metres of the pieces' middles from their common one, on the level; ``height``: of the highest point
    above the lowest. ``born``: the pieces that are new, by key: None for what was poured, and for a shard the key of the
    piece that it is of in the end. ``gone``: keys of what broke. ``shards``: the prop that each shard's prop is of, by
    key. ``whole``: names of what would have broken but cannot, and why.
    """

    seed: int
    pieces: tuple[Piece, ...]
    named: Mapping[str, str]
    spread: float
    height: float
    seconds: float
    simulated: float
    motion: Motion | None = field(default=None, compare=False)
    born: Mapping[str, str | None] = field(default_factory=dict)
    gone: tuple[str, ...] = ()
    shards: Mapping[str, str] = field(default_factory=dict)
    whole: Mapping[str, str] = field(default_factory=dict)

    @property
    def score(self) -> float:
        """Fewer faults first, then the lower and closer heap: the smaller the better."""
        return 1000.0 * len(self.named) + self.height + self.spread


def shapes_for(
    props: Mapping[str, Prop], kinds: Mapping[str, ShapeKind] | None = None, budget: Budget = UNLIMITED
) -> dict[str, ContactShape]:
    """A contact shape of each prop, of its wanted kind where there is one.

    Raises NotForGravity, with the prop named, where none can be made, and GivenUp where the budget says so.
    """
    wanted = kinds or {}

    def made(key: str) -> ContactShape:
        try:
            return settling_shape(props[key].mesh, wanted.get(key))
        except NoShape as problem:
            raise NotForGravity(f"{props[key].name} cannot fall: {problem}") from None

    out: dict[str, ContactShape] = {}
    budget.check(0, len(props))
    with side_by_side(len(props), 1) as each:
        for key, shape in zip(props, each(made, props), strict=True):
            out[key] = shape
            budget.check(len(out), len(props))
    return out


class Run:
    """A settling under way. ``advance`` makes it go on; ``end`` finishes it exactly."""

    def __init__(
        self,
        index: SceneIndex,
        keys: list[str],
        slip: SettleSlip,
        shapes: Mapping[str, ContactShape],
        properties: Mapping[str, PhysicalProperties] | None = None,
        stream: Stream | None = None,
        threads: int = 1,
        progress: Progress | None = None,
    ) -> None:
        """``stream``: what is poured meanwhile; its props have shapes among ``shapes``. ``threads``: as in ``World``; they make a heap
        under a hand half as quick again, and gain nothing where things fall by themselves. ``progress``: told while it goes on. Raises NotForGravity, and
        GivenUp where the budget says so, as do ``ease``, ``advance`` and ``end``."""
        self.threads = threads
        self.progress = progress or Progress()
        self.index = index
        self.slip = slip
        self.started = time.perf_counter()
        # What falls lands: it is seated downwards from then on, and no longer kept off anything.
        self.before = [replace(index.pieces[k], direction=DOWN, stand_off=0.0) for k in sorted(keys)]
        self.loose = parted(index, jittered(self.before, slip.lift, slip.jitter, slip.seed), self.progress)
        chosen = {p.key for p in self.loose}
        self.fixed = [p for p in index.pieces.values() if p.key not in chosen]
        self.two_sided = frozenset(p.key for p in self.fixed if index.placed.sense[index.row[p.key]] == 0.0)
        self.shapes, self.properties = dict(shapes), dict(properties or {})
        self.stream = stream
        self.made = EngineShapes()
        self.settings = calmed(SETTLE if slip.breaks is None else STRIKE, slip.calm)
        self.falling = {key: shape.falling for key, shape in self.shapes.items()}
        self.light_until = np.inf
        self.world = self._world(self.loose, self.settings, shapes=self.falling)
        lows = [self.index.box_of(p)[0][1] for p in (*self.fixed, *self.loose)]
        self.floor = min(lows, default=0.0) - BELOW
        self.rescues: Counter[str] = Counter()
        self.named: dict[str, str] = {}
        self.born: dict[str, str | None] = {}
        self.gone: list[str] = []
        self.shards: dict[str, str] = {}
        self.joined = 0.0
        self.whole: dict[str, str] = {}
        self.tender: dict[int, float] = {}
        self.blows = Blows(self.world)
        self.strengths = {n: s for n in range(len(self.loose)) if (s := self._strength(n)) < np.inf}
        self.simulated = 0.0
        self.times: list[float] = [0.0]
        self.frames: list[Vec] = [self.world.poses()]
        self.quiet = False
        self.hand = Hand(self.world)

    def _world(
        self,
        pieces: list[Piece],
        settings: Settings,
        reach: float | None = None,
        lying: Iterable[Piece] = (),
        shapes: Mapping[str, ContactShape] | None = None,
    ) -> World:
        """``reach``: metres that nothing will travel aside or up; None when that is not known. ``lying``: pieces that
        are fixed besides. ``shapes``: other contact shapes than those to lie with."""
        region = None
        if reach is not None and pieces:
            boxes = np.array([self.index.box_of(p) for p in pieces])
            region = (boxes[:, 0].min(axis=0) - reach, boxes[:, 1].max(axis=0) + reach)
            region[0][1] = -np.inf
        return World(
            pieces,
            self.fixed,
            self.shapes if shapes is None else shapes,
            self.properties,
            settings,
            self.two_sided,
            region,
            self.made,
            lying,
            self.index.mesh_of,
            self.threads,
            self.progress.look,
        )

    def _strength(self, number: int) -> float:
        if self.slip.breaks is None:
            return np.inf
        return self.properties.get(self.world.pieces[number].prop.key, PhysicalProperties()).strength

    def ease(self) -> int:
        """Bring shapes that start inside each other apart, gently; returns how many steps that took."""
        met = {key for pair in self.world.overlaps(LEAST_OVERLAP) for key in pair}
        if not met:
            return 0
        if len(self.loose) <= MOST_FINE or not self.slip.hand:
            # What is in touch already lies: it is not pushed apart by what light shapes stand out.
            self.world.wear(self.shapes, [n for n, key in enumerate(self.world.keys) if key in met])
        self.world.change(EASE)
        steps = 0
        while steps < MOST_EASING:
            for _ in range(12):
                self.progress.look()
                self.world.step()
            steps += 12
            if not self.world.overlaps(LEAST_OVERLAP):
                break
        else:
            self._unlock()
        self.world.change(self.settings)
        return steps

    def _unlock(self) -> None:
        """Raise what cannot be eased out: it is free on its true mesh, but inside a hollow that a contact shape fills."""
        number = {k: n for n, k in enumerate(self.world.keys)}
        for _ in range(MOST_RISES):
            locked = self.world.overlaps(LOCKED)
            if not locked:
                break
            places = {k: self.world.place(number[k])[1] for pair in locked for k in pair if k in number}
            for key in sorted({max((k for k in pair if k in places), key=lambda k: (places[k], k)) for pair in locked}):
                self.world.lift(number[key], RISE)

    def advance(self, seconds: float = FRAME_SECONDS) -> Vec:
        """Go on by so much simulated time; returns (n, 7) poses, as ``World.poses`` gives them."""
        if self.stream is not None:
            self._pour(self.stream, seconds)
        for _ in range(max(1, round(seconds / self.settings.dt))):
            self.progress.look()
            self.hand.act()
            self.world.step()
            self.simulated += self.settings.dt
            if self.strengths:
                self.blows.forget(self.hand.held)
                for number in self.blows.struck(self.strengths):
                    if self.simulated >= self.tender.get(number, 0.0):
                        self._shatter(number)
        now = self.world.poses()
        self._rescue(now)
        self.times.append(self.simulated)
        self.frames.append(now)
        if not self.slip.motion and len(self.frames) > FRAMES_KEPT:
            del self.times[0], self.frames[0]
        self._judge()
        return now

    def _join(self, piece: Piece, of: str | None, velocity: Vec, spin: Vec) -> None:
        """A new piece into the run: poured (``of`` None), or a shard of the piece of that key."""
        number = self.world.add(piece, velocity, spin)
        self.loose.append(piece)
        self.born[piece.key] = of
        self.joined = self.simulated
        if (strength := self._strength(number)) < np.inf:
            self.strengths[number] = strength

    def _pour(self, stream: Stream, seconds: float) -> None:
        lying = self.world.placed()
        boxes = np.array([self.index.box_of(p) for p in lying]).reshape(-1, 2, 3)
        reach = 0.5 * np.linalg.norm(boxes[:, 1] - boxes[:, 0], axis=1)
        moving = np.linalg.norm(self.world.velocities(self.world.left), axis=1) > FALLING_SPEED
        for drop in stream.due(seconds, boxes.mean(axis=1), reach, moving):
            self._join(drop.piece, None, drop.velocity, drop.spin)

    def _shatter(self, number: int) -> None:
        """In the place of a body those of its shards, moving on as it did; or the reason why it has none."""
        del self.strengths[number]
        start = self.world.pieces[number]
        piece = start.at(pose_after(start.pose, self.world.poses()[number]))
        physical = self.properties.get(piece.prop.key, PhysicalProperties())
        try:
            broken = shattered(piece, physical, self.slip.seed, self.slip.breaks or 0.0)
        except Unbreakable as problem:
            if piece.key not in self.born:
                self.whole[piece.name] = str(problem)
            return
        velocity, spin = self.world.velocities([number])[0], self.world.spin(number)
        centre = self.index.centre_of_mass(piece)
        self.world.take(number)
        of = self.born.pop(piece.key, piece.key if piece.key in self.index.pieces else None)
        if piece.key in self.index.pieces:
            self.gone.append(piece.key)
        self.shapes.update(broken.shapes)
        self.falling.update(broken.shapes)
        self.properties.update(broken.properties)
        kind = self.shards.get(piece.prop.key, piece.prop.key)
        self.shards.update((shard.prop.key, kind) for shard in broken.pieces)
        for shard in broken.pieces:
            self._join(shard, of, velocity + np.cross(spin, shard.pose.origin - centre), spin)
            self.tender[len(self.loose) - 1] = self.simulated + TENDER_SECONDS

    def _rescue(self, now: Vec) -> None:
        for number in np.flatnonzero((now[:, 1] < self.floor) | ~np.isfinite(now).all(axis=1)):
            if not self.world.there(int(number)):
                continue
            self.blows.forget([int(number)])
            key = self.world.keys[number]
            self.rescues[key] += 1
            # Back to where it began, and higher each time; after the last time it stays there, held.
            start = self.loose[number].pose.origin
            self.world.put(int(number), start + np.array([0.0, 0.05 * self.rescues[key], 0.0]))
            if self.rescues[key] > MOST_RESCUES:
                self.world.hold(int(number))
                self.named[key] = "fell out of the set again and again; it was put back to where it began"

    def _judge(self) -> None:
        late = max(0.0, self.simulated - self.joined - CALM_AFTER)
        back = len(self.times) - 1
        while back > 0 and self.times[-1] - self.times[back] < QUIET_SECONDS:
            back -= 1
        if self.times[-1] >= QUIET_SECONDS:
            before = self.frames[back]
            moved = np.linalg.norm(self.frames[-1][: len(before), :3] - before[:, :3], axis=1)
            # What joined meanwhile has surely moved.
            still = int((moved < QUIET_TRAVEL * (1.0 + PATIENCE * late)).sum())
            self.quiet = still >= QUIET_SHARE * len(self.frames[-1])
        if self.quiet and not self.slip.hand:
            if self.light_until == np.inf:
                self._lie()
            self.quiet = self.simulated - self.light_until >= LEAST_LYING
        if late > 0.0 and not self.slip.hand:
            linear, angular = self.settings.damping
            self.world.damp(linear + 0.5 * late, angular + 1.5 * late)

    def _lie(self) -> None:
        """Go on with the shapes to lie with: they have more corners, and follow the true meshes."""
        self.world.wear(self.shapes)
        self.light_until = self.simulated

    @property
    def over(self) -> bool:
        """Whether the run has ended: all is still and nothing more comes, or its time is up."""
        pouring = self.stream is not None and not self.stream.over
        return (self.quiet and not self.slip.hand and not pouring) or self.simulated >= self.slip.seconds

    def relaxed(self, world: World, lying: Iterable[Piece] = ()) -> list[Piece]:
        """The pieces after a short, stiff and slow second run, which takes most of what is left of overlaps."""
        again = self._world(world.placed(), RELAX, RELAX_STEPS * RELAX.dt * RELAX.cap, lying)
        for _ in range(RELAX_STEPS):
            self.progress.look()
            again.step()
        return again.placed()

    def end(self, tolerance: float = SEATED_TOLERANCE) -> Settled:
        """Finish exactly on the true meshes. The index is left as it was. Raises NotForGravity when nothing is there."""
        if not self.world.left:
            raise NotForGravity("nothing was poured; hold the pointer over something that bears it")
        if self.light_until == np.inf:
            self._lie()
            for _ in range(LYING_STEPS):
                self.progress.look()
                self.world.step()
        lying = self.relaxed(self.world)
        # What fell out again and again lies where it began.
        starts = {p.key: p for p in self.loose}
        lying = [starts[p.key] if p.key in self.named else p for p in lying]
        lying = back_on_their_side(self.index, lying, starts, self.gone, self.progress)
        done = finish(self.index, lying, tolerance, self.progress, self.gone)
        done = toppled(self.index, done, tolerance, self.gone, self.progress)
        failed = 0
        for _ in range(MOST_LAST_FALLS):
            restless = done.restless(self.index) - self.named.keys()
            if not restless:
                break
            again = self._last_fall(done, restless, failed, tolerance)
            better = len(again.named) < len(done.named)
            done, failed = (again, failed) if better else (done, failed + 1)
        # Once more all of them: what is told is what is, not what should be.
        done = measured(self.index, done, tolerance, self.gone, progress=self.progress)
        others = self._harmed(done, tolerance)
        middles = np.array([0.5 * (self.index.box_of(p)[0] + self.index.box_of(p)[1]) for p in done.pieces])
        apart = middles[:, [0, 2]] - middles[:, [0, 2]].mean(axis=0)
        tops = [self.index.box_of(p)[1][1] for p in done.pieces]
        lows = [self.index.box_of(p)[0][1] for p in done.pieces]
        motion = self.motion(done.pieces) if self.slip.motion else None
        return Settled(
            self.slip.seed,
            done.pieces,
            {**done.named, **self.named, **others},
            float(np.sqrt((apart**2).sum(axis=1).mean())),
            float(max(tops) - min(lows)),
            time.perf_counter() - self.started,
            self.simulated,
            motion,
            self.born,
            tuple(self.gone),
            self.shards,
            self.whole,
        )

    def _harmed(self, done: Finished, tolerance: float) -> dict[str, str]:
        """What is wrong since then with pieces that did not fall, by key: they lost what carried them, or something came to lie in them."""
        after = with_pieces(self.index, done.pieces, self.gone)
        boxes = [self.index.box_of(self.index.pieces[p.key]) for p in self.before]
        boxes += [after.box_of(p) for p in done.pieces]
        own = {p.key for p in (*self.before, *done.pieces)}
        asked = [key for key in after.affected_by(boxes, tolerance) if key not in own]
        wrong = {key: fit for key, fit in check(after, tolerance, asked, self.progress.goes_on).items() if fit.faults}
        was = check(self.index, tolerance, wrong, self.progress.goes_on)
        return {key: fit.reason for key, fit in wrong.items() if set(fit.faults) - set(was[key].faults)}

    def _fallen(self, pieces: list[Piece], seconds: float, lying: Iterable[Piece] = ()) -> list[Piece]:
        """The pieces after gravity has acted on them once more, calmly, among what is fixed and what is ``lying``."""
        lying = list(lying)
        again = self._world(pieces, replace(SETTLE, cap=FALL_CAP, damping=FALL_DAMPING), FALL_REACH, lying)
        seen = again.poses()
        for step in range(1, round(seconds / SETTLE.dt) + 1):
            self.progress.look()
            again.step()
            if step % STILL_STEPS == 0:
                before, seen = seen, again.poses()
                if float(np.abs(seen[:, :3] - before[:, :3]).max()) < STILL_TRAVEL:
                    break
        return self.relaxed(again, lying)

    def _last_fall(self, done: Finished, restless: set[str], failed: int, tolerance: float) -> Finished:
        """Gravity on the few that do not stand yet, among all the others as they lie exactly now.

        After that has ``failed``, or when some are locked into each other, they are raised and turned a little first,
        more each time.
        """
        lying = [p for p in done.pieces if p.key not in restless]
        loose = [p for p in done.pieces if p.key in restless]
        index = with_pieces(self.index, done.pieces, self.gone)
        locked = any(done.fits[k].clashes for k in restless)
        if failed or locked:
            lift = LAST_LIFT * max(failed, 1)
            loose = parted(index, jittered(loose, lift, lift, self.slip.seed + failed), self.progress)
        starts = {p.key: p for p in loose}
        fallen = back_on_their_side(index, self._fallen(loose, LAST_FALL_SECONDS, lying), starts, (), self.progress)
        again = finish(index, fallen, tolerance, self.progress)
        after = toppled(self.index, done.with_those_of(again), tolerance, self.gone, self.progress)
        return measured(self.index, after, tolerance, self.gone, done, self.progress)

    def motion(self, ends: Iterable[Piece]) -> Motion:
        """What was seen, and then ``ends``. What came later waits where it began."""
        number = {piece.key: n for n, piece in enumerate(self.loose)}
        poses: dict[str, tuple[Pose, ...]] = {}
        for end in ends:
            n = number[end.key]
            start = self.loose[n].pose
            seen = [pose_after(start, frame[n]) if n < len(frame) else start for frame in self.frames]
            poses[end.key] = (*seen, end.pose)
        return Motion(np.array([*self.times, self.times[-1] + FRAME_SECONDS]), poses)


def settle(
    index: SceneIndex,
    keys: list[str],
    slip: SettleSlip,
    shapes: Mapping[str, ContactShape],
    properties: Mapping[str, PhysicalProperties] | None = None,
    tolerance: float = SEATED_TOLERANCE,
    budget: Budget = UNLIMITED,
) -> Settled:
    """The whole chain for the pieces of ``keys``: ease apart, settle, relax, finish. The index is left as it was.

    Raises NotForGravity before anything moves, and GivenUp where the budget says so.
    """
    if not keys:
        raise NotForGravity("nothing is chosen to settle; choose loose pieces first")
    run = Run(index, keys, slip, shapes, properties, progress=Progress(budget, len(keys)))
    run.ease()
    for _ in stepping(run):
        run.progress.reach(FINISHED_FROM * min(1.0, run.simulated / slip.seconds))
    return run.end(tolerance)


def stepping(run: Run) -> Iterator[Vec]:
    """Frame after frame until it is over."""
    while not run.over:
        yield run.advance()
