"""What everything passes along: poses, the records of a set, and the changes between sets. Plain and frozen.

No computation of contact, no file formats and no rules of placing may come in here.
"""

from brickseat_core.scene.bodies import Bodies, bodies_of, connected
from brickseat_core.scene.changes import Change, Delta, OutOfStep, Set, merged, piece_delta
from brickseat_core.scene.names import Names
from brickseat_core.scene.pose import (
    DOWN,
    IDENTITY,
    UP,
    Pose,
    Quaternion,
    Triple,
    Vec,
    cross,
    quaternion_of,
    rotation_about,
    rotation_matrix,
)
from brickseat_core.scene.records import (
    KINDS,
    SETTINGS_KEY,
    CutOut,
    Kind,
    Piece,
    Prop,
    PropChange,
    Recipe,
    Record,
    Region,
    Role,
    Settings,
    Tie,
)
from brickseat_core.scene.seats import Frame, Seat, WorldFrame, carried, frame_of, in_prop, in_world, named_apart

__all__ = [
    "DOWN",
    "IDENTITY",
    "KINDS",
    "SETTINGS_KEY",
    "UP",
    "Bodies",
    "Change",
    "CutOut",
    "Delta",
    "Frame",
    "Kind",
    "Names",
    "OutOfStep",
    "Piece",
    "Pose",
    "Prop",
    "PropChange",
    "Quaternion",
    "Recipe",
    "Record",
    "Region",
    "Role",
    "Seat",
    "Set",
    "Settings",
    "Tie",
    "Triple",
    "Vec",
    "WorldFrame",
    "bodies_of",
    "carried",
    "connected",
    "cross",
    "frame_of",
    "in_prop",
    "in_world",
    "merged",
    "named_apart",
    "piece_delta",
    "quaternion_of",
    "rotation_about",
    "rotation_matrix",
]
