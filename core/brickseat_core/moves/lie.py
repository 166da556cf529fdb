"""Lie: pieces turned onto another of their sides."""

from typing import Literal

import numpy as np
from pydantic.dataclasses import dataclass

from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.landing import turned_about
from brickseat_core.fit.repair import Left
from brickseat_core.fit.set_down import set_down
from brickseat_core.geometry.sides import resting_sides
from brickseat_core.moves.choosing import chosen, each_in_turn, foot_of, in_short
from brickseat_core.moves.fields import Pieces, Vector, unit_vector
from brickseat_core.moves.registry import REGISTRY, Outcome, Scene
from brickseat_core.placing.frames import shortest_rotation
from brickseat_core.scene import DOWN, Piece, Vec

ON_IT = float(np.cos(np.radians(2.0)))
"""Cosine of the angle within which a piece lies on a side."""
MOST_SIDES = 12
"""Sides that are gone through, the steadiest: a ball has as many as triangles."""


@dataclass(frozen=True)
class LieMove:
    """Pieces onto another side: the ``next`` of those on which they rest, the steadiest first; ``upright`` again; or a direction in a piece's
    own coordinates that is to point at what it lies on. By the shortest turn, about where they touch, and set down anew."""

    kind: Literal["lie"]
    pieces: Pieces
    side: Literal["next", "upright"] | Vector = "next"


def compute(scene: Scene, move: LieMove) -> Outcome:
    """The pieces on that side; those that have no other are left. Raises MoveRefused."""
    pieces = chosen(scene, move.pieces)
    words = (
        f"stood {in_short(pieces)} upright" if move.side == "upright" else f"laid {in_short(pieces)} on another side"
    )

    def laid(index: SceneIndex, piece: Piece) -> Piece | Left:
        if move.side == "upright":
            down: Vec | None = in_world(piece, np.asarray(DOWN))
            toward = np.asarray(DOWN)
        else:
            toward = np.asarray(piece.direction)
            down = (
                next_side(index, piece) if move.side == "next" else in_world(piece, np.asarray(unit_vector(move.side)))
            )
        if down is None:
            return Left(piece.key, "it is flat; it rests on no other side")
        turned = turned_about(piece, shortest_rotation(down, toward), foot_of(index, piece))
        return turned.at(set_down(index, turned).pose)

    return each_in_turn(scene, pieces, pieces, laid, words)


def in_world(piece: Piece, normal: Vec) -> Vec:
    """(3,) unit normal in the world of a plane of the prop that has ``normal`` in its own coordinates, however it is stretched."""
    found = np.linalg.solve(piece.pose.linear.T, normal)
    return np.asarray(found / np.linalg.norm(found))


def next_side(index: SceneIndex, piece: Piece) -> Vec | None:
    """Of the sides on which a piece rests, the normal in the world of the one after that on which it lies: the steadiest where it lies on none."""
    sides = resting_sides(index.mesh_of(piece))[:MOST_SIDES]
    if not sides:
        return None
    downs = np.array([in_world(piece, np.asarray(side.down)) for side in sides])
    near = downs @ np.asarray(piece.direction)
    now = int(np.argmax(near))
    return np.asarray(downs[(now + 1) % len(downs)] if near[now] > ON_IT else downs[0])


REGISTRY.register(LieMove, compute, bodily=True)
