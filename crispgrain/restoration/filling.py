"""Holes filled from around them: light by normalised convolution, grain mirrored at the hole's rim."""

from __future__ import annotations

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array

SIGMAS = (1.5, 3.0, 6.0, 12.0, 24.0)  # px; from the finest one that finds enough around a pixel
ENOUGH = 0.15  # of a Gaussian's weight that must lie on known pixels
LEAST = 1e-4  # of the widest one's
LEVEL = 0.05  # of a window's variance, that keeps a slope from being read from too little
FAR = 4.0  # sigmas at which Gaussians end
FINE = 1.0  # px, sigma; what is finer is grain
AROUND = 8.0  # px, sigma, over which it is told how strong grain is
REACH = int(FAR * SIGMAS[-1]) + 12  # px that a pixel can follow
DEEPEST = 40  # px from a hole's rim that grain is mirrored to


def filled(pixels: Array, hole: NDArray[np.bool_], grained: float = 1.0) -> Array:
    """Pixels (H x W x C) with a hole filled; what lies more than 96 px from all that is known stays as it is.

    Light and colour are carried into the hole by normalised convolution with planes (H. Knutsson, C.-F. Westin,
    "Normalized and differential convolution", CVPR 1993), over Gaussians as narrow as find something. Grain is that of
    the place mirrored at the nearest point of the rim, no stronger than around it; ``grained`` is how much of it.

    Examples
    --------
    >>> ramp = np.repeat(np.linspace(0, 1, 80, dtype=np.float32)[None, :, None], 80, axis=0)
    >>> spoilt = ramp.copy()
    >>> spoilt[38:41, 10:70] = 1
    >>> hole = (spoilt != ramp)[..., 0]
    >>> bool(abs(filled(spoilt, hole) - ramp).max() < 0.01)
    True
    """
    if not hole.any():
        return pixels
    known = (~hole).astype(np.float32)
    out = np.where(hole[..., None], _spread(pixels, known), pixels)
    grain = np.float32(grained) * _grain(pixels, known)
    _, (rows, columns) = scipy.ndimage.distance_transform_edt(hole, return_indices=True)
    y, x = np.nonzero(hole)
    down, right = rows[y, x] - y, columns[y, x] - x
    from_y, from_x = y + 2 * down, x + 2 * right
    height, width = hole.shape
    inside = (from_y >= 0) & (from_y < height) & (from_x >= 0) & (from_x < width) & (np.hypot(down, right) <= DEEPEST)
    out[y[inside], x[inside]] += grain[from_y[inside], from_x[inside]]
    return np.ascontiguousarray(out, np.float32)


def _spread(pixels: Array, known: Array) -> Array:
    """What is known, carried to all else: the value at each place of a plane fitted to what is around it."""
    weighted, out, left = pixels * known[..., None], np.zeros_like(pixels), 1 - known
    for sigma in SIGMAS:
        if not left.any():
            break
        even, odd, square = _moments(sigma)
        weight = _sums(known, even, even)
        over = 1 / np.maximum(weight, np.float32(1e-6))
        mean_x, mean_y = _sums(known, odd, even) * over, _sums(known, even, odd) * over
        xx = _sums(known, square, even) * over - mean_x**2 + np.float32(LEVEL)
        yy = _sums(known, even, square) * over - mean_y**2 + np.float32(LEVEL)
        xy = _sums(known, odd, odd) * over - mean_x * mean_y
        scale = 1 / np.maximum(xx * yy - xy**2, np.float32(1e-6))
        share = left * np.clip(weight / np.float32(LEAST if sigma == SIGMAS[-1] else ENOUGH), 0, 1)
        for channel in range(pixels.shape[2]):
            plane = np.ascontiguousarray(weighted[..., channel])
            mean = _sums(plane, even, even) * over
            with_x = _sums(plane, odd, even) * over - mean_x * mean
            with_y = _sums(plane, even, odd) * over - mean_y * mean
            slope_x, slope_y = (yy * with_x - xy * with_y) * scale, (xx * with_y - xy * with_x) * scale
            out[..., channel] += share * (mean - mean_x * slope_x - mean_y * slope_y)
        left -= share
    return out + left[..., None] * pixels


def _grain(pixels: Array, known: Array) -> Array:
    """What is finer than a pixel or so, where it is known, and no stronger than it mostly is there."""
    near = np.maximum(cv2.GaussianBlur(known, (0, 0), FINE, borderType=cv2.BORDER_REFLECT), np.float32(1e-6))
    kept = known[..., None]
    fine = (pixels - _blurred(pixels * kept, FINE) / near[..., None]) * kept
    far = np.maximum(_blurred(kept, AROUND), np.float32(1e-6))
    strength = 2 * _blurred(np.abs(fine), AROUND) / far
    return np.clip(fine, -strength, strength)


def _blurred(pixels: Array, sigma: float) -> Array:
    side = 2 * int(FAR * sigma) + 1
    blurred = cv2.GaussianBlur(pixels, (side, side), sigma, borderType=cv2.BORDER_REFLECT)
    return blurred.reshape(pixels.shape)


def _moments(sigma: float) -> tuple[Array, Array, Array]:
    """A Gaussian, and it times the place, and times its square, in sigmas."""
    x = np.arange(-int(FAR * sigma), int(FAR * sigma) + 1, dtype=np.float32) / np.float32(sigma)
    even = np.exp(-(x**2) / 2)
    even /= even.sum()
    return even, x * even, x**2 * even


def _sums(plane: Array, across: Array, down: Array) -> Array:
    return cv2.sepFilter2D(plane, cv2.CV_32F, across, down, borderType=cv2.BORDER_REFLECT)
