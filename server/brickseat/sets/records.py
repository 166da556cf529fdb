"""A piece as plain JSON values: what the database, the history and the browser pass about."""

from typing import TypedDict

from brickseat.sets.models import StandingPiece
from brickseat_core.scene import Piece, Pose, Prop, Quaternion, Role, Triple


class PoseRecord(TypedDict):
    position: Triple
    orientation: Quaternion
    scale: Triple


class PieceRecord(TypedDict):
    key: str
    name: str
    prop: str
    role: Role
    pose: PoseRecord
    direction: Triple
    sink: float
    stand_off: float
    spiked: bool
    group: str


class DeltaRecord(TypedDict):
    key: str
    before: PieceRecord | None
    after: PieceRecord | None


def pose_record(pose: Pose) -> PoseRecord:
    return {"position": pose.position, "orientation": pose.orientation, "scale": pose.scale}


def pose_of(record: PoseRecord) -> Pose:
    return Pose.from_parts(record["position"], record["orientation"], record["scale"])


def piece_record(piece: Piece) -> PieceRecord:
    return {
        "key": piece.key,
        "name": piece.name,
        "prop": piece.prop.key,
        "role": piece.role,
        "pose": pose_record(piece.pose),
        "direction": piece.direction,
        "sink": piece.sink,
        "stand_off": piece.stand_off,
        "spiked": piece.spiked,
        "group": piece.group,
    }


def row_record(row: StandingPiece) -> PieceRecord:
    return {
        "key": row.key,
        "name": row.name,
        "prop": row.prop.key,
        "role": "bearer" if row.role == "bearer" else "prop",
        "pose": row.pose,
        "direction": row.direction,
        "sink": row.sink,
        "stand_off": row.stand_off,
        "spiked": row.spiked,
        "group": row.group,
    }


def piece_of(record: PieceRecord, prop: Prop) -> Piece:
    x, y, z = record["direction"]
    return Piece(
        record["key"],
        record["name"],
        prop,
        pose_of(record["pose"]),
        record["role"],
        (float(x), float(y), float(z)),
        float(record["sink"]),
        float(record["stand_off"]),
        bool(record["spiked"]),
        record.get("group", ""),
    )
