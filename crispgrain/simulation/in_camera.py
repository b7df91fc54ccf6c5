"""What cameras do to a mosaic before they write it: fewer bits, lossy steps, lens shading put right, noise smoothed.

All take and give signals (float32, H x W, 0 black to 1 saturation) of a sensor with cells of 2 x 2.
"""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array


def with_bits(signal: Array, bits: int) -> Array:
    """Rounded to so many bits."""
    top = np.float32(2**bits - 1)
    return np.rint(signal * top) / top


def compressed(signal: Array, a: float, b: float, coarse: float = 1.0) -> Array:
    """Rounded to steps of ``coarse`` sigmas of the noise, variance a x signal + b, as lossy RAW is.

    Steps that grow with the root of the signal, as a DNG's LinearizationTable may have them (DNG 1.4); how coarse is
    common practice, no source.
    """
    step = np.float32(coarse) * np.sqrt(np.maximum(a * signal, 0) + b).astype(np.float32)
    return np.rint(signal / step) * step


def shading(height: int, width: int, corner: float, ends: bool = False) -> Array:
    """The gain (H x W) by which lens shading is put right: 1 in the middle, ``corner`` in the corners.

    In the middles of pixels, or at points of which the first and last are at the ``ends`` of the picture. It grows with
    the square of the distance, the simplest form of a radial GainMap (DNG 1.4, OpcodeList3).
    """
    places = (np.linspace(0, 1, n) if ends else (np.arange(n) + 0.5) / n for n in (height, width))
    y, x = (p.astype(np.float32) - np.float32(0.5) for p in places)
    return 1 + np.float32(corner - 1) * 2 * (y[:, None] ** 2 + x[None] ** 2)


def smoothed(signal: Array, sigma: float) -> Array:
    """Each colour's plane blurred by a Gaussian of ``sigma`` of its own px; common practice, no source."""
    out = np.empty_like(signal)
    for y in (0, 1):
        for x in (0, 1):
            plane = np.ascontiguousarray(signal[y::2, x::2])
            out[y::2, x::2] = cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)
    return out
