"""Asking the lab before anything is written: what a file is going to be, from its settings."""

from __future__ import annotations

import numpy as np

from crispgrain.core.colour import icc
from crispgrain.core.files.encoders import OutputSettings
from crispgrain.core.files.write import OutputFormat
from crispgrain.geometry import Size

from .counter import Handed

MODES = {1: "L", 3: "RGB", 4: "CMYK"}
# Bytes a pixel and channel of photographs at a quality of JPEG, 4:4:4; common practice, no source.
QUALITIES, BYTES = (30, 60, 80, 90, 95, 100), (0.03, 0.06, 0.1, 0.16, 0.24, 0.7)
# Of one enlarged photograph, roughly.
SMALLER = {OutputFormat.WEBP: 0.35, OutputFormat.AVIF: 0.5, OutputFormat.JXL: 0.6}  # of that, at the same quality
PACKED = {8: 0.55, 16: 0.8}  # of what lossless packing leaves


def expected_bytes(size: Size, settings: OutputSettings) -> float:
    """About how large a file is going to be; to the point for a TIFF that is not packed."""
    values, format = size.height * size.width * icc.channels(settings.profile_bytes), settings.format
    if format.has_quality:
        share = float(np.interp(settings.quality, QUALITIES, BYTES)) * SMALLER.get(format, 1.0)
        return min(values * share, settings.limit * 1e3 or np.inf)
    plain = values * settings.stored_bits / 8
    packed = format is OutputFormat.PNG or (format is OutputFormat.TIFF and settings.compression != "none")
    return plain * PACKED[settings.stored_bits] if packed else plain


def to_be_handed(size: Size, settings: OutputSettings) -> Handed:
    """What a result of a size will be for a lab."""
    profile = settings.profile_bytes
    return Handed(
        settings.format.value, MODES[icc.channels(profile)], (size.width, size.height), settings.stored_bits, profile,
        settings.ppi, expected_bytes(size, settings),
    )  # fmt: skip
