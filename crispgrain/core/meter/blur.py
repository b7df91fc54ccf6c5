"""Measuring how soft the sharpest edges are."""

from __future__ import annotations

import cv2
import numpy as np

from ..colour.spaces import Array, luminance, srgb_encode
from ..files.source import RawSource, Source
from ..stages.develop.demosaic import linear
from .noise import sample_rects
from .reading import Blur, Noise

SCALES = (1.0, 2.0)  # px; two known blurs, from whose ratio the unknown one follows
CENTRAL_DIFFERENCE = 1 / 3  # px^2; variance of the box that a difference over two pixels averages over
LARGEST = 3.0


def edge_softness(y: Array, noise_sigma: float) -> np.ndarray:
    """Sigma in pixels of the blur at the strongest edges of encoded luminance (H x W).

    The gradient of a step edge of blur s, smoothed further by t, peaks at
    A / sqrt(2 pi (s^2 + t^2)); two values of t give s.

    References
    ----------
    S. Zhuo, T. Sim, "Defocus map estimation from a single image", Pattern
    Recognition 44(9), 2011.
    """
    slopes = []
    for t in SCALES:
        smooth = cv2.GaussianBlur(y, (0, 0), t, borderType=cv2.BORDER_REFLECT)
        slopes.append(
            np.hypot(
                cv2.Scharr(smooth, cv2.CV_32F, 1, 0, scale=1 / 32), cv2.Scharr(smooth, cv2.CV_32F, 0, 1, scale=1 / 32)
            )
        )
    fine, coarse = slopes
    crest = fine >= cv2.dilate(fine, np.ones((3, 3), np.uint8))
    # Smoothing by t leaves a noise gradient of about sigma / (sqrt(8 pi) t^2).
    strong = crest & (fine > max(10 * noise_sigma / 5.0, 0.02))
    ratio = np.square(fine[strong] / np.maximum(coarse[strong], 1e-9))
    squared = (SCALES[1] ** 2 - ratio * SCALES[0] ** 2) / np.maximum(ratio - 1, 1e-3) - CENTRAL_DIFFERENCE
    return np.sqrt(np.clip(squared, 0, LARGEST**2))


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
    radius = float(np.quantile(edges, 0.3))
    return Blur("soft lens" if radius > 0.35 else "none", radius, min(1.0, len(edges) / 1000))
