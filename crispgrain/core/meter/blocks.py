"""What the meter looks at for blur: a shot's pixels, roughly demosaiced, and its sharpest blocks."""

from __future__ import annotations

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from crispgrain.arrays import Array
from crispgrain.geometry import Rect
from crispgrain.restoration.demosaic import linear

from ..colour.spaces import luminance
from ..files.source import RawSource, Source
from .noise_line import sample_rects

BLOCK = 128  # px
MOST_BLOCKS = 48
PLACES = 96  # looked at in a shot
DEMOSAICED = 24  # of them, those with most detail, where cells will not do


def rough_luminance(source: Source, rect: Rect) -> Array:
    """Linear luminance (H x W) of a part of a shot; of a RAW, roughly demosaiced."""
    pixels = rough_colours(source, rect)
    return pixels.mean(axis=-1) if isinstance(source, RawSource) else luminance(pixels)


def rough_colours(source: Source, rect: Rect) -> Array:
    """Linear pixels (H x W x 3) of a part of a shot; of a RAW roughly demosaiced, in the camera's own colours."""
    pixels = source.region(rect)
    if isinstance(source, RawSource):
        return linear(pixels, source.pattern_from(rect)) * source.white_balance
    return pixels


def sharpest_blocks(source: Source, halved: bool = False) -> Array:
    """Blocks (n x 128 x 128, no more than MOST_BLOCKS) of linear luminance, of the sharper half of a shot.

    They are what is in focus, if anything is.
    ``halved``: of a picture half as large, where a blur is half as wide and a sensor's cells of 2 x 2 are one pixel.
    """

    def seen(rect: Rect) -> Array:
        if halved and isinstance(source, RawSource) and source.bayer:
            return _cells(source, rect)
        y = rough_luminance(source, rect)
        return _halved(y) if halved else y

    def sharpest(blocks: Array) -> Array:
        # Of a RAW's noise half is gone, and of its edges hardly anything.
        by = _halved(blocks) if source.is_raw and not halved else blocks
        return blocks[np.argsort(-_detail(by))[:MOST_BLOCKS]]

    places = sample_rects(source.size, 2 * BLOCK, PLACES)
    if isinstance(source, RawSource) and source.bayer and not halved:  # cells tell in a tenth of the time where to look
        places = sorted(places, key=lambda rect: -_detail(_cells(source, rect)[None])[0])[:DEMOSAICED]
    found, number = [], 0
    for rect in places:
        blocks = blocks_of(seen(rect))
        number += len(blocks)
        found.append(sharpest(blocks))
    return sharpest(np.concatenate(found))[: -(-number // 2)]


def blocks_of(y: Array) -> Array:
    """Half-overlapping blocks (n x 128 x 128) of linear luminance."""
    if min(y.shape) < BLOCK:
        return np.empty((0, BLOCK, BLOCK), np.float32)
    return sliding_window_view(y, (BLOCK, BLOCK))[:: BLOCK // 2, :: BLOCK // 2].reshape(-1, BLOCK, BLOCK)


def _detail(blocks: Array) -> Array:
    """Mean step from pixel to pixel in each of n blocks."""
    return np.abs(np.diff(blocks, axis=1)).mean(axis=(1, 2)) + np.abs(np.diff(blocks, axis=2)).mean(axis=(1, 2))


def _halved(y: Array) -> Array:
    """Means of 2 x 2 pixels, of one picture or of many (... x H x W)."""
    height, width = (n // 2 * 2 for n in y.shape[-2:])
    rows = y[..., :height:2, :width] + y[..., 1:height:2, :width]
    return (rows[..., ::2] + rows[..., 1::2]) / 4


def _cells(source: RawSource, rect: Rect) -> Array:
    """Means of the white-balanced values of each of a Bayer sensor's cells."""
    pixels = source.region(rect)
    height, width = (n // 2 * 2 for n in pixels.shape)
    gains = source.white_balance[source.pattern.astype(int)] / 4
    return np.sum([pixels[i:height:2, j:width:2] * gains[i, j] for i in (0, 1) for j in (0, 1)], axis=0)
