"""Out of focus as a lens draws it: discs, of what is behind alone."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

from .point_spread import aperture

STEPS = 4  # radii between sharp and the largest
SEEN = 0.5  # px; a smaller disc changes nothing
BRIGHT = (0.8, 1.0)  # of white, in linear light: from where light counts as that of a lamp, and where all of it does


def blurred_by_depth(pixels: Array, depth: Array, radius: float, lamps: float = 0.0) -> Array:
    """Linear pixels (H x W x C) blurred by discs whose radius grows with ``depth`` (H x W, 0 sharp to 1).

    What is nearer does not spread into what is farther: discs of a depth are gathered from places about as far or
    farther. What is nearly white is ``lamps`` times brighter than it could be stored, so that its
    discs are.

    Examples
    --------
    >>> pixels = np.zeros((60, 60, 1), np.float32)
    >>> pixels[:, :30] = 1  # a bright figure before black
    >>> depth = np.zeros((60, 60), np.float32)
    >>> depth[:, 30:] = 1
    >>> float(blurred_by_depth(pixels, depth, 5)[:, 30:].max()) < 1e-6
    True
    """
    radii = radius * np.linspace(0, 1, STEPS + 1)
    out, place = pixels.copy(), depth * np.float32(STEPS)
    bright = np.clip((pixels.min(axis=2, keepdims=True) - BRIGHT[0]) / (BRIGHT[1] - BRIGHT[0]), 0, 1)
    light = pixels * (1 + np.float32(lamps) * bright)
    for step, wide in enumerate(radii):
        share = np.clip(1 - np.abs(place - step), 0, 1)[..., None]
        if wide < SEEN or not share.any():
            continue
        kernel = aperture(float(wide))
        behind = np.clip(place - np.float32(step - 1), 0, 1)
        weight = _gathered(behind, kernel)[..., None]
        spread = _gathered(light * behind[..., None], kernel).reshape(pixels.shape)
        spread /= np.maximum(weight, np.float32(1e-6))
        out += share * np.where(weight > 1e-6, spread - pixels, 0)
    return np.asarray(out, np.float32)


def _gathered(values: Array, kernel: Array) -> Array:
    return cv2.filter2D(values, cv2.CV_32F, kernel, borderType=cv2.BORDER_REFLECT)
