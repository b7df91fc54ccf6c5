"""Overlapping cosine shrinkage of a sensor's mosaic, whose noise depends on the signal."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from . import anscombe, shrinkage

# Orthonormal over the four places of a cell: their mean, then three differences.
CELL = np.array([[1, 1, 1, 1], [1, 1, -1, -1], [1, -1, 1, -1], [1, -1, -1, 1]], np.float32) / 2


def shrink(
    mosaic: Array, pattern: NDArray[np.int8], lines: tuple[tuple[float, float], ...], balance: Array,
    luminance: float = 1.0, colour: float = 1.0,
) -> Array:  # fmt: skip
    """Remove a sensor's noise from a mosaic.

    The four places of each cell are made to have noise of variance 1 (:mod:`.anscombe`), white-balanced, and turned
    into one luminance and three difference planes, which are denoised apart at half size (:mod:`.shrinkage`).

    Parameters
    ----------
    mosaic : float32, H x W
        0 black to 1 white; starts on a whole cell.
    pattern : int, 2 x 2
        0 red, 1 green, 2 blue.
    lines
        Slope and offset (a, b) of the variance a x signal + b, for each colour.
    balance : float32, 3
        Gains of white balance.
    luminance, colour : float
        How much of the noise to take off: 1 is all of it.

    Returns
    -------
    float32, H x W

    Examples
    --------
    >>> noisy = np.random.default_rng(0).normal(0.5, 0.02, (64, 64)).astype(np.float32)
    >>> cell, lines = np.array([[0, 1], [1, 2]], np.int8), ((4e-4, 2e-4),) * 3
    >>> bool(shrink(noisy, cell, lines, np.ones(3, np.float32)).std() < 0.008)
    True
    """
    places = [(0, 0), (0, 1), (1, 0), (1, 1)]
    colours = [int(pattern[p]) for p in places]
    root = np.sqrt(balance).astype(np.float32)
    height, width = mosaic.shape
    # Whole cells; mirroring about a row keeps every row's colour.
    cells = ((0, height % 2), (0, width % 2))
    mosaic = np.pad(mosaic, cells, mode="reflect" if min(height, width) > 1 else "edge")
    stable = [
        anscombe.forward(mosaic[y::2, x::2], *lines[c]) * root[c] for (y, x), c in zip(places, colours, strict=True)
    ]
    sigmas = root[colours]
    cleaned = []
    for axis, row in enumerate(CELL):
        plane = row[0] * stable[0] + row[1] * stable[1] + row[2] * stable[2] + row[3] * stable[3]
        strength = luminance if axis == 0 else colour
        if strength > 0:
            sigma = float(np.sqrt(np.sum(np.square(row * sigmas)))) * strength
            plane = shrinkage.shrink(plane, sigma)
        cleaned.append(plane)
    result = np.empty_like(mosaic)
    for i, ((y, x), c) in enumerate(zip(places, colours, strict=True)):
        plane = sum((CELL[axis, i] * cleaned[axis] for axis in range(1, 4)), CELL[0, i] * cleaned[0])
        result[y::2, x::2] = anscombe.inverse(plane / root[c], *lines[c], smoothed=min(luminance, 1.0))
    return result[:height, :width]
