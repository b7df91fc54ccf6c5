"""Noise as it is seen in the calmest places of a picture."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

BLOCK = 8  # px
CALMEST = 0.1  # of blocks, that show noise and nothing else


def noise_left(luma: Array) -> float:
    """Standard deviation of what is finer than a plane, in the calmest tenth of blocks of 8 px of H x W values.

    Examples
    --------
    >>> noisy = 0.1 * np.random.default_rng(0).standard_normal((200, 200)) + np.linspace(0, 1, 200)
    >>> 0.08 < noise_left(noisy.astype(np.float32)) < 0.1
    True
    """
    height, width = (n // BLOCK for n in luma.shape)
    if not height or not width:
        return 0.0
    whole = luma[: height * BLOCK, : width * BLOCK]
    blocks = whole.reshape(height, BLOCK, width, BLOCK).swapaxes(1, 2).reshape(-1, BLOCK * BLOCK)
    y, x = np.mgrid[:BLOCK, :BLOCK].reshape(2, -1)
    basis = np.stack([np.ones(BLOCK * BLOCK), x, y], axis=1)
    rest = blocks - (blocks @ np.linalg.pinv(basis).T) @ basis.T
    return float(np.quantile(np.sqrt((rest**2).sum(1) / (BLOCK * BLOCK - 3)), CALMEST))
