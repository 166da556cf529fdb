"""The shape that volumes are drawn with on the stage: a closed box of one metre, which no list shows."""

from brickseat.store.models import StoredProp
from brickseat.store.shelving import shelve
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.geometry.cube import cube

PAPER_BOX = "paper-box"
PAPER = Paint("paper", (0.96, 0.93, 0.86))


def paper_box() -> StoredProp:
    """The box, made when it is first wanted."""
    found = StoredProp.objects.filter(key=PAPER_BOX).first()
    if found is not None:
        return found
    mesh = cube()
    document = prop_document("box", [Surface(PAPER, mesh.vertices, mesh.faces)])
    return shelve(PAPER_BOX, "box", document, category="volumes", role="bearer", listed=False)
