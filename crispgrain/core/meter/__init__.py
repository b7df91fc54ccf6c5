"""The meter: the automatic measurement of a shot."""

from __future__ import annotations

from ..files.source import RawSource, Source
from .blur import measure_blur
from .compression import measure_compression
from .noise import mosaic_noise, picture_noise
from .reading import Blur, Compression, Extent, Noise, Reading

__all__ = ["Blur", "Compression", "Extent", "Noise", "Reading", "measure"]


def measure(source: Source) -> Reading:
    """Measure a shot from its pixels; about a second for a RAW, which is sampled in 120 places."""
    noise = mosaic_noise(source) if isinstance(source, RawSource) else picture_noise(source)
    return Reading(
        noise, measure_blur(source, noise), Extent(source.size.width, source.size.height),
        measure_compression(source.facts.jpeg_luma), source.is_raw,
    )  # fmt: skip
