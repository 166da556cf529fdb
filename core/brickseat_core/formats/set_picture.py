"""The picture of a set, drawn without a graphics card: for its card, before a stage draws a better one."""

import io

import numpy as np
from PIL import Image

from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.surfaces import model_of
from brickseat_core.formats.prop_picture import Corners, draw, encoded, seen
from brickseat_core.scene import Vec

WIDTH, HEIGHT = 640, 400
"""Pixels."""
FINER = 2
"""Drawn so many times larger and averaged, so that edges are smooth."""
FIELD_DEG = 38.0
"""Height of the field of view."""
NEAREST = 0.05
"""Metres before the lens; what is nearer is cut off."""
PAPER = np.array([0.8148, 0.7529, 0.6308])
"""Behind everything. Linear red, green and blue."""
QUALITY = 85


def picture_of_set(document: GltfDocument, eye: tuple[float, ...], target: tuple[float, ...]) -> bytes:
    """A JPEG of what a document draws, seen from ``eye`` towards ``target`` (metres). Raises FileError."""
    view = looking(np.array(eye), np.array(target))
    width, height = WIDTH * FINER, HEIGHT * FINER
    image, depth = np.zeros((height, width, 4)), np.full((height, width), -np.inf)
    focal = 0.5 * height / np.tan(np.radians(0.5 * FIELD_DEG))
    for part in model_of(document).parts:
        for surface in part.surfaces:
            at, colours = before_lens(*seen(surface, view, np.array(eye)))
            # The reciprocal of the distance is linear over a triangle on the picture; the distance is not.
            near = -1.0 / at[:, :, 2:]
            flat = at[:, :, :2] * [focal, -focal] * near + [0.5 * width, 0.5 * height]
            draw(Corners(np.concatenate([flat, near], axis=2), np.ascontiguousarray(colours)), image, depth)
    image[:, :, :3] += PAPER * (1.0 - image[:, :, 3:])
    out = io.BytesIO()
    pixels = encoded(image.reshape(HEIGHT, FINER, WIDTH, FINER, 4).mean(axis=(1, 3))[:, :, :3])
    Image.fromarray(pixels, "RGB").save(out, "JPEG", quality=QUALITY)
    return out.getvalue()


def looking(eye: Vec, target: Vec) -> Vec:
    """Rows: to the right, up, and towards who looks. A look straight down has north (-z) above."""
    back = (eye - target) / np.linalg.norm(eye - target)
    up = np.array([0.0, 1.0, 0.0]) if abs(back[1]) < 0.999 else np.array([0.0, 0.0, -1.0])
    right = np.cross(up, back)
    right /= np.linalg.norm(right)
    return np.stack([right, np.cross(back, right), back])


def before_lens(at: Vec, colours: Vec) -> Corners:
    """Triangles (n, 3, 3) in the axes of who looks, without what lies nearer than ``NEAREST`` or behind.

    Cut by one plane, each gives none, one or two (Sutherland and Hodgman, 1974).
    """
    inside = at[:, :, 2] < -NEAREST
    count = inside.sum(axis=1)
    kept = [(at[count == 3], colours[count == 3])]
    for some in (1, 2):
        which = np.flatnonzero(count == some)
        # Turned round so that the corner that is alone on its side comes first.
        alone = np.argmax(inside[which] == (some == 1), axis=1)
        order = (alone[:, None] + np.arange(3)) % 3
        p, c = at[which[:, None], order], colours[which[:, None], order]
        share = (-NEAREST - p[:, :1, 2:]) / (p[:, 1:, 2:] - p[:, :1, 2:])
        cut, tint = p[:, :1] + share * (p[:, 1:] - p[:, :1]), c[:, :1] + share * (c[:, 1:] - c[:, :1])
        if some == 1:
            kept.append((np.concatenate([p[:, :1], cut], axis=1), np.concatenate([c[:, :1], tint], axis=1)))
        else:
            kept.append(
                (np.concatenate([cut[:, :1], p[:, 1:]], axis=1), np.concatenate([tint[:, :1], c[:, 1:]], axis=1))
            )
            far, tints = (np.stack([new[:, 0], old[:, 2], new[:, 1]], axis=1) for new, old in ((cut, p), (tint, c)))
            kept.append((far, tints))
    return Corners(*(np.concatenate(each) for each in zip(*kept, strict=True)))
