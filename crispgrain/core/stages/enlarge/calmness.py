"""Calmness: of a picture that still has grain or traces of compression, the subject is enlarged and not these."""

from __future__ import annotations

import numpy as np

from ...meter.reading import Reading
from ...model import Parameter

CALMNESS = Parameter(
    "calmness", "Calmness", "How much grain and traces of compression are left out rather than enlarged. Follows what "
    "Denoise leaves of them; 0 for all detail there is.", 0.0, 0, 100, 5, "%",
)  # fmt: skip
# Share of the network that restores at which the error against the truth is least: ten training photographs, enlarged
# two- and fourfold, white noise in 8-bit steps, and JPEG in percent (100 less its quality).
AT_NOISE = (2.0, 4.0, 8.0, 14.0), (0.0, 20.0, 60.0, 85.0)
AT_COMPRESSION = (5.0, 10.0, 25.0, 50.0), (0.0, 20.0, 40.0, 55.0)

LEAST = 25  # percent; less gains under 0.1 dB and takes twice the time


def calm_for(reading: Reading, left: float) -> float:
    """Calmness in percent for a shot of which a share of noise and compression is ``left``, 0 to 1."""
    noise = np.interp(left * max(reading.noise.luminance, reading.noise.colour), *AT_NOISE)
    compression = left * np.interp(reading.jpeg.strength, *AT_COMPRESSION)
    calm = round(float(max(noise, compression)) / CALMNESS.step) * CALMNESS.step
    return calm if calm >= LEAST else 0.0
