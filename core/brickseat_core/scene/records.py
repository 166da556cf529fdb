"""The records a set is made of: one frozen dataclass for each kind. All lengths in metres, all angles in degrees."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from brickseat_core.geometry.mesh import Mesh
from brickseat_core.scene.pose import DOWN, Pose, Triple
from brickseat_core.scene.seats import Frame, Seat
from brickseat_core.tolerances import SEATED_TOLERANCE

Role = Literal["bearer", "prop"]
ROLES: tuple[Role, ...] = get_args(Role)
TieKind = Literal["cling", "gap", "square", "join"]
TIE_KINDS: tuple[TieKind, ...] = get_args(TieKind)
RecipeKind = Literal["scatter", "row", "fill"]
RECIPE_KINDS: tuple[RecipeKind, ...] = get_args(RecipeKind)
Turn = tuple[str, str, float]
"""Joint, axis (x, y or z), degrees."""


@dataclass(frozen=True)
class Prop:
    """A model that can be used: its true mesh under a name, and its seats. Two props of one key are equal."""

    key: str
    name: str = field(compare=False)
    mesh: Mesh = field(compare=False)
    seats: tuple[Seat, ...] = field(default=(), compare=False)

    def seat(self, name: str) -> Seat | None:
        """The seat of that name."""
        return next((s for s in self.seats if s.name == name), None)


@dataclass(frozen=True)
class Piece:
    """One copy of a prop on a set.

    ``direction``: unit vector along which it is seated. ``sink`` / ``stand_off``: metres it is meant
    to be embedded / kept off along it. ``spiked``: never moved. ``group``: name shared by pieces that are
    picked up as one; empty for none. ``recipe``, ``number``: the recipe that laid it, and its number there.
    """

    key: str
    name: str
    prop: Prop
    pose: Pose
    role: Role = "prop"
    direction: Triple = DOWN
    sink: float = 0.0
    stand_off: float = 0.0
    spiked: bool = False
    group: str = ""
    recipe: str = ""
    number: int | None = None

    def at(self, pose: Pose) -> "Piece":
        """The same piece at another pose.

        A slide asks for dozens: so it is made without the checks of ``dataclasses.replace``, a fifth of its time.
        """
        return Piece(**{**vars(self), "pose": pose})

    @property
    def movable(self) -> bool:
        """Whether moves may change its pose."""
        return self.role == "prop" and not self.spiked

    @property
    def plain(self) -> "Piece":
        """The same copy without a wanted sink or stand-off: what touches exactly."""
        return Piece(self.key, self.name, self.prop, self.pose, self.role, self.direction)


@dataclass(frozen=True)
class Tie:
    """A lasting relation between two pieces, named by their keys.

    ``side``: unit world direction of the piece that a gap is measured from, and in which square looks for its face.
    ``distance``: metres that a gap keeps, exactly or ``at_least``. ``angle``: degrees that square keeps. ``seat``,
    ``to_seat``: names of the two seats that a join keeps together, empty where it is no seat. ``frame``, ``to_frame``:
    where the two are joined, in the coordinates of each. ``lean``: how far a clinging piece follows the slope, 0 plumb to
    1 square; ``smooth``: the slope is that of the smoothed surface. ``locked``: it is only loosened by name.
    """

    key: str
    tie: TieKind
    piece: str
    to: str
    side: Triple | None = None
    distance: float = 0.0
    at_least: bool = False
    angle: float = 0.0
    seat: str = ""
    to_seat: str = ""
    locked: bool = False
    frame: Frame | None = None
    to_frame: Frame | None = None
    lean: float = 0.0
    smooth: bool = False


@dataclass(frozen=True)
class Recipe:
    """A rule that lays many pieces, and can be laid again.

    ``parameters``: plain JSON values, as the recipe's own schema says. ``taken_out``: numbers whose piece was taken
    away. ``nudged``: poses that were moved by hand, by number.
    """

    key: str
    name: str
    recipe: RecipeKind
    seed: int
    parameters: Mapping[str, Any]
    taken_out: tuple[int, ...] = ()
    nudged: tuple[tuple[int, Pose], ...] = ()


@dataclass(frozen=True)
class Region:
    """A volume: a keep-out or a bay. It is shown, bears nothing and hits nothing. ``prop``: its closed shape."""

    key: str
    name: str
    prop: Prop
    pose: Pose


@dataclass(frozen=True)
class CutOut:
    """A hole that a piece cuts into a bearer, wider than the piece by ``clearance`` metres all round."""

    key: str
    piece: str
    bearer: str
    clearance: float = 0.0


@dataclass(frozen=True)
class PropChange:
    """What a set needs of a prop that was changed for it: unit, up axis, turned joints, material. Empty: as it came."""

    key: str
    unit: str = ""
    up: str = ""
    turns: tuple[Turn, ...] = ()
    material: str = ""


SETTINGS_KEY = "set"
"""The key of the one record of kind ``set``."""


@dataclass(frozen=True)
class Settings:
    """What belongs to the set itself. ``tolerance`` in metres. ``trolley``: keys of the props wheeled onto it."""

    name: str
    tolerance: float = SEATED_TOLERANCE
    trolley: tuple[str, ...] = ()


Record = Piece | Tie | Recipe | Region | CutOut | PropChange | Settings
Kind = Literal["set", "prop", "piece", "region", "tie", "recipe", "cut_out"]
KINDS: tuple[Kind, ...] = get_args(Kind)
"""In the order in which records may name each other: those before, never those after."""
