"""A gain that grows with the square of the distance from the middle: lens shading as it is put right."""

from __future__ import annotations

import numpy as np

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size


def radial_gain(rect: Rect, size: Size, corner: float) -> Array:
    """Gains (h x w) of a rectangle of a picture: 1 in the middle, ``corner`` in the corners.

    Examples
    --------
    >>> radial_gain(Rect(0, 0, 1, 100), Size(100, 100), 3.0).max().round(1)
    np.float32(3.0)
    """
    y, x = (
        (np.arange(start, start + few, dtype=np.float32) + np.float32(0.5)) / np.float32(many) - np.float32(0.5)
        for start, few, many in ((rect.top, rect.height, size.height), (rect.left, rect.width, size.width))
    )
    return np.float32(1) + np.float32(2 * (corner - 1)) * (y[:, None] ** 2 + x[None] ** 2)
