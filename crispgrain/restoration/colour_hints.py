"""Colours of a few strokes spread over a grey picture: neighbours that are alike in light get alike colours."""

from __future__ import annotations

import cv2
import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array

ALIKE = 0.6  # of the variance of luma around a pixel: how unlike a neighbour may be
LEAST = 2e-6  # variance of encoded luma, so that what is even does not fall apart


def spread(luma: Array, hints: Array, given: NDArray[np.bool_]) -> Array:
    """Values known in some places, everywhere.

    Parameters
    ----------
    luma : H x W
        Encoded, 0 to 1.
    hints : C x H x W
        Values where they are given.
    given : H x W
        Where they are.

    Returns
    -------
    C x H x W
        Each value a mean of its eight neighbours', weighted by how alike they are in luma; zeros if nothing is given.

    References
    ----------
    A. Levin, D. Lischinski, Y. Weiss, "Colorization using optimization", ACM Trans. Graphics 23(3), 2004, equation 2.

    Examples
    --------
    >>> luma = np.repeat(np.float32([[0.2, 0.2, 0.2, 0.8, 0.8, 0.8]]), 6, axis=0)
    >>> hints, given = np.zeros((1, 6, 6), np.float32), np.zeros((6, 6), bool)
    >>> hints[0, 2, 0], hints[0, 4, 5], given[2, 0], given[4, 5] = 0.1, -0.1, True, True
    >>> [round(float(v), 1) for v in spread(luma, hints, given)[0, 0]]
    [0.1, 0.1, 0.1, -0.1, -0.1, -0.1]
    """
    if not given.any():
        return np.zeros_like(hints)
    height, width = luma.shape
    number = np.arange(height * width).reshape(height, width)
    mean = cv2.blur(luma, (3, 3), borderType=cv2.BORDER_REFLECT)
    variance = cv2.blur(luma * luma, (3, 3), borderType=cv2.BORDER_REFLECT) - mean * mean
    width_of = np.maximum(ALIKE * variance, LEAST)
    rows, columns, weights = [], [], []
    for down, right in ((-1, -1), (-1, 0), (-1, 1), (0, -1), (0, 1), (1, -1), (1, 0), (1, 1)):
        here = np.s_[max(-down, 0) : height - max(down, 0), max(-right, 0) : width - max(right, 0)]
        there = np.s_[max(down, 0) : height + min(down, 0), max(right, 0) : width + min(right, 0)]
        free = ~given[here]
        rows.append(number[here][free])
        columns.append(number[there][free])
        apart = (luma[here] - luma[there]) ** 2
        weights.append(np.exp(-apart / width_of[here])[free].astype(np.float64) + FAINT)
    row, column, weight = (np.concatenate(v) for v in (rows, columns, weights))
    sums = np.bincount(row, weight, height * width)
    means = scipy.sparse.coo_array((weight / sums[row], (row, column)), (height * width,) * 2)
    # Every diagonal is 1, and the largest of its row: no pivot is needed, which would fill the matrix.
    system = (scipy.sparse.eye_array(height * width) - means).tocsc()
    solve = scipy.sparse.linalg.splu(
        system, "MMD_AT_PLUS_A", diag_pivot_thresh=0.0, options={"SymmetricMode": True}
    ).solve
    known = np.where(given, hints, 0).reshape(len(hints), -1).astype(np.float64)
    return np.stack([solve(k).reshape(height, width) for k in known]).astype(np.float32)


FAINT = 1e-6  # a weight that joins what is not alike at all, so that no place is left without a value
