"""The meter: the automatic measurement of a shot."""

from __future__ import annotations

from ..files.source import RawSource, Source
from .blur import measure_blur
from .compression import measure_compression
from .exposure import measure_start
from .noise import mosaic_noise, picture_noise
from .pixels import measure_tones
from .reading import Blur, Compression, Extent, History, Noise, Reading, Tones, reading_from_json

# To be counted up when the meter finds something else in the same file: kept readings are of one meter.
METER_VERSION = 3

__all__ = [
    "METER_VERSION", "Blur", "Compression", "Extent", "History", "Noise", "Reading", "Tones", "first_reading",
    "measure", "reading_from_json",
]  # fmt: skip


def first_reading(source: Source) -> Reading:
    """What a first look needs, within a moment: only in which light the shot is to be shown."""
    return Reading(tones=measure_start(source, Tones()))


def measure(source: Source) -> Reading:
    """Measure a shot from its pixels, sampled in about a hundred places: one or two seconds."""
    compression = measure_compression(source)
    if isinstance(source, RawSource):
        noise = mosaic_noise(source)
    else:
        noise = picture_noise(source, compression.quality is not None)
    blur, history = measure_blur(source, noise)
    return Reading(
        noise, blur, Extent(source.size.width, source.size.height), compression,
        measure_start(source, measure_tones(source)), history, source.is_raw,
    )  # fmt: skip
