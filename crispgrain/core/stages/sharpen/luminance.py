"""Changing luminance with colour following, without overshoot."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import luminance, srgb_encode
from ...model import Knowledge

AFTER_DENOISE = 0.3  # share of the noise still there after Denoise at full strength
LOCAL_REACH = 2  # px around a pixel in which its neighbourhood is judged
SURELY = 1.5  # times the noise's variance, above which it is detail


def bound(sharp: Array, source: Array, limit: float, reach: int, lost: Array) -> Array:
    """Keep ``sharp`` within the local range of ``source``, widened by ``limit`` of white and ``lost`` of the range.

    A pixel may not be brighter or darker than anything within ``reach`` pixels
    of it in the source: that is what an eye sees as a halo.
    """
    kernel = np.ones((2 * reach + 1,) * 2, np.uint8)
    low = cv2.erode(source, kernel, borderType=cv2.BORDER_REFLECT)
    high = cv2.dilate(source, kernel, borderType=cv2.BORDER_REFLECT)
    # The allowance shrinks in the dark, where 2 % of white would be plain to see.
    allowance = np.float32(limit) * np.sqrt(np.maximum(source, 0)) + lost * (high - low)
    return np.clip(sharp, low - allowance, high + allowance)


def detail_mask(y: Array, knowledge: Knowledge, boldness: float = 1.0) -> Array:
    """0 where local variation is no more than noise, 1 where it is clearly detail; ``boldness`` divides the noise."""
    encoded = srgb_encode(y)
    # The meter's luma axis is orthonormal; a mean of three channels has 1/sqrt(3) of its sigma.
    sigma = knowledge.noise.sigma_at(np.clip(encoded, 0, 1), colour=False) / np.float32(3**0.5)
    sigma = sigma * np.float32(knowledge.before.left(AFTER_DENOISE) / boldness)
    box = (2 * LOCAL_REACH + 1,) * 2
    mean = cv2.blur(encoded, box, borderType=cv2.BORDER_REFLECT)
    variance = cv2.blur(np.square(encoded - mean), box, borderType=cv2.BORDER_REFLECT)
    noise_variance = np.square(sigma) + np.float32(1e-7)
    clear = np.clip(variance / noise_variance - np.float32(SURELY), 0, None)
    return clear / (clear + 4)


MASK_REACH = 2 * LOCAL_REACH


def with_luminance(pixels: Array, y: Array, new_y: Array) -> Array:
    """``pixels`` (H x W x 3) brought from luminance ``y`` to ``new_y`` at unchanged chromaticity."""
    floor = np.float32(1e-3)
    gain = np.clip((new_y + floor) / (np.maximum(y, 0) + floor), 0.2, 5)
    return pixels * gain[..., None]


def working_luminance(pixels: Array) -> Array:
    return np.ascontiguousarray(luminance(pixels))
