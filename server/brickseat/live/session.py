"""Live sessions: one a set, shared by every stage that has it open."""

import threading
import uuid
from collections import OrderedDict
from dataclasses import dataclass

from brickseat.sets.models import DressedSet
from brickseat.sets.records import DeltaRecord, piece_of, row_record
from brickseat.store.models import StoredProp
from brickseat.store.shelving import prop_of
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import Fit, check, touched_by
from brickseat_core.scene import Prop

SESSIONS_KEPT = 12


@dataclass
class LiveSet:
    """A set in memory. Take ``lock`` to read or change it."""

    key: uuid.UUID
    tolerance: float
    revision: int
    index: SceneIndex
    props: dict[str, Prop]
    fits: dict[str, Fit]
    lock: threading.RLock

    @classmethod
    def load(cls, dressed: DressedSet) -> "LiveSet":
        rows = list(dressed.pieces.select_related("prop"))
        props: dict[str, Prop] = {}
        for row in rows:
            if row.prop.key not in props:
                props[row.prop.key] = prop_of(row.prop)
        pieces = [piece_of(row_record(row), props[row.prop.key]) for row in rows]
        index = SceneIndex(pieces)
        fits = check(index, dressed.tolerance)
        return cls(dressed.key, dressed.tolerance, dressed.revision, index, props, fits, threading.RLock())

    def prop(self, key: str) -> Prop:
        """A prop by key, taken from the store when it is new to this set. Raises StoredProp.DoesNotExist."""
        if key not in self.props:
            self.props[key] = prop_of(StoredProp.objects.get(key=key))
            self.index.span(self.props[key].mesh)
        return self.props[key]

    def take(self, deltas: list[DeltaRecord], revision: int) -> dict[str, Fit | None]:
        """Bring the memory up to a stored change; returns the fits that changed (None: the piece went)."""
        boxes = []
        gone: dict[str, Fit | None] = {}
        bearers = False
        for delta in deltas:
            old = self.index.pieces.get(delta["key"])
            if old is not None:
                boxes.append(old.world_box())
                bearers = bearers or old.role == "bearer"
            if delta["after"] is None:
                if old is not None:
                    self.index.remove(delta["key"])
                self.fits.pop(delta["key"], None)
                gone[delta["key"]] = None
                continue
            new = piece_of(delta["after"], self.prop(delta["after"]["prop"]))
            self.index.put(new)
            if new.role == "bearer" and self.fits.pop(delta["key"], None) is not None:
                gone[delta["key"]] = None
            bearers = bearers or new.role == "bearer"
            boxes.append(new.world_box())
        if bearers:
            self.index.judge_senses()
        fresh = check(self.index, self.tolerance, touched_by(self.index, boxes))
        self.fits.update(fresh)
        self.revision = revision
        return {**gone, **fresh}


class Sessions:
    """The sessions in memory, the least recently used dropped first."""

    def __init__(self) -> None:
        self._kept: OrderedDict[uuid.UUID, LiveSet] = OrderedDict()
        self._lock = threading.Lock()
        self._loading: dict[uuid.UUID, threading.Lock] = {}

    def of(self, dressed: DressedSet) -> LiveSet:
        """The session of a set at its stored revision, loaded when there is none or it is behind."""
        with self._lock:
            gate = self._loading.setdefault(dressed.key, threading.Lock())
        with gate:
            with self._lock:
                found = self._kept.get(dressed.key)
            if found is None or found.revision < dressed.revision or found.tolerance != dressed.tolerance:
                found = LiveSet.load(dressed)
            with self._lock:
                self._kept[dressed.key] = found
                self._kept.move_to_end(dressed.key)
                while len(self._kept) > SESSIONS_KEPT:
                    self._kept.popitem(last=False)
            return found

    def kept(self, key: uuid.UUID) -> LiveSet | None:
        with self._lock:
            return self._kept.get(key)

    def drop(self, key: uuid.UUID) -> None:
        with self._lock:
            self._kept.pop(key, None)

    def clear(self) -> None:
        with self._lock:
            self._kept.clear()


sessions = Sessions()
