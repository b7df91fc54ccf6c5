"""Luminance as Sharpen works on it, and where it is detail."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import luminance, srgb_encode
from ...model import Context

AFTER_DENOISE = 0.3  # share of the noise still there after Denoise at full strength
LOCAL_REACH = 2  # px around a pixel in which its neighbourhood is judged
SURELY = 1.5  # times the noise's variance, above which it is detail


def noise_left(encoded: Array, context: Context) -> Array:
    """Sigma of the noise that is left in encoded luminance (H x W)."""
    # The meter's luma axis is orthonormal; a mean of three channels has 1/sqrt(3) of its sigma.
    sigma = context.noise.sigma_at(np.clip(encoded, 0, 1), colour=False) / np.float32(3**0.5)
    return sigma * np.float32(context.before.left(AFTER_DENOISE))


def detail_mask(y: Array, context: Context, boldness: float = 1.0) -> Array:
    """0 where local variation is no more than noise, 1 where it is clearly detail; ``boldness`` divides the noise."""
    encoded = srgb_encode(y)
    sigma = noise_left(encoded, context) / np.float32(boldness)
    box = (2 * LOCAL_REACH + 1,) * 2
    mean = cv2.blur(encoded, box, borderType=cv2.BORDER_REFLECT)
    variance = cv2.blur(np.square(encoded - mean), box, borderType=cv2.BORDER_REFLECT)
    noise_variance = np.square(sigma) + np.float32(1e-7)
    clear = np.clip(variance / noise_variance - np.float32(SURELY), 0, None)
    return clear / (clear + 4)


MASK_REACH = 2 * LOCAL_REACH


def working_luminance(pixels: Array) -> Array:
    return np.ascontiguousarray(luminance(pixels))
