"""Trials: the same pieces settled with several seeds, each of which may run in a process of its own."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from brickseat_core.budget import Budget
from brickseat_core.contact.index import SceneIndex
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.gravity.settling import Settled, SettleSlip, settle
from brickseat_core.gravity.shapes import ContactShape
from brickseat_core.gravity.world import PhysicalProperties
from brickseat_core.scene import Piece
from brickseat_core.stopping import NEVER, Stop


@dataclass(frozen=True)
class Trial:
    """What one process needs to settle: plain data, pickled as it is. ``derived``: as in ``SceneIndex``."""

    pieces: tuple[Piece, ...]
    keys: tuple[str, ...]
    slip: SettleSlip
    shapes: Mapping[str, ContactShape]
    properties: Mapping[str, PhysicalProperties]
    tolerance: float
    derived: Mapping[str, Mesh] = field(default_factory=dict)


def run_trial(trial: Trial, stop: Stop = NEVER) -> Settled:
    """One trial, from nothing. The same in every process: the same seed gives the same outcome.

    ``stop``: ends the trial as soon as it is set, by raising Stopped.
    """
    index = SceneIndex(trial.pieces, derived=trial.derived)

    def wanted(_done: int, _total: int) -> bool:
        return not stop.is_set()

    # Trials run side by side: each has a core of its own, not several.
    return settle(
        index, list(trial.keys), trial.slip, trial.shapes, trial.properties, trial.tolerance, Budget(on_progress=wanted)
    )


def trials_of(trial: Trial, count: int) -> list[Trial]:
    """``count`` trials that differ in their seeds only; chance is put on the pieces where the slip had none."""
    jitter = trial.slip.jitter or (0.01 if count > 1 else 0.0)
    return [replace(trial, slip=replace(trial.slip, seed=trial.slip.seed + k, jitter=jitter)) for k in range(count)]
