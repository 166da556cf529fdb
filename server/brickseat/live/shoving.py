"""Messages of the hand: pull, let go, pour there, or enough."""

import uuid
from typing import Any

import numpy as np

from brickseat.jobs.settling import PourTo, command
from brickseat.live.pointing import vector
from brickseat_core.gravity.hand import Pull, Strength


def shove(dressed: uuid.UUID, asked: dict[str, Any]) -> None:
    """Hand a message on to the settling that runs on a set; others are passed over. Raises BadQuestion."""
    if asked.get("enough") is True:
        command(dressed, "enough")
        return
    keys, to = asked.get("keys"), asked.get("to")
    place = vector(to, "to") if to is not None else None
    if asked.get("pour") is True:
        command(dressed, PourTo(np.array(place) if place is not None else None))
        return
    strength: Strength = "soft" if asked.get("strength") == "soft" else "firm"
    if isinstance(keys, list) and all(isinstance(k, str) for k in keys):
        command(dressed, Pull(tuple(keys), place, strength))
