"""The fit of joined pieces: clashes are each one's own, but the whole is borne, floats or tips over as one."""

from dataclasses import replace

import numpy as np

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.formation import formation
from brickseat_core.fit.measuring import STATES, Depths, Fit, State, measure_fit
from brickseat_core.scene import Piece
from brickseat_core.tolerances import SEATED_TOLERANCE

OWN: tuple[State, ...] = ("clashing", "sunk")
"""Faults that a piece has by itself, whatever it is joined to."""


def standing_bodies(index: SceneIndex, keys: list[str]) -> dict[tuple[str, ...], list[str]]:
    """The bodies, as far as they stand here, that ``keys`` belong to, each with those of ``keys`` that are in it."""
    found: dict[tuple[str, ...], list[str]] = {}
    for key in keys:
        body = tuple(k for k in index.bodies.get(key, ()) if k in index.pieces)
        if len(body) > 1:
            found.setdefault(body, []).append(key)
    return found


def measure_joined(index: SceneIndex, body: tuple[str, ...], tolerance: float = SEATED_TOLERANCE) -> dict[str, Fit]:
    """The fit of every prop of a body of two pieces or more, which all stand in ``index``. ``tolerance`` in metres."""
    members = [index.pieces[k] for k in body]
    others = index.fork()
    for piece in members:
        others.remove(piece.key)
    depths = Depths(others)
    own = {p.key: measure_fit(others, p, tolerance, depths) for p in members if p.role == "prop"}
    held = next((p for p in members if p.role == "bearer"), None)
    whole = None if held is not None else whole_fit(others, members, tolerance)
    return {key: joined_fit(index, members, fit, held, whole) for key, fit in own.items()}


def whole_fit(others: SceneIndex, members: list[Piece], tolerance: float) -> Fit:
    """How all members fit as one, along the direction of one of them in which they have the fewest faults."""
    found: list[Fit] = []
    for direction in dict.fromkeys(p.direction for p in members):
        lead = next(p for p in members if p.direction == direction)
        facing = [lead, *(p for p in members if p is not lead)]
        found.append(measure_fit(others, formation(others, facing, direction).body, tolerance))
        if not found[-1].faults:
            break
    return min(found, key=lambda f: (len(f.faults), np.inf if f.gap is None else f.gap))


def joined_fit(index: SceneIndex, members: list[Piece], own: Fit, held: Piece | None, whole: Fit | None) -> Fit:
    """One member's fit out of its own and that of the whole. ``held``: the bearer that it is joined to, if there is one."""
    with_whom = next((p.name for p in members if p.key != own.key and p is held), None) or next(
        p.name for p in members if p.key != own.key
    )
    faults = [f for f in own.faults if f in OWN]
    said = [own.reason] if faults else []
    if whole is not None and (borne := [f for f in whole.faults if f not in OWN]):
        faults += borne
        said.append(f"the whole, {whole.reason}" if len(whole.faults) == len(borne) else "the whole does not stand")
    faults.sort(key=STATES.index)
    if not said:
        on = [index.pieces[k].name for k in whole.rests_on[:2]] if whole is not None else []
        said.append("the whole sits on " + " and ".join(on) if on else "and held by it")
    return replace(
        own,
        state=faults[0] if faults else "seated",
        faults=tuple(faults),
        gap=0.0 if whole is None else whole.gap,
        rests_on=(held.key,) if held is not None else whole.rests_on if whole is not None else (),
        contacts=own.contacts if whole is None else whole.contacts,
        touch=own.touch if whole is None else whole.touch,
        balance_margin=None if whole is None else whole.balance_margin,
        grip=None if whole is None else whole.grip,
        reason=f"joined to {with_whom}; {'; '.join(said)}",
    )
