"""A network trained by us: a picture a little blurred, in whatever way, to a sharp one."""

from __future__ import annotations

import numpy as np

from ...colour.spaces import Array

LARGEST = 3.0  # px, the largest blur the network is told of


def conditions(shape: tuple[int, ...], noise: float, blur: float, compression: float) -> Array:
    """What the network is told of a picture, as planes H x W x 3.

    Parameters
    ----------
    noise : float
        Sigma of a channel in encoded values, white = 1.
    blur : float
        Sigma of the blur in px, at most 3.
    compression : float
        0 none, 1 the strongest.
    """
    told = np.array([noise, min(blur, LARGEST) / LARGEST, compression], np.float32)
    return np.broadcast_to(told, (*shape[:2], 3)).copy()
