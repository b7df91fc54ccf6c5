"""The meter: the automatic measurement of a shot."""

from __future__ import annotations

from ..files.source import RawSource, Source
from .blur import measure_blur
from .compression import measure_compression
from .noise import mosaic_noise, picture_noise
from .pixels import measure_tones
from .reading import Blur, Compression, Extent, History, Noise, Reading, Tones

__all__ = ["Blur", "Compression", "Extent", "History", "Noise", "Reading", "Tones", "measure"]


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
        measure_tones(source), history, source.is_raw,
    )  # fmt: skip
