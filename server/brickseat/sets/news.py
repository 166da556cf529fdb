"""News of a set: what goes to its open stages, and who gets it."""

import uuid
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

import orjson

from brickseat.sets.listening import NO_LONGER_OPEN, SIGNED_OUT, listeners
from brickseat.sets.snapshot import Snapshot
from brickseat_core.constraints.tie_measures import tie_words
from brickseat_core.fit.encoding import encode_verdict
from brickseat_core.fit.measuring import Fit
from brickseat_core.fit.repair import Left
from brickseat_core.scene import Delta, Piece
from brickseat_core.scene.encoding import encode


@dataclass(frozen=True)
class ChangeNews:
    """What a change did to the set of ``key``, and how that is now: for who made it and for every other stage of it."""

    key: uuid.UUID
    revision: int
    words: str
    deltas: tuple[Delta, ...]
    fits: dict[str, Fit | None]
    snapshot: Snapshot
    left: tuple[Left, ...]
    can_undo: str | None
    can_redo: str | None


def measure_records(now: Snapshot) -> list[dict[str, Any]]:
    """What every tie of a set keeps now, as JSON values."""
    return [
        {
            "key": key,
            "words": tie_words(now.dressed.ties[key], now.dressed),
            "value": measure.value,
            "holds": measure.holds,
            "mine": measure.mine,
            "theirs": measure.theirs,
        }
        for key, measure in now.measures.items()
    ]


def shape_files(key: uuid.UUID, now: Snapshot) -> dict[str, str]:
    """By key of a piece, where the model is that it is drawn by instead of its prop's."""
    return {piece: f"/api/sets/{key}/shapes/{piece}/{mesh.digest}.glb" for piece, mesh in now.index.derived.items()}


def news_record(news: ChangeNews) -> dict[str, Any]:
    """News of a set as JSON values."""
    return {
        "revision": news.revision,
        "words": news.words,
        "deltas": [
            {"kind": d.kind, "key": d.key, "after": encode(d.after) if d.after is not None else None}
            for d in news.deltas
        ],
        "fits": [encode_verdict(f) for f in news.fits.values() if f is not None],
        "measures": measure_records(news.snapshot),
        "shapes": shape_files(news.key, news.snapshot),
        "left": [{"key": entry.key, "reason": entry.reason} for entry in news.left],
        "can_undo": news.can_undo,
        "can_redo": news.can_redo,
    }


def message(kind: str, record: Mapping[str, Any]) -> str:
    """A message as it goes over the line."""
    return orjson.dumps({"kind": kind, **record}).decode()


def broadcast_change(news: ChangeNews) -> None:
    """To every open stage of a set: what changed."""
    listeners.broadcast(news.key, message("changed", news_record(news)))


def broadcast_progress(key: uuid.UUID, ask: str, done: int, total: int, parts: Iterable[Piece]) -> None:
    """To the stages of a set: how far a move is, and what it placed since the last such message. ``ask``: the name that its asker gave it."""
    record = {"ask": ask, "done": done, "total": total, "pieces": [encode(piece) for piece in parts]}
    listeners.broadcast(key, message("under_way", record))


def broadcast_measured(key: uuid.UUID, revision: int, fits: Iterable[Fit]) -> None:
    """To every open stage of a set: how deep its pieces are in each other. Until then a stage only knows that they are."""
    record = {"revision": revision, "fits": [encode_verdict(fit) for fit in fits]}
    listeners.broadcast(key, message("measured", record))


def broadcast_prop(key: str) -> None:
    """To every open stage of any set: a prop was made anew."""
    listeners.broadcast_to_all(message("prop", {"prop": key}))


def end_for(user: int, key: uuid.UUID) -> None:
    """A set is no longer open to somebody: their stages of it are closed."""
    listeners.end(NO_LONGER_OPEN, lambda at, listener: at == key and listener.user == user)


def end_of_set(key: uuid.UUID) -> None:
    """A set is gone: all its stages are closed."""
    listeners.end(NO_LONGER_OPEN, lambda at, _listener: at == key)


def end_of_session(session: str) -> None:
    """Somebody signed out: the stages opened with that session are closed."""
    listeners.end(SIGNED_OUT, lambda _key, listener: listener.session == session)
