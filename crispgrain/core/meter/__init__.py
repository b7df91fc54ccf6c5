"""The meter: the automatic measurement of a shot."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect

from ..files.source import PictureSource, RawSource, Source
from .blur import measure_blur
from .compression import measure_compression
from .exposure import measure_start
from .flat import measure_flat
from .mosaic_noise import mosaic_noise
from .picture_noise import picture_noise
from .pixels import measure_tones
from .reading import Blur, Compression, Extent, History, Noise, Reading, Tones, reading_from_json

# To be counted up when the meter finds something else in the same file: kept readings are of one meter.
METER_VERSION = 14

LEAST_ROUND = 512  # px of height of a picture all round, less is measured whole

__all__ = [
    "METER_VERSION", "Blur", "Compression", "Extent", "History", "Noise", "Reading", "Tones", "first_reading",
    "measure", "reading_from_json",
]  # fmt: skip


def first_reading(source: Source) -> Reading:
    """What a first look needs, within a moment: only in which light the shot is to be shown."""
    return Reading(tones=measure_start(source, Tones()))


def measure(source: Source) -> Reading:
    """Measure a shot from its pixels, sampled in about a hundred places: one or two seconds.

    Of a damaged one only what is left is measured.
    """
    if source.lost is not None and source.lost.any():
        return _measured_of_what_is_left(source)
    if isinstance(source, PictureSource) and source.wraps and source.size.height >= LEAST_ROUND:
        return _measured_level(source)
    compression = measure_compression(source)
    noise = mosaic_noise(source) if isinstance(source, RawSource) else picture_noise(source, compression.quality)
    blur, history = measure_blur(source, noise)
    return Reading(
        noise, blur, Extent(source.size.width, source.size.height), compression,
        measure_start(source, measure_tones(source)), history, source.is_raw, measure_flat(source),
    )  # fmt: skip


def _measured_level(source: PictureSource) -> Reading:
    """Of a picture all round: between 45 degrees above and below, for nearer to the poles it is drawn out sideways."""
    height, serial = source.size.height, (source.serial, "level")
    rows = slice(height // 4 // 8 * 8, height * 3 // 4 // 8 * 8)  # whole blocks of a JPEG
    facts = replace(source.facts, equirectangular=False)
    opacity = source.opacity[rows] if source.opacity is not None else None
    band = replace(source, stored=source.stored[rows], facts=facts, serial=serial, opacity=opacity)
    own = measure(band)
    return replace(own, size=Extent(source.size.width, height), tones=measure_start(source, measure_tones(source)))


def _measured_of_what_is_left(source: Source) -> Reading:
    """Of the largest band of whole rows, or columns, that nothing is lost of; else of all."""
    assert source.lost is not None
    share, size = float(source.lost.mean()), source.size
    bands = [_longest(~source.lost.any(axis=1)), _longest(~source.lost.any(axis=0))]
    areas = [(bands[0][1] - bands[0][0]) * size.width, (bands[1][1] - bands[1][0]) * size.height]
    (top, bottom), (begin, end) = (bands[0], (0, size.width)) if areas[0] >= areas[1] else ((0, size.height), bands[1])
    whole = Rect.between(top, begin, bottom, end)
    serial = (source.serial, "left")
    left: Source
    if isinstance(source, RawSource):
        left = source.part(whole if max(areas) else size.rect, serial)
    else:
        cut = source.stored[whole.slices] if max(areas) else source.stored
        left = replace(source, stored=np.ascontiguousarray(cut), lost=None, opacity=None, serial=serial)
    return replace(measure(left), size=Extent(size.width, size.height, lost=share))


def _longest(free: NDArray | np.bool_) -> tuple[int, int]:
    """First and last of the longest stretch of what is free, both even."""
    ends = np.flatnonzero(np.diff(np.concatenate([[0], np.asarray(free, np.int8), [0]])))
    stretches = [(-(-a // 2) * 2, b // 2 * 2) for a, b in zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True)]
    return max(stretches, key=lambda s: s[1] - s[0], default=(0, 0))
