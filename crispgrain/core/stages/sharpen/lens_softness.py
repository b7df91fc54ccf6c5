"""Undoing the small, even softness of a lens, an anti-alias filter and demosaicing."""

from __future__ import annotations

import math
from dataclasses import replace

import cv2
import numpy as np

from ...colour.spaces import Array
from ...model import Knowledge, Model, Parameter, Stage, Values
from . import luminance, regions, undo
from .point_spread import gaussian

ITERATIONS = 10
LEAST = 0.1  # px; less is no blur


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
    radius = float(values["radius"])
    if radius < LEAST:
        return pixels
    y = luminance.working_luminance(pixels)
    mask = luminance.detail_mask(y, knowledge, max(float(values["strength"]) / 100, 1))

    def sharpened(radius: float) -> Array:
        if values["effort"] == "best":
            return undo.undone(pixels, gaussian(radius), values, knowledge)
        return luminance.with_luminance(pixels, y, y + mask * (richardson_lucy(y, radius) - y))

    return undo.by_radius(pixels, radius, values, knowledge, sharpened)


def _margin(values: Values, knowledge: Knowledge) -> int:
    radius = regions.largest(max(float(values["radius"]), LEAST), str(values["across"]))
    if values["effort"] == "best":
        return undo.margin(len(gaussian(radius)) // 2)
    return 2 * ITERATIONS * (len(_kernel(radius)) // 2) + luminance.MASK_REACH + undo.BOUND_MARGIN


MODEL = Model(
    Stage.SHARPEN, "lens-softness", "Lens softness",
    "Undoes the small even blur every lens and sensor leaves; the everyday choice.",
    (
        Parameter("radius", "Radius", "Size of the blur: sigma of a Gaussian.", 0.6, 0, 3, 0.05, "px",
                  metered=lambda reading: reading.blur.softness),
        replace(undo.STRENGTH, default=80.0),
        regions.ACROSS, undo.FINE, undo.COARSE, undo.HALO, undo.EFFORT,
    ),
    run, _margin, tile=lambda values: undo.TILE if values["effort"] == "best" else 0,
    suits=lambda reading: reading.blur.kind in ("none", "soft lens"),
)  # fmt: skip
