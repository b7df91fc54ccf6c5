"""Contrast, brightness and strength of colour of a print, in the way they look even to the eye."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration.halo import with_luminance

from ...colour import oklab
from ...colour.spaces import luminance, srgb_decode, srgb_encode
from ...model import Parameter, Values

MIDDLE = 0.46  # encoded; a grey of 18 %
PARAMETERS = (
    Parameter("contrast", "Contrast", "Steeper or softer in the middle tones; black and white stay.", 0, -50, 50, 1),
    Parameter("brightness", "Brightness", "Middle tones lighter or darker; black and white stay.", 0, -50, 50, 1),
    Parameter("saturation", "Colour", "Strength of all colours; none is grey.", 100, 0, 150, 1, "%"),
)


def curve(encoded: Array, contrast: float, brightness: float) -> Array:
    """Encoded luma, 0..1, after a change of contrast and brightness (-50 to 50); what lies beyond is moved along."""
    inside = np.clip(encoded, 0, 1)
    lifted = inside ** np.float32(2 ** (-brightness / 50))
    # Times 1.7 at most, or the ends would turn back.
    steeper = lifted + np.float32(3.4 * contrast / 100) * lifted * (1 - lifted) * (lifted - np.float32(MIDDLE))
    return steeper + (encoded - inside)


def toned(pixels: Array, values: Values) -> Array:
    """Working-space pixels (H x W x 3) with the contrast, brightness and colour that ``values`` ask for."""
    contrast, brightness, saturation = (float(values[p.id]) for p in PARAMETERS)
    if contrast or brightness:
        y = luminance(pixels)
        pixels = with_luminance(pixels, y, srgb_decode(curve(srgb_encode(y), contrast, brightness)))
    return oklab.with_colour(pixels, saturation / 100)
