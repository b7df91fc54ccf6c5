"""Small pictures of a shot that cost little: what the file carries, or a reduced decode."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import rawpy
from numpy.typing import NDArray
from PIL import Image, ImageOps

from crispgrain.arrays import Array
from crispgrain.restoration.cells import mirrored

from ..colour.spaces import apply_matrix
from .source import RawSource

Small = NDArray[np.uint8]


def shrunk(picture: NDArray, longest: int) -> NDArray:
    """A picture (H x W or H x W x C) averaged down to a long side; a smaller one as it is."""
    height, width = picture.shape[:2]
    share = longest / max(height, width)
    if share >= 1:
        return picture
    size = (max(1, round(width * share)), max(1, round(height * share)))
    return cv2.resize(picture, size, interpolation=cv2.INTER_AREA)


def sensor_colours(source: RawSource, longest: int) -> Array:
    """Sensor RGB (h x w x 3, 1 = saturation, not balanced) of a mosaic whose cells are averaged down."""
    if not source.bayer:
        return shrunk(_by_blocks(source), longest)
    sums: list[Array | None] = [None, None, None]
    counts = [0, 0, 0]
    for y in (0, 1):
        for x in (0, 1):
            colour = int(source.pattern[y, x])
            plane = shrunk(source.mosaic[y::2, x::2].astype(np.float32), longest)
            plane = (plane - source.black[y, x]) / np.float32(source.white - source.black[y, x])
            had = sums[colour]
            sums[colour] = plane if had is None else had + plane
            counts[colour] += 1
    return np.stack([s / n for s, n in zip(sums, counts, strict=True) if s is not None], axis=-1)


def balanced(source: RawSource, sensor: Array) -> Array:
    """Sensor RGB (h x w x 3) of a whole RAW, of any size, balanced as it was shot and with its shading undone."""
    if source.shading is None:
        return sensor * source.white_balance
    rows, columns = (
        (np.arange(few) + 0.5) * (many / few) - 0.5
        for few, many in zip(sensor.shape, (source.size.height, source.size.width), strict=False)
    )
    return sensor * (source.shading.at(rows, columns) * source.white_balance)


def working_colours(source: RawSource, longest: int) -> Array:
    """As :func:`sensor_colours`, balanced and in the working space."""
    return apply_matrix(balanced(source, sensor_colours(source, longest)), source.camera_to_working)


def _by_blocks(source: RawSource) -> Array:
    """Sensor RGB by means of each colour in blocks, of which a cell of the sensor holds two each way."""
    size, block, (height, width) = len(source.pattern), source.block, source.mosaic.shape
    mosaic = source.mosaic[mirrored(source.pattern, (height, width), (0, -height % size), (0, -width % size))]
    sums, counts = np.zeros((2, len(mosaic) // block, mosaic.shape[1] // block, 3), np.float32)
    for y, x in np.ndindex(source.pattern.shape):
        plane = (mosaic[y::size, x::size] - source.black[y, x]) / np.float32(source.white - source.black[y, x])
        own = np.s_[y // block :: 2, x // block :: 2, source.pattern[y, x]]
        sums[own] += plane
        counts[own] += 1
    return (sums / counts)[: -(-height // block), : -(-width // block)]


def embedded_preview(path: Path, longest: int) -> Small | None:
    """The camera's own small rendering inside a RAW (8-bit sRGB, h x w x 3, upright); None if it carries none."""
    try:
        with rawpy.imread(str(path)) as raw:
            thumb, flip = raw.extract_thumb(), raw.sizes.flip
    except (rawpy.LibRawError, OSError):
        return None
    if thumb.format == rawpy.ThumbFormat.JPEG:
        with Image.open(io.BytesIO(bytes(thumb.data))) as picture:
            picture.draft("RGB", (longest, longest))
            pixels = np.asarray(picture.convert("RGB"))
    else:
        pixels = np.asarray(thumb.data)
    turns = {3: 2, 5: 1, 6: 3}.get(flip, 0)  # LibRaw's codes, quarter turns anticlockwise
    return np.ascontiguousarray(shrunk(np.rot90(pixels, turns), longest))


def decoded_small(path: Path, longest: int) -> Small | None:
    """A JPEG decoded at a fraction of its size (8-bit, h x w x 3, upright); None for anything else.

    Its profile is not looked at: this is for thumbnails, which are made anew when the shot is read.
    """
    try:
        with Image.open(path, "r", ("JPEG", "MPO")) as picture:
            picture.draft("RGB", (longest, longest))
            upright = ImageOps.exif_transpose(picture.convert("RGB"))
            return np.ascontiguousarray(shrunk(np.asarray(upright), longest))
    except Exception:  # what is wrong with it is said when it is read
        return None
