"""Measuring how soft the sharpest edges are."""

from __future__ import annotations

import cv2
import numpy as np

from ..colour.spaces import Array, luminance, srgb_encode
from ..files.source import RawSource, Source
from ..stages.develop.demosaic import linear
from .noise import sample_rects
from .reading import Blur, Noise

SCALES = (1.0, 2.0, 4.0)  # px; known blurs, from whose ratios the unknown one follows
CENTRAL_DIFFERENCE = 1 / 3  # px^2; variance of the box that a difference over two pixels averages over
LARGEST = 3.0
LEAST_SLOPE = 0.012  # of encoded white per px; weaker edges say little
ABOVE_NOISE = 6  # times the noise of the finest slope
QUANTILE = 0.4  # the softer half of a picture's edges may be out of focus


def edge_softness(y: Array, noise_sigma: float) -> np.ndarray:
    """Sigma in pixels of the blur at the strong edges of encoded luminance (H x W).

    The gradient of a step edge of blur s, smoothed further by t, peaks at
    A / sqrt(2 pi (s^2 + t^2)); two values of t give s. A third tells edges from
    thin lines, whose gradient falls faster. Slopes are compared along one
    direction, found at the middle scale: lengths would grow with the noise.

    References
    ----------
    S. Zhuo, T. Sim, "Defocus map estimation from a single image", Pattern
    Recognition 44(9), 2011.
    """
    fine, middle, coarse = (_slopes(y, t) for t in SCALES)
    length = np.hypot(*middle)
    crest = length >= cv2.dilate(length, np.ones((3, 3), np.uint8))
    # Smoothing by t leaves a noise gradient of about sigma / (sqrt(8 pi) t^2).
    strong = crest & (length > max(ABOVE_NOISE * noise_sigma / (np.sqrt(8 * np.pi) * SCALES[0] ** 2), LEAST_SLOPE))
    direction = [m[strong] / np.maximum(length[strong], 1e-9) for m in middle]
    along = [s[0][strong] * direction[0] + s[1][strong] * direction[1] for s in (fine, middle, coarse)]
    squared, squared_coarse = (_blur_squared(along[i], along[i + 1], SCALES[i], SCALES[i + 1]) for i in (0, 1))
    is_step = (squared_coarse > -1.5) & (squared_coarse < LARGEST**2)
    return np.sqrt(np.clip(squared[is_step], 0, LARGEST**2))


def _slopes(y: Array, t: float) -> tuple[Array, Array]:
    smooth = cv2.GaussianBlur(y, (0, 0), t, borderType=cv2.BORDER_REFLECT)
    return cv2.Scharr(smooth, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(smooth, cv2.CV_32F, 0, 1, scale=1 / 32)


def _blur_squared(fine: Array, coarse: Array, t: float, u: float) -> Array:
    """s^2 from the peak gradients of an edge smoothed by t and by u."""
    ratio = np.square(fine / np.maximum(coarse, 1e-9))
    return (u**2 - ratio * t**2) / np.maximum(ratio - 1, 1e-3) - CENTRAL_DIFFERENCE


def measure_blur(source: Source, noise: Noise) -> Blur:
    """Softness of a shot: a low quantile over its strong edges, for the rest may be out of focus."""
    found = []
    for rect in sample_rects(source.size, 256, 24):
        if isinstance(source, RawSource):
            pixels = linear(source.region(rect), source.pattern) * source.white_balance
            y = srgb_encode(pixels.mean(axis=-1))
        else:
            y = srgb_encode(luminance(source.region(rect)))
        if min(y.shape) >= 16:
            found.append(edge_softness(np.ascontiguousarray(y), noise.luminance / 255 / 3**0.5))
    edges = np.concatenate(found) if found else np.empty(0)
    if len(edges) < 50:
        return Blur()
    radius = float(np.quantile(edges, QUANTILE))
    return Blur("soft lens" if radius > 0.35 else "none", radius, min(1.0, len(edges) / 1000))
