"""How strong the noise of a finished picture is, by a network that has seen clean and noisy blocks of many scenes.

It was trained here (``training/noise_kinds.py``). Where texture fills a picture, patches cannot tell it from noise; the
network heeds what the texture looks like.

References
----------
S. Guo et al., "Toward convolutional blind denoising of real photographs", CVPR 2019: a network that estimates noise by
place, apart from the one that removes it.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from ..colour.spaces import OPPONENT, apply_matrix
from ..networks import runtime

NAME = "noise-net"
BLOCK = 128  # px
CELL = 16  # px; it tells the noise of each such square of a block
# Sigma in 8-bit units, twice as strong every other level; the first is all that is less.
LEVELS = tuple(0.25 * 2 ** (k / 2) for k in range(17))
PLANES = 5
WIDTH = 0.08  # of encoded white; cells whose tones differ by less tell of each other's noise
# Of the levels it thinks possible the power mean counts: 0 would be the geometric one, which takes what it is unsure of
# for too quiet. Set on photographs and surfaces kept apart from its training, as is the share below.
POWER = 0.35
LESS = 0.3  # share of them that may have less


def as_input(blocks: Array, compression: float | Array) -> Array:
    """Encoded pixels (n x H x W x 3, 0..1) as the network wants them, n x PLANES x H x W.

    What each axis has beyond its surroundings of 3 x 3 px, its range narrowed so that noise of half a step is seen as
    well as noise of fifty; the tone; and how strongly the picture was compressed, 0 to 1. All are rounded to 8 bits:
    it is not to learn noise from what lies between the steps of clean pictures.
    """
    blocks = np.round(255 * np.clip(blocks, 0, 1)) / np.float32(255)
    planes = np.empty((len(blocks), PLANES, *blocks.shape[1:3]), np.float32)
    for own, block in zip(planes, apply_matrix(blocks, OPPONENT), strict=True):
        beyond = block - cv2.blur(block, (3, 3))
        own[:3] = np.arcsinh(255 * beyond).transpose(2, 0, 1) / 2
        own[3] = block[..., 0] / np.float32(3**0.5) - np.float32(0.5)
    planes[:, 4] = np.reshape(compression, (-1, 1, 1))
    return planes


def log_probabilities(blocks: Array, compression: float) -> NDArray[np.float64]:
    """Logarithms of how probable each of :data:`LEVELS` is, of luma and colour, in each cell of n blocks.

    Parameters
    ----------
    blocks : n x H x W x 3
        Encoded pixels, 0..1; H and W multiples of :data:`CELL`.
    compression : float
        0 none, 1 the strongest.

    Returns
    -------
    array, n x 2 x levels x H / 16 x W / 16

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    told = runtime.run(NAME, {"blocks": as_input(blocks, compression)}).astype(np.float64)
    return told.reshape(len(blocks), 2, len(LEVELS), *told.shape[2:])


def sigma_at(each: NDArray[np.float64], tones: NDArray, at: NDArray) -> NDArray[np.float64]:
    """Sigma of luma and colour (2 x n, 8-bit units) at n tones, from cells of similar tones.

    Noise is as strong in all of those, and what misleads the network, texture, comes on top: the cells with less of it
    decide.

    Parameters
    ----------
    each : 2 x levels x cells
        As :func:`log_probabilities` gives them.
    tones : cells
        Mean encoded luma of each, 0..1.
    at : n
        Tones, in the same unit.
    """
    weights = np.exp(-0.5 * np.square((tones - at[:, None]) / WIDTH)) + 1e-9  # of the nearest, if none is similar
    means = np.einsum("l,alc->ac", np.power(LEVELS, POWER), np.exp(each)) ** (1 / POWER)
    told = np.empty((2, len(at)))
    for own, mean in zip(told, means, strict=True):
        order = np.argsort(mean)
        below = np.cumsum(weights[:, order], axis=1)
        own[:] = mean[order][(below < LESS * below[:, -1:]).sum(axis=1)]
    return np.sqrt(np.maximum(np.square(told) - LEVELS[0] ** 2, 0))
