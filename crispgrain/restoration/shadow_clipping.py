"""Noise that was cut off at black, and lifts what it was cut off from.

Where a strong colour leaves a channel empty, a camera keeps only the upper half
of its noise. Denoising keeps the mean, so the petal stays paler than it was. A
network learns to undo that, but only in part where the picture was compressed.
How much is to be taken off after it follows from how far the channel's mean is
from black, by the noise's own measure.

References
----------
A. Foi, "Clipped noisy images: heteroskedastic modeling and practical
denoising", Signal Processing 89(12), 2009 (from memory).
"""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

SPREAD = 4  # px; sigma of the Gaussian that local means are taken with
REACH = 4 * SPREAD  # px; what it needs of the denoised picture
AROUND = 32  # px; so far around, one value below black says that noise was not cut off
# Lift by mean of the channel, both in standard deviations of the noise taken off: rounded from least squares, in bins,
# on what the photo net leaves of training photographs developed from a simulated camera and compressed. Of those not
# compressed it leaves next to none (0.1 at most).
MEANS = (0.0, 0.5, 1.0, 1.5, 2.0, 2.5)
LIFTS = (0.0, 0.13, 0.3, 0.26, 0.12, 0.0)
WEAKEST = 0.3 / 255  # noise that matters
BLACK = -1e-4  # what matrices round to less than black is not below it
# Brightest channel, encoded, from where on and where fully: in deep shadows no colour is so strong, and nothing lifted.
BRIGHT = (40 / 255, 80 / 255)


def without_bias(noisy: Array, cleaned: Array) -> Array:
    """Take the lift of channels near black off a denoised picture that was compressed.

    Where noise still has its values below black it lifts nothing, and nothing is taken off.

    Parameters
    ----------
    noisy, cleaned : H x W x 3
        The picture before and after denoising, sRGB-encoded, 0 black and 1 white, unclipped.

    Returns
    -------
    H x W x 3
        ``cleaned``, nowhere brighter, and no value taken below 0.

    Examples
    --------
    >>> noisy = np.maximum(np.random.default_rng(0).normal(0, 0.05, (96, 96, 3)), 0).astype(np.float32)
    >>> noisy[..., 0] = 0.8  # a strong colour, beside which two channels are empty
    >>> cleaned = np.broadcast_to(noisy.mean(axis=(0, 1)), noisy.shape).astype(np.float32)
    >>> bool(without_bias(noisy, cleaned)[..., 1].mean() < cleaned[..., 1].mean() - 0.005)
    True
    """
    cut = cv2.erode(noisy, np.ones((2 * AROUND + 1,) * 2, np.uint8)) >= BLACK
    if not cut.any():
        return cleaned
    variance, inside = _mean(np.square(noisy - cleaned)), np.maximum(cleaned, 0)
    noise, level = np.sqrt(variance), _mean(inside)
    detail = np.maximum(_mean(np.square(inside)) - np.square(level), 0)
    lift = noise * np.interp(level / np.maximum(noise, np.float32(WEAKEST)), MEANS, LIFTS)
    # Where there is detail, part of what was taken off was no noise.
    lift *= variance / np.maximum(variance + detail, np.float32(1e-9))
    share = np.clip((level.max(axis=-1, keepdims=True) - BRIGHT[0]) / (BRIGHT[1] - BRIGHT[0]), 0, 1)
    # What is below black already stays as it is.
    return cleaned - np.minimum(cut * share * lift, inside).astype(np.float32)


def _mean(plane: Array) -> Array:
    return cv2.GaussianBlur(plane.astype(np.float32), (2 * REACH + 1,) * 2, SPREAD, borderType=cv2.BORDER_REFLECT_101)
