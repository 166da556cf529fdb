"""Joined pieces as the one body that they are, for as long as something moves them."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.formation import FORMATION, Formation, formation
from brickseat_core.scene import Change, Delta, Piece, Set, piece_delta


@dataclass(frozen=True)
class Joined:
    """A set in which joined pieces are one piece each. ``formations``: those, by the key that each has there."""

    dressed: Set
    index: SceneIndex
    formations: Mapping[str, Formation]

    def key_of(self, key: str) -> str:
        """The key under which a piece stands here: its own, or that of its body."""
        for body, formed in self.formations.items():
            if any(m.key == key for m in formed.members):
                return body
        return key

    def standing(self, key: str) -> Piece:
        """The piece, or the body that it belongs to, as it stands in this index."""
        return self.index.pieces[self.key_of(key)]

    def member(self, body: Piece, key: str) -> Piece:
        """The piece of that key where it is when its body is ``body``, which may be just that piece."""
        formed = self.formations.get(body.key)
        if formed is None:
            return body
        return next(m for m in formed.after(body) if m.key == key)

    def parted(self, change: Change) -> Change:
        """The same change, in terms of the pieces that the bodies are made of."""
        deltas: list[Delta] = []
        for delta in change.deltas:
            formed = self.formations.get(delta.key) if delta.kind == "piece" else None
            if formed is None:
                deltas.append(delta)
            elif delta.after is None:
                deltas += [piece_delta(m, None) for m in formed.members]
            else:
                assert isinstance(delta.after, Piece)
                deltas += moved_members(formed, delta.after)
        return Change(change.words, tuple(deltas))


def whole_bodies(dressed: Set, index: SceneIndex) -> Joined:
    """A set in which all that is joined is one piece each."""
    return as_bodies(dressed, index, index.bodies)


def change_to(joined: Joined, pieces: Iterable[Piece], words: str) -> Change:
    """What leads from the set of ``joined`` to one in which these of its pieces stand so."""
    before = joined.dressed.pieces
    return joined.parted(Change(words, tuple(piece_delta(before[p.key], p) for p in pieces if before[p.key] != p)))


def moved_members(formed: Formation, body: Piece) -> list[Delta]:
    """What becomes of the members of a body that has come to ``body``."""
    lead = body.key.removeprefix(FORMATION)
    found = []
    for member, moved in zip(formed.members, formed.after(body), strict=True):
        if member.key == lead:
            moved = replace(moved, sink=body.sink, stand_off=body.stand_off)
        if member.direction == formed.body.direction:
            moved = replace(moved, direction=body.direction)
        if moved != member:
            found.append(piece_delta(member, moved))
    return found


def as_bodies(dressed: Set, index: SceneIndex, keys: Iterable[str]) -> Joined:
    """A set in which the bodies of ``keys`` are one piece each, on a fork of ``index``.

    A body with a bearer in it is a bearer, one with a spiked piece is spiked.
    """
    others = index.fork()
    pieces = dict(dressed.pieces)
    formations: dict[str, Formation] = {}
    done: set[str] = set()
    for key in keys:
        members = [pieces[k] for k in index.bodies.get(key, ()) if k in pieces and k not in done]
        if key in done or len(members) < 2:
            continue
        done.update(m.key for m in members)
        grabbed = pieces[key]
        formed = formation(index, [grabbed, *(m for m in members if m.key != key)])
        for member in members:
            others.remove(member.key)
            del pieces[member.key]
        body = replace(
            formed.body,
            name=f"{grabbed.name} and what it is joined to",
            role="bearer" if any(m.role == "bearer" for m in members) else "prop",
            spiked=any(m.spiked for m in members),
        )
        formed = Formation(body, formed.members)
        others.put(body)
        pieces[body.key] = body
        formations[body.key] = formed
    return Joined(replace(dressed, pieces=pieces), others, formations)
