"""Translation-invariant wavelet shrinkage: fast and gentle."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

SCALES = 4
# Standard deviation of unit white noise in each scale of the B3-spline transform:
# Starck, Murtagh and Bijaoui 1998, table 2.2.
NOISE_AT = (0.889, 0.200, 0.086, 0.041)
SPLINE = np.array([1, 4, 6, 4, 1], np.float32) / 16
LOCAL = 5  # px, edge of the window in which a coefficient's energy is judged
CAUTION = 1.6  # times the noise variance is taken off: removes most speckle, costs little texture
REACH = 2 * (2**SCALES - 1) + (LOCAL + 2 * SCALES) // 2  # px a value is felt


def shrink(plane: Array, sigma: Array) -> Array:
    """Local Wiener shrinkage in the undecimated B3-spline ("a trous") wavelet transform.

    Parameters and result as in :func:`crispgrain.restoration.shrinkage.shrink`.

    References
    ----------
    J.-L. Starck, J. Fadili, F. Murtagh, "The undecimated wavelet decomposition
    and its reconstruction", IEEE Trans. Image Processing 16(2), 2007.

    Examples
    --------
    >>> noisy = np.random.default_rng(0).normal(0.5, 0.1, (64, 64)).astype(np.float32)
    >>> bool(shrink(noisy, np.full((64, 64), 0.1, np.float32)).std() < 0.03)
    True
    """
    smooth = plane
    result = np.zeros_like(plane)
    for scale in range(SCALES):
        kernel = np.zeros(4 * 2**scale + 1, np.float32)
        kernel[:: 2**scale] = SPLINE
        smoother = cv2.sepFilter2D(smooth, cv2.CV_32F, kernel, kernel, borderType=cv2.BORDER_REFLECT)
        detail = smooth - smoother
        window = LOCAL + 2 * scale
        energy = cv2.sepFilter2D(
            detail * detail, cv2.CV_32F, *(np.full(window, 1 / window, np.float32),) * 2, borderType=cv2.BORDER_REFLECT
        )
        noise = np.square(sigma * np.float32(NOISE_AT[scale])) * np.float32(CAUTION)
        result += detail * np.maximum(1 - noise / np.maximum(energy, np.float32(1e-12)), 0)
        smooth = smoother
    return result + smooth
