"""What the store knows of props beside their meshes, for the moves that ask."""

from functools import lru_cache
from pathlib import Path

from brickseat.store.contact import kept_shape, wanted_kind
from brickseat.store.models import StoredProp
from brickseat.store.physical import properties_of
from brickseat_core.budget import Budget
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.painted import painted_prop, with_chalk
from brickseat_core.geometry.painting import Painting
from brickseat_core.gravity.falling import Falling
from brickseat_core.gravity.shapes import NoShape
from brickseat_core.gravity.world import NotForGravity
from brickseat_core.moves import PropFacts
from brickseat_core.proposals.scatter.weights import Weight
from brickseat_core.scene import Piece, Prop, Vec

PAINTINGS_KEPT = 16


def stored_falls(prop: Prop, budget: Budget) -> Falling:
    """How a stored prop falls: by its own material and contact shape. Raises NotForGravity, and GivenUp."""
    stored = StoredProp.objects.get(key=prop.key)
    try:
        return Falling(kept_shape(stored, wanted_kind(stored), budget), properties_of(stored))
    except NoShape as problem:
        raise NotForGravity(
            f"{stored.name} cannot fall: {problem}; give it another contact shape on the bench"
        ) from None


def stored_painting(prop: Prop) -> Painting | None:
    """The vertex colours of a stored prop; None where it has none."""
    stored = StoredProp.objects.filter(key=prop.key).first()
    return _painting(stored.path) if stored is not None else None


@lru_cache(maxsize=PAINTINGS_KEPT)
def _painting(path: Path) -> Painting | None:
    # Named after what is in it: another file has another path.
    return painted_prop(GltfDocument.open(path))


def chalked_model(piece: Piece, weight: Weight) -> bytes:
    """The model of a piece as GLB, its vertex colours the ``weight`` of where it stands in the world."""
    stored = StoredProp.objects.get(key=piece.prop.key)

    def here(points: Vec) -> Vec:
        return weight(piece.pose.apply(points), points)

    return with_chalk(GltfDocument.open(stored.path), here).to_glb()


STORED = PropFacts(stored_falls, stored_painting)
