"""Haze taken out of a picture: what the air adds, and what it takes."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .guided import guided_coefficients

PATCH = 0.01  # of the longer side: radius in which something is dark in at least one colour
FARTHEST = 0.001  # share of the picture, that with the lightest dark channel, that shows nothing but haze
LEAST = 0.15  # of a thing's own light that is reckoned with at least: less is mostly noise
EDGE = 1e-3  # variance of luma (encoded by a square root) from which an edge stays one
WEIGHTS = (0.25, 0.5, 0.25)
VEIL = 0.75  # of the light in hazy places, about what is haze


def air_light(pixels: Array) -> NDArray[np.float32]:
    """The colour of the haze itself (3 values) in linear pixels (H x W x 3) of a whole picture.

    Examples
    --------
    >>> far = np.full((100, 100, 3), 0.2, np.float32)
    >>> far[:20] = (0.7, 0.8, 0.9)
    >>> [round(float(v), 2) for v in air_light(far)]
    [0.7, 0.8, 0.9]
    """
    dark = _dark_channel(np.maximum(pixels, 0), max(pixels.shape[:2]))
    count = max(1, round(FARTHEST * dark.size))
    there = np.argpartition(dark.ravel(), -count)[-count:]
    return np.median(np.maximum(pixels.reshape(-1, 3)[there], 1e-4), axis=0).astype(np.float32)


def without_haze(pixels: Array, air: NDArray[np.float32], amount: float, longer: int) -> Array:
    """Linear pixels (H x W x 3, part of a picture whose longer side is ``longer`` px) with so much haze (0 to 1) less.

    References
    ----------
    K. He, J. Sun, X. Tang, "Single image haze removal using dark channel prior", IEEE Trans. Pattern Analysis 33(12),
    2011; the map of what comes through is refined by a guided filter (the same, 35(6), 2013).

    Examples
    --------
    >>> air, own = np.float32([0.8, 0.8, 0.8]), np.zeros((80, 80, 3), np.float32)
    >>> own[::2] = (0.6, 0.1, 0.0)
    >>> hazy = 0.5 * own + 0.5 * air
    >>> bool(abs(without_haze(hazy, air, 1.0, 80) - own).max() < 0.02)
    True
    """
    if amount <= 0:
        return pixels
    through = 1 - np.float32(amount) * np.clip(_dark_channel(np.maximum(pixels, 0) / air, longer), 0, 1)
    luma = np.sqrt(np.maximum(pixels, 0) @ np.array(WEIGHTS, np.float32))
    slope, offset = guided_coefficients(luma, through, _radius(longer) * 3, EDGE)
    through = np.clip(slope * luma + offset, LEAST, 1)
    return (pixels - air) / through[..., None] + air


def noise_gain(amount: float) -> float:
    """How many times as strong noise becomes where so much haze (0 to 1) is taken away.

    By trial on hazy training photographs: 1.4 to 1.6 times at a half, 4 to 7 times at 1, the farther the more.

    Examples
    --------
    >>> noise_gain(0.0), noise_gain(0.5), noise_gain(1.0)
    (1.0, 1.6, 4.0)
    """
    return 1 / (1 - VEIL * amount)


def reach(longer: int) -> int:
    """How far around a pixel is looked at, in px.

    Examples
    --------
    >>> reach(1000)
    71
    """
    return 7 * _radius(longer) + 1


def _radius(longer: int) -> int:
    return max(1, math.ceil(PATCH * longer))


def _dark_channel(pixels: Array, longer: int) -> Array:
    side = 2 * _radius(longer) + 1
    return cv2.erode(np.ascontiguousarray(pixels.min(axis=2)), np.ones((side, side), np.uint8))
