"""The set that a job was computed on, and what has changed on it since."""

import hashlib
from collections.abc import Container, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from brickseat.jobs.outcome import Outcome
from brickseat.sets.snapshot import Snapshot
from brickseat_core.scene import Piece, Vec

NEAR_M = 0.001
"""As near as this, one may have borne the other."""
DIGEST_BYTES = 6


@dataclass(frozen=True)
class Standing:
    """One piece as it stood. ``digest``: of how it stood and of its prop; ``box``: its least and its greatest corner, in metres."""

    name: str
    digest: str
    box: tuple[float, ...]


@dataclass(frozen=True)
class Moved:
    """Names by key of what has changed since a job began. ``own``: what its outcome would put elsewhere or take away; ``near``: what
    that may have touched, moved, new or taken away."""

    own: Mapping[str, str]
    near: Mapping[str, str]


@dataclass(frozen=True)
class Base:
    """A set at its ``revision``: each of its pieces by key."""

    revision: int = 0
    pieces: Mapping[str, Standing] = field(default_factory=dict)

    @classmethod
    def of(cls, now: Snapshot) -> "Base":
        """A set as it is now."""
        pieces = now.dressed.pieces
        boxes = now.index.boxes_of(pieces).reshape(-1, 6).tolist() if pieces else []
        standing = {
            key: Standing(piece.name, digest_of(piece), tuple(box))
            for (key, piece), box in zip(pieces.items(), boxes, strict=True)
        }
        return cls(now.revision, standing)

    def record(self) -> dict[str, Any]:
        """As JSON values."""
        return {
            "revision": self.revision,
            "pieces": {key: [s.name, s.digest, *s.box] for key, s in self.pieces.items()},
        }

    @classmethod
    def read(cls, record: Mapping[str, Any]) -> "Base":
        """From JSON values."""
        pieces = {key: Standing(name, digest, tuple(box)) for key, (name, digest, *box) in record["pieces"].items()}
        return cls(record["revision"], pieces)

    def moved(self, now: Snapshot, outcome: Outcome, keys: Container[str] | None) -> Moved:
        """What has changed since, as far as it matters to an outcome, or to the pieces ``keys`` of it."""
        if now.revision == self.revision:
            return Moved({}, {})
        wanted = [key for key in outcome.boxes if keys is None or key in keys]
        touched = {*wanted, *outcome.gone}
        changed = self._changed(now)
        own = {key: name for key, name in changed.items() if key in touched}
        others = {key: name for key, name in changed.items() if key not in touched}
        lying = np.array([outcome.boxes[key] for key in wanted]).reshape(-1, 6)
        near = {key: name for key, name in others.items() if any(meets(lying, box) for box in self._places(now, key))}
        return Moved(own, near)

    def _changed(self, now: Snapshot) -> dict[str, str]:
        """Names by key of what is not as it was: moved, new or taken away."""
        pieces = now.dressed.pieces
        changed = {key: was.name for key, was in self.pieces.items() if key not in pieces}
        for key, piece in pieces.items():
            was = self.pieces.get(key)
            if was is None or was.digest != digest_of(piece):
                changed[key] = piece.name
        return changed

    def _places(self, now: Snapshot, key: str) -> Iterable[Vec]:
        """The boxes (6,) of a piece as it was and as it is."""
        if key in self.pieces:
            yield np.array(self.pieces[key].box)
        if key in now.dressed.pieces:
            yield now.index.boxes_of([key]).reshape(6)


UNKNOWN = Base()
"""Where nothing is known of it: whatever stands there now is new."""


def digest_of(piece: Piece) -> str:
    """What tells one pose and shape of a piece from another."""
    said = repr((piece.prop.mesh.digest, piece.pose.position, piece.pose.basis)).encode()
    return hashlib.blake2b(said, digest_size=DIGEST_BYTES).hexdigest()


def meets(boxes: Vec, box: Vec) -> bool:
    """Whether any of the boxes (n, 6) comes near the box (6,)."""
    apart = (boxes[:, :3] > box[3:] + NEAR_M) | (box[:3] > boxes[:, 3:] + NEAR_M)
    return bool((~apart.any(axis=1)).any())
