"""What a treatment put into a picture that was not there: texture on smooth ground."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

FINE = 1.5  # sigma of the Gaussian that fine variation is what differs from, px
WINDOW = 9  # px, in which it is measured
SMOOTH = 2.0 / 255  # of white; ground that varies less, in larger forms, is smooth
LEAST, TIMES = 0.8 / 255, 1.3  # of white, and of the variation before: less is not seen as more


def _blurred(plane: Array, sigma: float) -> Array:
    return cv2.GaussianBlur(plane, (0, 0), sigma, borderType=cv2.BORDER_REFLECT)


def _local(plane: Array) -> Array:
    """Standard deviation in a window about each pixel, of a plane whose mean is nothing."""
    return np.sqrt(np.maximum(cv2.blur(plane * plane, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT), 0))


def false_texture(before: Array, after: Array) -> float:
    """Share of smooth ground that has more fine variation after a treatment than it had before; 0 without such ground.

    Parameters
    ----------
    before, after : float32, H x W
        Encoded luma, 0 black to 1 white.

    Examples
    --------
    >>> sky = np.full((64, 64), 0.5, np.float32)
    >>> worms = sky + 0.02 * np.sin(np.arange(64, dtype=np.float32))
    >>> false_texture(sky, sky), false_texture(sky, worms)
    (0.0, 1.0)
    """
    forms = _blurred(before, FINE)
    smooth = _local(forms - _blurred(forms, 3 * FINE)) < SMOOTH
    if not smooth.any():
        return 0.0
    old, new = (_local(plane - _blurred(plane, FINE)) for plane in (before, after))
    return float((new > np.maximum(TIMES * old, LEAST))[smooth].mean())
