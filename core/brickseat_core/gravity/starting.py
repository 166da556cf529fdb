"""Where pieces start from: raised, shaken, and apart from all that they were inside of."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import replace

import numpy as np

from brickseat_core.contact.depth import column, nested_rows
from brickseat_core.contact.first_contact import first_contact
from brickseat_core.contact.free_interval import first_free_interval
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.set_down import out_of_flush, set_down
from brickseat_core.gravity.progress import SILENT, Progress
from brickseat_core.scene import DOWN, Piece, rotation_about
from brickseat_core.tolerances import CONTACT_EPSILON

MOST_PARTING, PARTED = 3.0, 1e-3
"""Metres a piece is raised at most out of what it starts in, and how far it is then kept off."""
MOST_LAYERS, MOST_SPOTS = 4, 600
"""Heights of itself that a piece is raised before a place beside is looked for, and how many places."""
GOLDEN_ANGLE = np.pi * (3.0 - np.sqrt(5.0))


def parted(index: SceneIndex, pieces: list[Piece], progress: Progress = SILENT) -> list[Piece]:
    """The pieces with those that start inside others raised, from the lowest up, to the first height where they are free.

    Where that would be a tower, they go beside, the nearest first (on the spiral of Vogel, 1979). On the true meshes:
    shapes locked into each other are never parted by an engine that knows only their overlaps. Raises GivenUp.
    """
    out = {p.key: p for p in pieces}
    full: Counter[tuple[int, int]] = Counter()
    index = index.fork()
    for piece in pieces:
        index.remove(piece.key)
    for piece in sorted(pieces, key=lambda p: (float(index.box_of(p)[0][1]), p.key)):
        progress.look()
        upright = replace(piece, direction=DOWN)
        lift = lift_out(index, upright)
        lo, hi = index.box_of(piece)
        high, wide = MOST_LAYERS * float(hi[1] - lo[1]), float(np.hypot(hi[0] - lo[0], hi[2] - lo[2]))
        if lift is None or lift > high:
            spot = (round(float(lo[0]) / wide), round(float(lo[2]) / wide))
            for number in range(full[spot], MOST_SPOTS):
                progress.look()
                turn, far = GOLDEN_ANGLE * number, wide * np.sqrt(number)
                beside = upright.at(piece.pose.moved(np.array([far * np.cos(turn), 0.0, far * np.sin(turn)])))
                aside = lift_out(index, beside)
                if aside is not None and aside <= high and set_down(index, beside).travel is not None:
                    upright, lift, full[spot] = beside, aside, number
                    break
        upright = upright.at(upright.pose.moved(np.array([0.0, lift + PARTED if lift else 0.0, 0.0])))
        out[piece.key] = piece.at(upright.pose)
        index.put(upright)
    return [out[p.key] for p in pieces]


def back_on_their_side(
    index: SceneIndex,
    lying: list[Piece],
    starts: Mapping[str, Piece],
    gone: Iterable[str],
    progress: Progress = SILENT,
) -> list[Piece]:
    """The pieces where they lie; those that came to lie wholly under or inside something that did not fall, above it.

    The engine meets open ground from one side only: what was pushed through it stays below. Such a piece goes back to
    where it began, and the finish drops it from there. ``starts``: where each began, by key. Raises GivenUp.
    """
    falling = {p.key for p in lying}
    others = index.fork()
    for key in [*(k for k in falling if k in others.pieces), *(k for k in gone if k in others.pieces)]:
        others.remove(key)
    rows = np.array(sorted(others.row.values()), dtype=np.int64)
    rows = rows[others.placed.sense[rows] != 0.0]
    lo, hi = others.placed.lo[rows], others.placed.hi[rows]
    wrong = []
    for piece in lying:
        progress.look()
        below, above = others.box_of(piece)
        middle = 0.5 * (below + above)
        near = (middle[[0, 2]] >= lo[:, [0, 2]]).all(axis=1) & (middle[[0, 2]] <= hi[:, [0, 2]]).all(axis=1)
        holding = tuple(int(r) for r in rows[near & (below[1] < hi[:, 1])])
        if holding and nested_rows(others, piece, -1, holding):
            wrong.append(piece.key)
    if not wrong:
        return lying
    others.put_all(p for p in lying if p.key not in wrong)
    others.put_all(starts[key] for key in wrong)
    moved = {p.key: p for p in parted(others, [starts[key] for key in wrong], progress)}
    return [moved.get(p.key, p) for p in lying]


def lift_out(index: SceneIndex, piece: Piece) -> float | None:
    """Metres straight up to where a piece is inside nothing; None where that is farther than ``MOST_PARTING``."""
    mover, near = column(index, piece, index.row.get(piece.key, -1))
    probes = index.probes_of(piece)
    lift = first_free_interval(index, mover, near, probes, limit=MOST_PARTING)
    if lift is not None and lift <= CONTACT_EPSILON and first_contact(index, mover, near).initially_intersecting:
        travel = out_of_flush(index, piece, near)
        return lift if travel is None else -travel if -travel <= MOST_PARTING else None
    return lift


def jittered(pieces: list[Piece], lift: float, jitter: float, seed: int) -> list[Piece]:
    """The pieces raised by ``lift`` metres, and each moved (m) and turned a little by chance, as far as ``jitter`` says."""
    rng = np.random.default_rng(seed)
    out = []
    for piece in pieces:
        shift = rng.uniform(-1.0, 1.0, 3) * jitter
        axis = rng.normal(size=3)
        angle = float(rng.uniform(-1.0, 1.0)) * min(1.0, 4.0 * jitter)
        pose = piece.pose.moved(shift + np.array([0.0, lift + jitter, 0.0]))
        if angle:
            turn = rotation_about(axis / np.linalg.norm(axis), angle)
            pose = replace(pose, basis=tuple(float(v) for v in (turn @ pose.linear).ravel()))
        out.append(piece.at(pose))
    return out
