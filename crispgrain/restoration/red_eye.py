"""Pupils that a flash lit up red, made dark again."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

RED = (2.2, 3.5)  # times green or blue, in linear light: skin has less, and a red pupil more
DARK = 0.01  # of white; below, ratios say nothing


def without_red(pixels: Array, strength: float = 1.0) -> Array:
    """Linear pixels (H x W x 3) whose red is far stronger than both others given the mean of these.

    Examples
    --------
    >>> pupil, skin = [0.58, 0.03, 0.05], [0.72, 0.40, 0.26]
    >>> [[round(float(v), 2) for v in colour] for colour in without_red(np.float32([[pupil, skin]]))[0]]
    [[0.04, 0.03, 0.05], [0.72, 0.4, 0.26]]
    """
    red, others = pixels[..., 0], pixels[..., 1:]
    ratio = red / (np.maximum(others.max(axis=-1), 0) + np.float32(DARK))
    share = np.clip((ratio - RED[0]) / (RED[1] - RED[0]), 0, 1) * np.float32(strength)
    out = pixels.copy()
    out[..., 0] = red + share * (others.mean(axis=-1) - red)
    return out
