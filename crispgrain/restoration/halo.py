"""Changing luminance with colour following, without overshoot."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.strips import in_strips_of


def bound(sharp: Array, source: Array, limit: float, reach: int, lost: Array) -> Array:
    """Keep ``sharp`` within the local range of ``source``, widened by ``limit`` of white and ``lost`` of the range.

    A pixel may not be brighter or darker than anything within ``reach`` pixels
    of it in the source: that is what an eye sees as a halo.

    Examples
    --------
    >>> edge = np.array([[0, 0, 1, 1]], np.float32)
    >>> bound(np.array([[-0.2, 0.1, 1.3, 1]], np.float32), edge, 0.02, 1, np.zeros((1, 4), np.float32))
    array([[0.  , 0.1 , 1.02, 1.  ]], dtype=float32)
    """
    kernel = np.ones((2 * reach + 1,) * 2, np.uint8)
    low = cv2.erode(source, kernel, borderType=cv2.BORDER_REFLECT)
    high = cv2.dilate(source, kernel, borderType=cv2.BORDER_REFLECT)
    # The allowance shrinks in the dark, where 2 % of white would be plain to see.
    allowance = np.float32(limit) * np.sqrt(np.maximum(source, 0)) + lost * (high - low)
    return np.clip(sharp, low - allowance, high + allowance)


@in_strips_of(3)
def with_luminance(pixels: Array, y: Array, new_y: Array) -> Array:
    """``pixels`` (... x 3) brought from luminance ``y`` to ``new_y`` at unchanged chromaticity.

    Examples
    --------
    >>> orange = np.array([[[0.4, 0.2, 0.0]]], np.float32)
    >>> with_luminance(orange, np.array([[0.2]]), np.array([[0.4]])).round(1).tolist()
    [[[0.8, 0.4, 0.0]]]
    """
    floor = np.float32(1e-3)
    gain = np.clip((new_y + floor) / (np.maximum(y, 0) + floor), np.float32(0.2), np.float32(5))
    return pixels * gain[..., None]
