"""The noise above and below in a picture all round, which is drawn out there as everything is.

Towards the poles of an equirectangular picture each of its pixels covers less and less of the sphere, so noise that
came from a camera's pixels is wide there and no wider than a line high: a model that knows noise of single pixels
leaves it, and it is seen as a patch of noise at the zenith. So both poles are looked at as if from straight below and
above, where pixels cover what they cover along the horizon. What the model takes off there is taken off the picture
before it works on that as a whole.
"""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size, tile_rect, tiles_over

from ..colour.spaces import srgb_decode, srgb_encode
from ..sphere import Projection, Sphere

HALF = 45.0  # degrees from a pole to the middle of each side of what is looked at
CORNERS = 62.0  # and to its corners
BEGINS, WHOLE = 48.0, 58.0  # degrees of latitude from which it counts, and counts fully
LEAST_COSINE = 1e-3
TILE = 768  # px
WIDEST = 32_000  # px, about what cv2.remap takes
Run = Callable[[Array, Rect, Size], Array]  # what a model makes of a part of a picture of some size
Given = Callable[[Rect], Array]


def is_all_round(size: Size) -> bool:
    """Whether a picture that wraps has both poles, and OpenCV can look at it at once."""
    return abs(size.width - 2 * size.height) <= 2 and size.height >= 64 and size.width <= WIDEST


def share(rect: Rect, size: Size, up: bool) -> Array:
    """How much each row counts as near a pole: 0 along the horizon, 1 from 58 degrees on."""
    latitude = 90 - 180 * (np.arange(rect.top, rect.bottom) + 0.5) / size.height
    return np.clip(((latitude if up else -latitude) - BEGINS) / (WHOLE - BEGINS), 0, 1).astype(np.float32)


def seen_from(size: Size, up: bool) -> Sphere:
    """A view straight up or down, in its middle with as many px to a degree as the horizon has."""
    edge = round(2 * size.width / math.pi * math.tan(math.radians(HALF) / 2))
    return Sphere(size, Size(edge, edge), Projection.ROUND, 0.0, 90.0 if up else -90.0, 0.0, 2 * HALF)


def noise_at(up: bool, size: Size, given: Given, run: Run, margin: int) -> Array:
    """What a model takes off around a pole, negative, in encoded values of the view of :func:`seen_from`."""
    height = min(size.height, math.ceil(size.height * CORNERS / 180) + 4)
    top = 0 if up else size.height - height
    band = _evened(np.asarray(srgb_encode(given(Rect(top, 0, height, size.width)))), top, size)
    view = seen_from(size, up)
    rows, columns = np.mgrid[: view.view.height, : view.view.width] + 0.5
    x, y = view(columns, rows)
    # Beyond the side edges, and beyond the pole itself, where the other side of the sphere begins, near enough.
    wide = np.concatenate([band[:, -8:], band, band[:, :8]], axis=1)
    places = ((x % size.width) - 0.5 + 8).astype(np.float32), (y - 0.5 - top).astype(np.float32)
    seen = cv2.remap(wide, *places, cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REFLECT)
    pixels, cleaned = srgb_decode(seen), np.empty_like(seen)
    for place in tiles_over(view.view.rect, TILE):
        wanted = tile_rect(*place, TILE, view.view)
        around = wanted.grow(margin, view.view.rect)
        part = run(np.ascontiguousarray(pixels[around.slices]), around, view.view)
        cleaned[wanted.slices] = part[wanted.within(around).slices]
    return np.asarray(srgb_encode(cleaned) - seen, np.float32)


def without(pixels: Array, noise: Array, rect: Rect, size: Size, up: bool) -> Array:
    """A part of the picture all round, perhaps beyond its side edges, without what :func:`noise_at` found."""
    counts = share(rect, size, up)
    if not counts.any():
        return pixels
    rows, columns = np.mgrid[rect.top : rect.bottom, rect.left : rect.right] + 0.5
    x, y = (place.astype(np.float32) - np.float32(0.5) for place in seen_from(size, up).inverse(columns, rows))
    here = cv2.remap(noise, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT)
    return np.asarray(srgb_decode(srgb_encode(pixels) + counts[:, None, None] * here))


def _evened(band: Array, top: int, size: Size) -> Array:
    """Rows averaged along themselves over what the horizon's pixels cover, so that none of them is left out later."""
    evened = band.copy()
    for row in range(len(band)):
        cosine = math.cos(math.pi * ((top + row + 0.5) / size.height - 0.5))
        span = min(int(1 / max(cosine, LEAST_COSINE)) | 1, size.width - 1)
        if span > 1:
            line = band[row : row + 1]
            wide = np.concatenate([line[:, -span:], line, line[:, :span]], axis=1)
            evened[row] = cv2.blur(wide, (span, 1))[0, span:-span]
    return evened
