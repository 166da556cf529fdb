"""What can stay of an earlier filling: what still sits, inside the bay, without what does not."""

from collections.abc import Mapping

from brickseat_core.admission.withdrawing import withdrawn
from brickseat_core.contact.index import SceneIndex
from brickseat_core.fit.check import side_by_side
from brickseat_core.geometry.mesh import Mesh
from brickseat_core.proposals.fill.bay import grown, outward_solid
from brickseat_core.recipes.volumes import Shape, Volumes
from brickseat_core.scene import Piece, Pose

WITHIN = 1e-5
"""Metres by which a piece may stand out of its bay."""


def what_can_stay(index: SceneIndex, pieces: Mapping[int, Piece], bay: Shape, tolerance: float) -> dict[int, Piece]:
    """Those of ``pieces``, by number, that sit in a bay and need none of the others. ``index``: a fork of its own, without them."""
    solid = outward_solid(bay.mesh, bay.pose)
    wider = Shape(Mesh(grown(solid, WITHIN), solid.faces), Pose((0.0, 0.0, 0.0)))
    listed = list(pieces.items())
    with side_by_side(len(listed)) as each:
        inside = Volumes([], [wider]).allow([piece for _, piece in listed], each)
    staying = {number: piece for (number, piece), held in zip(listed, inside, strict=True) if held}
    index = index.fork()
    index.put_all(staying.values())
    gone = withdrawn(index, [piece.key for piece in staying.values()], tolerance)
    return {number: piece for number, piece in staying.items() if piece.key not in gone}
