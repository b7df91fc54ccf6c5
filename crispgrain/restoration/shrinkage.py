"""Overlapping cosine-transform shrinkage: the engine of the sliding-DCT models."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from crispgrain.arrays import Array
from crispgrain.cancel import check

BLOCK = 8
STEP = 2
BAND = 8  # block rows handled together; 8 x STEP = 16 rows keeps a band in the processor's cache
GRID = BAND * STEP  # tiles must start on this grid, so that sums run in the same order in every tile
REACH = 2 * BLOCK  # two passes, each over blocks of 8
THRESHOLD = 2.7  # in standard deviations; Yu and Sapiro 2011 use 3, we follow with a Wiener pass


def _cosine_basis() -> Array:
    """Orthonormal 2-D DCT-II of 8 x 8 blocks as a 64 x 64 matrix."""
    k, n = np.mgrid[0:BLOCK, 0:BLOCK]
    one = np.cos(np.pi * (2 * n + 1) * k / (2 * BLOCK)) * np.sqrt(2 / BLOCK)
    one[0] /= np.sqrt(2)
    return np.kron(one, one).astype(np.float32)


BASIS = _cosine_basis()


def shrink(plane: Array, sigma: Array | float) -> Array:
    """Remove white Gaussian noise from one plane.

    Every 8 x 8 block on a grid of step 2 is hard-thresholded in the cosine
    domain and the overlapping estimates are averaged, sparse blocks counting
    more; a second pass weighs coefficients by an empirical Wiener filter with
    the first result as its pilot.

    Parameters
    ----------
    plane : float32, H x W
    sigma : float or float32, H x W
        Standard deviation of the noise, in the units of ``plane``.

    Returns
    -------
    float32, H x W

    References
    ----------
    G. Yu, G. Sapiro, "DCT image denoising: a simple and effective image
    denoising algorithm", Image Processing On Line, 2011. The Wiener pass as in
    K. Dabov et al., "Image denoising by sparse 3-D transform-domain
    collaborative filtering", IEEE Trans. Image Processing 16(8), 2007.

    Examples
    --------
    >>> noisy = np.random.default_rng(0).normal(0.5, 0.1, (64, 64)).astype(np.float32)
    >>> bool(shrink(noisy, 0.1).std() < 0.02)
    True
    """
    height, width = plane.shape
    padded = _pad(plane)
    if isinstance(sigma, np.ndarray):
        # A block has the noise of the place it covers.
        at_blocks = _pad(sigma)[BLOCK // 2 :: STEP, BLOCK // 2 :: STEP]
    else:
        at_blocks = np.broadcast_to(np.float32(sigma), tuple(n // STEP + 1 for n in padded.shape))
    pilot = _average_blocks(padded, at_blocks, None)
    result = _average_blocks(padded, at_blocks, pilot)
    return result[BLOCK : BLOCK + height, BLOCK : BLOCK + width]


def _pad(plane: Array) -> Array:
    height, width = plane.shape
    return cv2.copyMakeBorder(plane, BLOCK, BLOCK + -height % GRID, BLOCK, BLOCK + -width % GRID, cv2.BORDER_REFLECT)


def _average_blocks(padded: Array, sigma: Array, pilot: Array | None) -> Array:
    """One pass: hard threshold without a pilot, Wiener with one."""
    half = BLOCK // STEP
    blocks = _blocks(padded)
    pilot_blocks = None if pilot is None else _blocks(pilot)
    rows, columns = blocks.shape[:2]
    # Sums by phase: index [y // 2, y % 2, x // 2, x % 2], so that each shift of a block is one addition.
    total = np.zeros((rows + half - 1, STEP, columns + half - 1, STEP), np.float32)
    weight = np.zeros((rows + half - 1, 1, columns + half - 1, 1), np.float32)
    for first in range(0, rows, BAND):
        check()
        band = slice(first, min(first + BAND, rows))
        count = band.stop - band.start
        noisy = blocks[band].reshape(-1, BLOCK * BLOCK) @ BASIS.T
        s = sigma[band, :columns].reshape(-1, 1)
        if pilot_blocks is None:
            keep = np.abs(noisy) > THRESHOLD * s
            keep[:, 0] = True
            trust = 1 / np.count_nonzero(keep, axis=1).astype(np.float32)
            noisy *= keep
        else:
            power = pilot_blocks[band].reshape(-1, BLOCK * BLOCK) @ BASIS.T
            np.square(power, out=power)
            gain = power / (power + np.square(s) + np.float32(1e-12))
            trust = 1 / np.maximum(np.einsum("ij,ij->i", gain, gain), np.float32(1e-3))
            noisy *= gain
        noisy *= trust[:, None]
        clean = (noisy @ BASIS).reshape(count, columns, half, STEP, half, STEP)
        share = trust.reshape(count, 1, columns, 1)
        for i in range(half):
            for j in range(half):
                place = np.s_[first + i : first + i + count, :, j : j + columns]
                total[place] += clean[:, :, i, :, j, :].transpose(0, 2, 1, 3)
                weight[place] += share
    return (total / weight).reshape(total.shape[0] * STEP, total.shape[2] * STEP)


def _blocks(padded: Array) -> Array:
    return sliding_window_view(padded, (BLOCK, BLOCK))[::STEP, ::STEP]
