"""The models of derived meshes: walls that something is cut into, as they are or as a preview shows them."""

from collections import OrderedDict
from threading import Lock

import numpy as np

from brickseat.sets.session import LiveSet
from brickseat.store.models import StoredProp
from brickseat_core.formats.gltf.building import Surface, main_paint, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.geometry.mesh import Mesh

PREVIEWED_KEPT = 24
"""Meshes that previews showed last, on all sets: a stage asks for each within a moment."""
_previewed: OrderedDict[tuple[str, str], Mesh] = OrderedDict()
_lock = Lock()


def note_previewed(piece: str, mesh: Mesh) -> None:
    """Keep a mesh that a preview names until the stage has asked for it."""
    with _lock:
        _previewed[piece, mesh.digest] = mesh
        _previewed.move_to_end((piece, mesh.digest))
        while len(_previewed) > PREVIEWED_KEPT:
            _previewed.popitem(last=False)


def shape_data(live: LiveSet, piece: str, digest: str) -> bytes | None:
    """The model of a piece that has the mesh of that digest, in the paint that its prop has most of; None where it has not."""
    now = live.snapshot
    mesh = now.index.derived.get(piece)
    if mesh is None or mesh.digest != digest:
        with _lock:
            mesh = _previewed.get((piece, digest))
    standing = now.dressed.pieces.get(piece)
    if mesh is None or standing is None:
        return None
    paint = main_paint(GltfDocument.open(StoredProp.objects.get(key=standing.prop.key).path))
    # Sharp at the rim of the opening: every triangle has corners of its own.
    corners = mesh.vertices[mesh.faces].reshape(-1, 3)
    faces = np.arange(len(corners), dtype=np.int32).reshape(-1, 3)
    return prop_document(standing.prop.name, [Surface(paint, corners, faces)]).to_glb()
