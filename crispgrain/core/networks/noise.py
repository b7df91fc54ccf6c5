"""How noisy a picture is, as a network trained by us sees it, place by place."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from . import runtime

NAME = "noise-net"
CELL = 16  # px, edge of the places an answer is given for
LEAST_SIGMA = 0.25  # 8-bit steps, added before the logarithm: a tenth of a step is as good as nothing


def noise_of(encoded: Array) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Noise of each cell of a picture (H x W x 3, sRGB-encoded), whole cells only.

    Returns
    -------
    (rows x columns x 2, rows x columns x 2)
        Logarithms of the sigmas of luma and colour noise in 8-bit steps, each :data:`LEAST_SIGMA` more than it is, and
        how far they may be off.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    rows, columns = (n // CELL * CELL for n in encoded.shape[:2])
    (answer,) = runtime.run(NAME, {"picture": encoded[:rows, :columns].transpose(2, 0, 1)[None]})
    value, width = np.split(answer.transpose(1, 2, 0).astype(np.float64), 2, axis=2)
    return value, np.exp(width)
