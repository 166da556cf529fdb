"""Moves: the one way to change a set. Each is a small typed command, computed in ``making``.

``together``: several pieces keep their arrangement and move as one body; otherwise each is seated on its own.
"""

from dataclasses import dataclass

from brickseat_core.scene import DOWN, Piece, Pose, Prop, Triple


class MoveRefused(ValueError):
    """A move that cannot be made: says what, and what to do."""


@dataclass(frozen=True)
class SetDown:
    """A new piece of ``prop`` at ``pose``, as the ghost showed it."""

    key: str
    prop: Prop
    pose: Pose
    direction: Triple = DOWN
    sink: float = 0.0
    stand_off: float = 0.0


@dataclass(frozen=True)
class Place:
    """One piece to another pose; ``reseat`` sets it down again from there."""

    key: str
    pose: Pose
    direction: Triple | None = None
    reseat: bool = False


@dataclass(frozen=True)
class Slide:
    """Pieces by a vector in metres, staying seated. One, or several together, go over steps and edges, and stop at
    what is too high for them, or go along it."""

    keys: tuple[str, ...]
    by: Triple
    together: bool = False


@dataclass(frozen=True)
class Carry:
    """Pieces freely by a vector in metres: through the air, and touching nothing unless it happens to."""

    keys: tuple[str, ...]
    by: Triple


@dataclass(frozen=True)
class Push:
    """Pieces along a vector in metres, one after the other, foremost first: up to the first contact, then along it."""

    keys: tuple[str, ...]
    by: Triple
    together: bool = False


@dataclass(frozen=True)
class Turn:
    """Pieces by an angle in radians about the vertical through each, staying seated."""

    keys: tuple[str, ...]
    angle: float
    together: bool = False


@dataclass(frozen=True)
class Size:
    """Pieces by a factor, or one for each of the prop's own axes, about where they touch."""

    keys: tuple[str, ...]
    factor: float | Triple
    together: bool = False


@dataclass(frozen=True)
class Bed:
    """Wanted sink (positive) or stand-off (negative) of pieces, in metres; they follow at once."""

    keys: tuple[str, ...]
    sink: float


@dataclass(frozen=True)
class Seat:
    """Set pieces down where they are."""

    keys: tuple[str, ...]
    together: bool = False


@dataclass(frozen=True)
class Rest:
    """Tilt pieces from where they are to the nearest stable stand; those that have none near are left."""

    keys: tuple[str, ...]
    together: bool = False


@dataclass(frozen=True)
class Spike:
    """Lock or free pieces."""

    keys: tuple[str, ...]
    spiked: bool


@dataclass(frozen=True)
class Copy:
    """The same pieces once more under new ``names`` (keys), moved by a vector in metres and set down there."""

    keys: tuple[str, ...]
    names: tuple[str, ...]
    by: Triple


@dataclass(frozen=True)
class Adopt:
    """Pieces to where they came to lie under gravity: a pose for each of ``keys``.

    ``born``: new pieces, poured or shards. ``gone``: keys of what broke into them.
    """

    keys: tuple[str, ...]
    poses: tuple[Pose, ...]
    born: tuple[Piece, ...] = ()
    gone: tuple[str, ...] = ()


@dataclass(frozen=True)
class Remove:
    keys: tuple[str, ...]


@dataclass(frozen=True)
class Swap:
    """Other copies in the place of pieces: of ``prop``, where they touch, turned and sized as they are."""

    keys: tuple[str, ...]
    prop: Prop


@dataclass(frozen=True)
class Stand:
    """A bearer brought onto the set: it stays exactly where it is put."""

    key: str
    name: str
    prop: Prop
    pose: Pose


@dataclass(frozen=True)
class Fix:
    """Pieces made fixed (bearers, which carry and are not picked up) or loose again."""

    keys: tuple[str, ...]
    fixed: bool


@dataclass(frozen=True)
class Group:
    """Pieces that are picked up as one from now on; an empty ``name`` parts them."""

    keys: tuple[str, ...]
    name: str


@dataclass(frozen=True)
class Rename:
    key: str
    name: str


@dataclass(frozen=True)
class Mend:
    """Repair faults: of ``keys``, or of everything when None."""

    keys: tuple[str, ...] | None


Marking = Spike | Fix | Group | Rename
"""Moves that write on pieces and leave them where they are."""
Move = (
    SetDown
    | Place
    | Slide
    | Carry
    | Push
    | Turn
    | Size
    | Bed
    | Seat
    | Rest
    | Copy
    | Adopt
    | Remove
    | Swap
    | Stand
    | Mend
    | Marking
)
