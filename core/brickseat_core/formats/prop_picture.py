"""Small pictures of a prop, drawn without a graphics card: for lists in which it is to be known again."""

import io
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from brickseat_core.formats.gltf.building import Surface, shaded
from brickseat_core.formats.gltf.document import GltfDocument
from brickseat_core.formats.gltf.group_pictures import VIEW
from brickseat_core.formats.gltf.surfaces import model_of
from brickseat_core.kernels import kernel
from brickseat_core.scene import Vec

Look = Literal["corner", "front"]
SIZE_PX = {"corner": 112, "front": 264}
FINER = 3
"""Drawn so many times larger and averaged, so that edges are smooth."""
MOST_STEPS = 200_000_000
"""Pixels looked at for all triangles together, about a second; nothing more is drawn where a model would take longer."""
MARGIN = 0.06
"""Of the picture, left free on each side; none of a front, which is drawn to scale by its box."""
SUN = np.array([0.6, 1.2, 0.9]) / np.linalg.norm([0.6, 1.2, 0.9])
SUNLIGHT, SKYLIGHT, GROUNDLIGHT = (
    np.array([0.76, 0.68, 0.58]),
    np.array([0.51, 0.48, 0.42]),
    np.array([0.2, 0.17, 0.13]),
)
"""Linear red, green and blue."""


class Corners(NamedTuple):
    """Corners of triangles: ``at`` (n, 3, 3) in pixels to the right and down, and metres towards who looks; ``colours`` (n, 3, 3) linear."""

    at: Vec
    colours: Vec


def picture_of(document: GltfDocument, look: Look) -> bytes:
    """A PNG of what a document draws, on nothing. ``front``: seen along its z axis, its box filling the picture. Raises FileError."""
    view = VIEW if look == "corner" else np.eye(3)
    placed = [seen(surface, view) for part in model_of(document).parts for surface in part.surfaces]
    at, colours = (np.concatenate(each) for each in zip(*placed, strict=True))
    lo, hi = at.min(axis=(0, 1)), at.max(axis=(0, 1))
    size = SIZE_PX[look] * FINER
    extent = np.maximum(hi - lo, 1e-9)[:2]
    free = MARGIN if look == "corner" else 0.0
    scale = size * (1.0 - 2.0 * free) / extent.max()
    width, height = (
        (size, size) if look == "corner" else np.maximum(np.ceil(extent * scale / FINER).astype(int), 1) * FINER
    )
    middle = 0.5 * (lo + hi)
    at = (at - middle) * [scale, -scale, 1.0] + [0.5 * width, 0.5 * height, 0.0]
    image, depth = np.zeros((int(height), int(width), 4)), np.full((int(height), int(width)), -np.inf)
    draw(Corners(np.ascontiguousarray(at), np.ascontiguousarray(colours)), image, depth)
    return png_of(image)


def seen(surface: Surface, view: Vec, eye: Vec | float = 0.0) -> Corners:
    """The corners of a surface in the axes of who looks from ``eye``, in metres, lit from above and from the right."""
    points, normals, faces, source = shaded(surface)
    albedo = np.asarray(surface.paint.colour) * np.ones((len(points), 3))
    if surface.colours is not None:
        albedo = albedo * surface.colours[source]
    turned = normals @ view.T
    # What is seen from behind is lit as from its front: a sheet has two sides.
    normals = np.where(turned[:, 2:] < 0.0, -normals, normals)
    sun, up = np.maximum(normals @ SUN, 0.0)[:, None], 0.5 + 0.5 * normals[:, 1:2]
    colours = albedo * (SUNLIGHT * sun + SKYLIGHT * up + GROUNDLIGHT * (1.0 - up))
    return Corners(((points - eye) @ view.T)[faces], colours[faces])


@kernel
def draw(corners: Corners, image: Vec, depth: Vec) -> None:
    """Draw triangles into ``image`` (h, w, 4), of which the nearest to who looks is seen in each pixel; ``depth`` (h, w) how near it is.

    By edge functions (Pineda, 1988).
    """
    height, width = depth.shape
    steps = 0
    for t in range(len(corners.at)):
        ax, ay, az = corners.at[t, 0]
        bx, by, bz = corners.at[t, 1]
        cx, cy, cz = corners.at[t, 2]
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if area == 0.0:
            continue
        x0, x1 = max(0, int(min(ax, bx, cx) - 0.5)), min(width - 1, int(max(ax, bx, cx) + 0.5))
        y0, y1 = max(0, int(min(ay, by, cy) - 0.5)), min(height - 1, int(max(ay, by, cy) + 0.5))
        if x1 < x0 or y1 < y0:
            continue
        steps += (x1 - x0 + 1) * (y1 - y0 + 1)
        if steps > MOST_STEPS:
            return
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                u = ((bx - px) * (cy - py) - (by - py) * (cx - px)) / area
                v = ((cx - px) * (ay - py) - (cy - py) * (ax - px)) / area
                w = 1.0 - u - v
                if u < 0.0 or v < 0.0 or w < 0.0:
                    continue
                near = u * az + v * bz + w * cz
                if near > depth[y, x]:
                    depth[y, x] = near
                    for k in range(3):
                        image[y, x, k] = (
                            u * corners.colours[t, 0, k] + v * corners.colours[t, 1, k] + w * corners.colours[t, 2, k]
                        )
                    image[y, x, 3] = 1.0


def png_of(image: Vec) -> bytes:
    """A linear picture (h, w, 4), averaged over ``FINER`` pixels each way, as PNG."""
    height, width = image.shape[0] // FINER, image.shape[1] // FINER
    mean = image.reshape(height, FINER, width, FINER, 4).mean(axis=(1, 3))
    alpha = mean[:, :, 3:]
    pixels = np.concatenate([encoded(mean[:, :, :3] / np.maximum(alpha, 1e-9)), in_bytes(alpha)], axis=2)
    out = io.BytesIO()
    Image.fromarray(pixels, "RGBA").save(out, "PNG", optimize=True)
    return out.getvalue()


def encoded(linear: Vec) -> NDArray[np.uint8]:
    """Linear colours in sRGB (IEC 61966-2-1), from 0 to 255."""
    linear = np.clip(linear, 0.0, 1.0)
    return in_bytes(np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055))


def in_bytes(shares: Vec) -> NDArray[np.uint8]:
    return (shares * 255.0 + 0.5).astype(np.uint8)
