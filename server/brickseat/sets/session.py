"""Live sessions: one a set, shared by every stage that has it open.

What is computed is computed on a ``Snapshot``, which never changes: whoever reads takes ``live.snapshot`` once and needs
no lock. Only those who change the set take ``live.writing``.
"""

import logging
import threading
import time
import uuid
from collections import OrderedDict
from dataclasses import dataclass, field, replace

from brickseat.sets.listening import listeners
from brickseat.sets.models import DressedSet
from brickseat.sets.news import broadcast_measured
from brickseat.sets.snapshot import Snapshot
from brickseat.sets.storing import read_set
from brickseat.sets.storing_fits import read_fits
from brickseat.store.models import StoredProp
from brickseat.store.shelving import prop_of
from brickseat_core.fit.check import check
from brickseat_core.scene import Prop

IDLE_BYTES = 512 * 2**20
"""Bytes that the sessions together take which nobody has open: kept for when they are asked for again. Those that somebody has
open are always kept."""
IDLE_SECONDS = 1800.0
"""How long a session is kept that nobody has open and nobody asked for."""
PIECE_BYTES = 10 * 2**10
"""What a piece takes beyond its mesh, with its fit and its row in the index."""
DEPTH_SECONDS = 0.3
"""How long whoever opens a set waits for how deep its pieces are in each other. Where that takes longer, they are shown what is
in each other, and how deep follows when it is known."""
log = logging.getLogger(__name__)


@dataclass
class LiveSet:
    """A set in memory. ``props``: by key, those that stand and those that are only shown as ghosts.

    How deep its pieces are in each other may be measured while it is open already. Nobody changes it meanwhile: the measuring
    holds ``writing``.
    """

    key: uuid.UUID
    snapshot: Snapshot
    props: dict[str, Prop]
    writing: threading.RLock = field(default_factory=threading.RLock)
    used: float = field(default_factory=time.monotonic)

    @property
    def size(self) -> int:
        """Bytes that it takes, about."""
        dressed, index = self.snapshot.dressed, self.snapshot.index
        meshes = {id(m): m for m in (*(p.mesh for p in self.props.values()), *index.derived.values())}.values()
        of_meshes = sum(m.vertices.nbytes + m.faces.nbytes for m in meshes)
        return PIECE_BYTES * len(dressed.pieces) + of_meshes + sum(column.nbytes for column in index.forest)

    @classmethod
    def load(cls, dressed: DressedSet) -> "LiveSet":
        """From the database, measured where its fits are not kept."""
        found, props = read_set(dressed)
        live = cls(dressed.key, Snapshot.of(found, dressed.revision, read_fits(dressed, found)), props)
        live.measure_depths()
        return live

    def measure_depths(self) -> None:
        """Measure how deep those are of which it is only known that they are in others. Waits for it ``DEPTH_SECONDS`` at most."""
        unknown = [key for key, fit in self.snapshot.fits.items() if fit.deeper]
        if not unknown:
            return
        begun = threading.Event()

        def measure() -> None:
            try:
                with self.writing:
                    begun.set()
                    now = self.snapshot
                    fresh = check(now.index, now.dressed.tolerance, unknown)
                    self.snapshot = replace(now, fits={**now.fits, **fresh})
                broadcast_measured(self.key, now.revision, fresh.values())
            except Exception:
                log.exception("how deep the pieces of set %s are in each other could not be measured", self.key)

        measuring = threading.Thread(target=measure, name="depths", daemon=True)
        measuring.start()
        begun.wait()
        measuring.join(DEPTH_SECONDS)

    def whole(self) -> Snapshot:
        """The set as it is, with every depth measured."""
        with self.writing:
            return self.snapshot

    def prop(self, key: str) -> Prop:
        """A prop by key, taken from the store when it is new to this set. Raises StoredProp.DoesNotExist."""
        found = self.props.get(key)
        if found is None:
            found = self.props[key] = prop_of(StoredProp.objects.get(key=key))
        return found


class Sessions:
    """The sessions in memory. Of those that no stage has open, the least recently used are dropped first."""

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
            if found is None or found.snapshot.revision < dressed.revision:
                found = LiveSet.load(dressed)
            with self._lock:
                self._kept[dressed.key] = found
                self._kept.move_to_end(dressed.key)
                found.used = time.monotonic()
                self._let_go(dressed.key)
            return found

    def _let_go(self, asked: uuid.UUID) -> None:
        """Drop what nobody has open and what was not asked for lately, then the least recent until the rest is small."""
        room = IDLE_BYTES
        for key in reversed([k for k in self._kept if k != asked and not listeners.of(k)]):
            idle = self._kept[key]
            room -= idle.size
            if room < 0 or time.monotonic() - idle.used > IDLE_SECONDS:
                del self._kept[key]
                self._loading.pop(key, None)

    def kept(self, key: uuid.UUID) -> LiveSet | None:
        """The session of a set, if it is in memory."""
        with self._lock:
            return self._kept.get(key)

    def drop(self, key: uuid.UUID) -> None:
        """Forget a session; it is loaded anew when it is asked for."""
        with self._lock:
            self._kept.pop(key, None)

    def forget_prop(self, key: str) -> None:
        """Whoever had a prop in memory takes it from the store again."""
        with self._lock:
            for live in self._kept.values():
                live.props.pop(key, None)

    def clear(self) -> None:
        """Forget all sessions."""
        with self._lock:
            self._kept.clear()


sessions = Sessions()
