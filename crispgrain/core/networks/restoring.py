"""What the network that restores small pictures is told of them."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array

SOFTEST, NOISIEST, STRONGEST = 1.5, 16.0, 80.0  # what becomes 1
UNKNOWN: Array = np.zeros(4, np.float32)


def told(blur: float, noise: float, compression: float) -> Array:
    """Sigma of the blur in px of the small picture, sigma of the noise in 8-bit steps, compression in percent.

    Examples
    --------
    >>> told(0.75, 4.0, 40.0).tolist()
    [0.5, 0.25, 0.5, 1.0]
    """
    return np.array([blur / SOFTEST, noise / NOISIEST, compression / STRONGEST, 1], np.float32)
