"""Undoing the small, even softness of a lens, an anti-alias filter and demosaicing."""

from __future__ import annotations

import math

import cv2
import numpy as np

from ...colour.spaces import Array
from ...model import Knowledge, Model, Parameter, Stage, Values
from . import luminance

ITERATIONS = 10


def _kernel(radius: float) -> Array:
    reach = max(1, math.ceil(3 * radius))
    x = np.arange(-reach, reach + 1)
    taps = np.exp(-(x**2) / (2 * radius**2))
    return (taps / taps.sum()).astype(np.float32)


def richardson_lucy(y: Array, radius: float, iterations: int = ITERATIONS) -> Array:
    """Deconvolve linear luminance (H x W, at least 0) blurred by a Gaussian of sigma ``radius`` px.

    References
    ----------
    W. H. Richardson, J. Opt. Soc. Am. 62(1), 1972; L. B. Lucy, Astron. J. 79, 1974. Speeded up by
    extrapolation as in D. S. C. Biggs, M. Andrews, Applied Optics 36(8), 1997.
    """
    taps = _kernel(radius)

    def blur(image: Array) -> Array:
        return cv2.sepFilter2D(image, cv2.CV_32F, taps, taps, borderType=cv2.BORDER_REFLECT)

    floor = np.float32(1e-4)  # keeps the ratio sane in black, far below an 8-bit step
    observed = np.maximum(y, 0) + floor
    estimate = ahead = observed
    for k in range(iterations):
        before = estimate
        estimate = ahead * blur(observed / np.maximum(blur(ahead), floor))
        # A fixed schedule, where Biggs and Andrews measure the step: tiles must not differ from the whole.
        ahead = np.maximum(estimate + np.float32(k / (k + 3)) * (estimate - before), floor)
    return estimate - floor


def run(pixels: Array, values: Values, knowledge: Knowledge) -> Array:
    radius, strength = float(values["radius"]), float(values["strength"]) / 100
    if radius <= 0 or strength <= 0:
        return pixels
    y = luminance.working_luminance(pixels)
    gained = richardson_lucy(y, radius) - y
    sharp = y + np.float32(strength) * luminance.detail_mask(y, knowledge) * gained
    sharp = luminance.bound(sharp, y, float(values["halo"]) / 100, max(1, round(2 * radius)))
    return luminance.with_luminance(pixels, y, sharp)


def _margin(values: Values, knowledge: Knowledge) -> int:
    return 2 * ITERATIONS * (len(_kernel(max(float(values["radius"]), 0.1))) // 2) + luminance.MASK_REACH


MODEL = Model(
    Stage.SHARPEN, "lens-softness", "Lens softness",
    "Deconvolves the small even blur every lens and sensor leaves; the everyday choice.",
    (
        Parameter("radius", "Radius", "Size of the blur: sigma of a Gaussian.", 0.6, 0, 3, 0.05, "px",
                  metered=lambda reading: reading.blur.softness),
        Parameter("strength", "Strength", "How much of the recovered detail to use.", 80, 0, 100, 1, "%"),
        Parameter("halo", "Halo limit", "How far an edge may overshoot its surroundings, in percent of white.",
                  2.0, 0, 20, 0.5, "%"),
    ),
    run, _margin, suits=lambda reading: reading.blur.kind in ("none", "soft lens"),
)  # fmt: skip
