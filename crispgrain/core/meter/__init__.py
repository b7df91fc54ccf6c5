"""The meter: the automatic measurement of a shot."""

from __future__ import annotations

from ..files.source import RawSource, Source
from .blur import measure_blur
from .noise import mosaic_noise, picture_noise
from .reading import Blur, Extent, Noise, Reading

__all__ = ["Blur", "Extent", "Noise", "Reading", "measure"]


def measure(source: Source) -> Reading:
    """Measure a shot from its pixels; about half a second for 24 megapixels."""
    noise = mosaic_noise(source) if isinstance(source, RawSource) else picture_noise(source)
    return Reading(noise, measure_blur(source, noise), Extent(source.size.width, source.size.height), source.is_raw)
