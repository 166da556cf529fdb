"""Tell every open stage of a set what changed."""

import asyncio
import uuid
from dataclasses import dataclass
from typing import Any

from asgiref.sync import async_to_sync
from channels.layers import get_channel_layer

from brickseat_core.fit.check import Fit
from brickseat_core.fit.repair import Left
from brickseat_core.scene import Delta
from brickseat_core.scene.encoding import encode


@dataclass(frozen=True)
class ChangeNews:
    """What a change did: for the one who made it and for every other stage of the set."""

    revision: int
    words: str
    deltas: tuple[Delta, ...]
    fits: dict[str, Fit | None]
    left: tuple[Left, ...]
    can_undo: str | None
    can_redo: str | None


EVERY_STAGE = "stages"
"""The group of all open stages."""


def group_of(key: uuid.UUID) -> str:
    return f"set.{key.hex}"


def fit_record(fit: Fit) -> dict[str, Any]:
    """A fit as JSON values; pieces by key, lengths in metres."""
    return {
        "key": fit.key,
        "state": fit.state,
        "faults": list(fit.faults),
        "gap": fit.gap,
        "depth": fit.depth,
        "rests_on": list(fit.rests_on),
        "clashes": [{"other": c.other, "depth": c.depth, "point": c.point, "normal": c.normal} for c in fit.clashes],
        "contacts": list(fit.contacts),
        "touch": fit.touch,
        "balance_margin": fit.balance_margin,
        "tilt_deg": fit.tilt_deg,
        "reason": fit.reason,
    }


def news_record(news: ChangeNews) -> dict[str, Any]:
    return {
        "revision": news.revision,
        "words": news.words,
        "deltas": [
            {"kind": d.kind, "key": d.key, "after": encode(d.after) if d.after is not None else None}
            for d in news.deltas
        ],
        "fits": [fit_record(f) for f in news.fits.values() if f is not None],
        "left": [{"key": entry.key, "reason": entry.reason} for entry in news.left],
        "can_undo": news.can_undo,
        "can_redo": news.can_redo,
    }


def tell(key: uuid.UUID, news: ChangeNews) -> None:
    """Tell every open stage of a set what changed."""
    layer = get_channel_layer()
    if layer is not None:
        async_to_sync(layer.group_send)(group_of(key), {"type": "set.changed", "change": news_record(news)})


def tell_of_prop(key: str) -> None:
    """Tell every open stage, whatever its set, that a prop was made anew."""
    layer = get_channel_layer()
    if layer is not None:
        async_to_sync(layer.group_send)(EVERY_STAGE, {"type": "prop.changed", "prop": key})


_loop: asyncio.AbstractEventLoop | None = None


def remember_loop() -> None:
    """Called where WebSockets are served: the channel layer may only be spoken to from there."""
    global _loop
    _loop = asyncio.get_running_loop()


def tell_from_thread(key: uuid.UUID, message: dict[str, Any]) -> None:
    """Send a message to every open stage from a thread of its own, in order; nobody hears it when no stage is open."""
    layer = get_channel_layer()
    if layer is not None and _loop is not None and not _loop.is_closed():
        asyncio.run_coroutine_threadsafe(layer.group_send(group_of(key), message), _loop)
