"""The photo net as what a picture should look like: the prior of slow, good deconvolution."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array

from ...colour.spaces import SRGB_TO_WORKING, WORKING_TO_SRGB, apply_matrix, srgb_decode, srgb_encode
from ...networks.conditioned import restored
from ..denoise.photo_net import NAME

MOST = 70 / 255  # the strongest noise the network was trained on
# What is left of a blur's undoing is coarser than noise, and the network, which sees how much noise there is, heeds
# little of what it is told: told more, it takes it off (tried from 1 to 4 on training photographs).
INSISTENCE = 3
DARKEST = 0.04  # encoded; darker, the curve is too steep to be followed
LOCAL = 5  # px


def clean(pixels: Array, sigma: float) -> Array:
    """Linear pixels (H x W x 3, working space) with an even error of ``sigma`` taken away.

    The network sees encoded values, in which an even error of linear light is stronger in the dark.
    """
    encoded = srgb_encode(apply_matrix(pixels, WORKING_TO_SRGB))
    return apply_matrix(srgb_decode(restored(NAME, encoded, conditions(encoded, sigma))), SRGB_TO_WORKING)


def conditions(encoded: Array, sigma: float) -> Array:
    """What networks are told of an even error of linear light (white = 1) in an encoded picture; both H x W x 3."""
    tone = cv2.blur(np.clip(encoded.mean(axis=-1), DARKEST, 1), (LOCAL, LOCAL), borderType=cv2.BORDER_REFLECT)
    slope = np.float32(2.4 / 1.055) * ((tone + np.float32(0.055)) / np.float32(1.055)) ** np.float32(1.4)
    noise_map = np.minimum(INSISTENCE * sigma / slope, MOST)
    return np.stack([noise_map, noise_map, np.zeros_like(noise_map)], axis=-1)
