"""A second opinion on the kind of blur: a small network that has seen sharp and blurred blocks of many scenes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from ..colour.spaces import srgb_encode
from ..networks import runtime

NAME = "blur-net"
# Up to which sigma, in px, a soft block belongs to each of the first classes; the first is sharp.
SOFTNESS = (0.35, 0.55, 0.75, 1.0, 1.3, 1.7, 2.3, 3.0)
KINDS = ("defocus", "motion", "shake")  # the classes after those
CLASSES = len(SOFTNESS) + len(KINDS)
FLAT = 0.01  # of encoded white; contrast is told from there on


def as_input(blocks: Array) -> Array:
    """Linear luminance (n x H x W) as the network wants it: encoded, of mean 0 and about the same contrast."""
    encoded = srgb_encode(np.clip(blocks, 0, 1))
    encoded -= encoded.mean(axis=(1, 2), keepdims=True)
    contrast = np.sqrt(np.square(encoded).mean(axis=(1, 2), keepdims=True))
    return (encoded / (contrast + np.float32(FLAT)))[:, None]


def log_likelihoods(blocks: Array) -> NDArray[np.float64]:
    """Logarithms of how likely each class makes each block (n x classes), up to a number of each block's own.

    Parameters
    ----------
    blocks : n x 128 x 128
        Linear luminance, 0..1.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    return runtime.run(NAME, {"blocks": as_input(blocks)})[:, :, 0, 0].astype(np.float64)
