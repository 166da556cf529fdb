"""The picture of a set on its card: a small JPEG, kept beside the database."""

import base64
import binascii
import hashlib
import io
import uuid
from pathlib import Path

from django.conf import settings
from PIL import Image

from brickseat.sets.models import DressedSet
from brickseat.sets.opening import hand_over
from brickseat_core.formats.errors import FileError
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.set_picture import picture_of_set
from brickseat_core.formats.writing import write_whole

LARGEST = 400_000
MOST_PIXELS = 1280


def path_of(key: uuid.UUID) -> Path:
    """Where the picture of a set lies."""
    return Path(settings.DATA) / "pictures" / f"{key.hex}.jpg"


def keep_picture(dressed: DressedSet, text: str) -> None:
    """Keep a JPEG given as base64. Raises FileError where it is none, or too large."""
    try:
        data = base64.b64decode(text, validate=True)
    except (binascii.Error, ValueError):
        raise FileError("the picture is not base64; draw it again") from None
    if len(data) > LARGEST:
        raise FileError(f"the picture has more than {LARGEST} bytes; draw it smaller")
    try:
        with Image.open(io.BytesIO(data), formats=("JPEG",)) as picture:
            if max(picture.size) > MOST_PIXELS:
                raise FileError(f"the picture is more than {MOST_PIXELS} pixels wide or high; draw it smaller")
            picture.verify()
    except (OSError, SyntaxError):
        raise FileError("the picture is not a JPEG; draw it again") from None
    keep(dressed, data)


def draw_picture(dressed: DressedSet) -> None:
    """Draw the picture of a set on which no stage has been yet, by its look. Raises FileError."""
    look = dressed.look
    document = GltfDocument.parse(hand_over(dressed))
    keep(dressed, picture_of_set(document, look["eye"], look["target"]))


def keep(dressed: DressedSet, data: bytes) -> None:
    path = path_of(dressed.key)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_whole(path, data)
    DressedSet.objects.filter(key=dressed.key).update(picture=hashlib.sha256(data).hexdigest()[:16])
