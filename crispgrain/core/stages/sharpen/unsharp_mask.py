"""The darkroom's unsharp mask: edge contrast, for those who want just that."""

from __future__ import annotations

import math

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import halo

from ...colour.spaces import srgb_decode, srgb_encode
from ...model import Context, Model, Parameter, Stage, Values
from . import luminance, words

CORED = np.float32(2.2)  # times the noise that is left: smaller differences are taken for noise


def _reach(radius: float) -> int:
    return max(1, math.ceil(3 * radius))


def run(pixels: Array, values: Values, context: Context) -> Array:
    """Add the difference to a Gaussian blur, on encoded luminance as seen by the eye; what noise makes of it is not."""
    radius, amount = float(values["radius"]), float(values["strength"]) / 100
    if radius <= 0 or amount <= 0:
        return pixels
    y = luminance.working_luminance(pixels)
    encoded = srgb_encode(y)
    blurred = cv2.GaussianBlur(encoded, (2 * _reach(radius) + 1,) * 2, radius, borderType=cv2.BORDER_REFLECT)
    difference = encoded - blurred
    threshold = np.maximum(np.float32(float(values["threshold"]) / 255), CORED * luminance.noise_left(encoded, context))
    difference = np.copysign(np.maximum(np.abs(difference) - threshold, 0), difference)
    return halo.with_luminance(pixels, y, srgb_decode(encoded + np.float32(amount) * difference))


MODEL = Model(
    Stage.SHARPEN, "unsharp-mask", "Unsharp mask", "Plain edge contrast; leaves light and dark lines along edges.",
    (
        Parameter("radius", "Radius", "Width of the edges that are strengthened.", 0.8, 0, 3, 0.05, "px",
                  metered=lambda reading: reading.blur.softness),
        Parameter("strength", "Strength", "How much contrast is added.", 80, 0, 300, 1, "%"),
        Parameter("threshold", "Threshold", "Smaller differences, or such as noise makes, are left alone; "
                  "in 8-bit steps.",
                  2.0, 0, 20, 0.5),
    ),
    run, lambda values, context: _reach(float(values["radius"])),
    summary=words.with_radius, strength="strength",
)  # fmt: skip
