"""Ground from a height image, which is read in a process of its own."""

import tempfile
from pathlib import Path

import numpy as np
from PIL import Image

from brickseat_core.formats.apart import run_apart
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.building import Paint, Surface, prop_document
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.making import look_at
from brickseat_core.geometry import bearers

PLASTER = Paint("plaster", (0.62, 0.57, 0.48), 0.95)
FORMATS = ("PNG", "TIFF", "JPEG")
MOST_PIXELS = 4096 * 4096


def terrain_apart(image: bytes, name: str, across: float, along: float, height: float) -> GltfDocument:
    """The model of a ground as wide, long and high (metres) as asked; bright is high. Raises FileError."""
    with tempfile.TemporaryDirectory(prefix="terrain-") as folder:
        given, made = Path(folder) / "image", Path(folder) / "terrain.glb"
        given.write_bytes(image)
        run_apart(make_terrain, str(given), name, across, along, height, str(made))
        return GltfDocument.parse(made.read_bytes())


def make_terrain(given: str, name: str, across: float, along: float, height: float, made: str) -> None:
    """As ``terrain_apart``, in this process; it goes to the file ``made`` as GLB. Raises FileError."""
    try:
        # The size is in the file's head, and is looked at before any pixel is.
        with Image.open(given, formats=FORMATS) as image:
            if image.width * image.height > MOST_PIXELS or min(image.size) < 2:
                raise FileError(f"the image is {image.width} by {image.height}; use 2 to 4,096 pixels a side")
            heights = np.asarray(image.convert("F"))
    except FileError:
        raise
    except Exception as error:  # noqa: BLE001  (the readers of this library raise whatever they stumble on)
        raise FileError(f"the height image cannot be read ({type(error).__name__}); save it as PNG") from None
    if not np.isfinite(heights).all():
        raise FileError("the height image holds values that are not finite; save it as PNG")
    mesh = bearers.terrain(heights, across, along, height)
    data = prop_document(name, [Surface(PLASTER, mesh.vertices, mesh.faces)]).to_glb()
    look_at(data, "glb")
    Path(made).write_bytes(data)
