"""The guided filter: a coarse map that follows the edges of a picture."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array


def guided_coefficients(guide: Array, values: Array, radius: int, epsilon: float) -> tuple[Array, Array]:
    """Slope and offset (each H x W), so that ``slope * guide + offset`` is ``values`` smoothed along the guide's edges.

    They are smooth, so they may be enlarged and applied to a larger guide.

    Parameters
    ----------
    guide, values : H x W, 0 to 1
    radius : int
        Px of the box over which both are compared.
    epsilon : float
        Variance of the guide below which it has no edges.

    References
    ----------
    K. He, J. Sun, X. Tang, "Guided image filtering", IEEE Trans. Pattern Analysis 35(6), 2013; enlarged as in K. He,
    J. Sun, "Fast guided filter", arXiv:1505.00996, 2015.

    Examples
    --------
    >>> guide = np.repeat(np.float32([[0, 0, 0, 1, 1, 1]]), 6, axis=0)
    >>> rough = np.repeat(np.float32([[0, 0, 0.3, 0.7, 1, 1]]), 6, axis=0)
    >>> slope, offset = guided_coefficients(guide, rough, 2, 1e-4)
    >>> bool(abs((slope * guide + offset)[0] - [0.1, 0.1, 0.1, 0.9, 0.9, 0.9]).max() < 0.06)
    True
    """
    box = (2 * radius + 1, 2 * radius + 1)

    def mean(x: Array) -> Array:
        return cv2.blur(x, box, borderType=cv2.BORDER_REFLECT)

    guide, values = guide.astype(np.float32), values.astype(np.float32)
    guide_mean, mean_value = mean(guide), mean(values)
    covariance = mean(guide * values) - guide_mean * mean_value
    variance = np.maximum(mean(guide * guide) - guide_mean**2, 0)
    slope = covariance / (variance + np.float32(epsilon))
    offset = mean_value - slope * guide_mean
    return mean(slope), mean(offset)
