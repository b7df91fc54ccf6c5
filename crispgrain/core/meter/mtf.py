"""Sharpness of a slanted edge: the spatial frequency response of ISO 12233."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

OVERSAMPLING = 4


def edge_response(y: Array) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Modulation transfer across a slightly slanted, nearly vertical edge.

    Parameters
    ----------
    y : float32, H x W
        Linear luminance; the edge runs from top to bottom, 2 to 10 degrees off the vertical.

    Returns
    -------
    frequency, response : float64
        Cycles per pixel up to 0.5, and contrast relative to that of the lowest frequency.

    Raises
    ------
    ValueError
        If there is no such edge.

    References
    ----------
    ISO 12233:2017, annex D (slanted edge): edge found row by row from centroids
    of the derivative, fitted by a line, pixels gathered into quarter-pixel bins
    by their distance from it, differentiated, windowed, transformed.
    """
    height, width = y.shape
    slope = np.abs(np.diff(y.astype(np.float64), axis=1)) * np.hamming(width - 1)
    weight = slope.sum(axis=1)
    if weight.min() <= 1e-6:
        raise ValueError("there is no edge from top to bottom")
    rows = np.arange(height)
    centre = (slope * (np.arange(width - 1) + 0.5)).sum(axis=1) / weight
    tilt, offset = np.polyfit(rows, centre, 1)
    if not 0.02 < abs(tilt) < 0.3:
        raise ValueError("the edge is not slanted by 2 to 15 degrees")
    # Centroids are drawn to the middle of the row by noise and by the window: look again, closer by.
    for reach in (12, 6):
        near = np.abs(np.arange(width - 1) + 0.5 - (offset + tilt * rows)[:, None]) < reach
        centre = (slope * near * (np.arange(width - 1) + 0.5)).sum(axis=1) / np.maximum(
            (slope * near).sum(axis=1), 1e-9
        )
        tilt, offset = np.polyfit(rows, centre, 1)
    distance = (np.arange(width) - (offset + tilt * rows)[:, None]) * np.cos(np.arctan(tilt))
    bins = np.floor(distance * OVERSAMPLING).astype(int)
    reach = int(min(-bins.min(axis=1).max(), bins.max(axis=1).min())) - 1
    inside = np.abs(bins) <= reach
    index = bins[inside] + reach
    count = np.bincount(index, minlength=2 * reach + 1)
    spread = np.bincount(index, y[inside], 2 * reach + 1) / np.maximum(count, 1)
    line = np.convolve(spread, [0.5, 0, -0.5], mode="valid") * np.hamming(2 * reach - 1)
    response = np.abs(np.fft.rfft(line))
    frequency = np.arange(len(response)) / len(line) * OVERSAMPLING
    # The difference over two bins, and the bins themselves, take away from high frequencies: that is given back.
    taken = np.sinc(2 * frequency / OVERSAMPLING) * np.sinc(frequency / OVERSAMPLING)
    kept = frequency <= 0.5
    return frequency[kept], (response / response[0])[kept] / taken[kept]


def mtf50(y: Array) -> float:
    """Frequency in cycles per pixel at which the response of an edge (see :func:`edge_response`) falls to half.

    0.5 if it never does.
    """
    frequency, response = edge_response(y)
    below = np.nonzero(response < 0.5)[0]
    if not len(below):
        return 0.5
    n = int(below[0])
    (f, g), (r, s) = frequency[n - 1 : n + 1], response[n - 1 : n + 1]
    return float(f + (r - 0.5) / (r - s) * (g - f))
