"""Pixels of a sensor that see no light: what its rows are off by is seen there.

References
----------
[1] Adobe DNG specification 1.4, ActiveArea and MaskedAreas: fully masked pixels, by which black can be measured.
[2] EMVA Standard 1288, Release 4.0, 2021: nonuniformity split into row, column and pixel variance.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect

FEWEST = 8  # px of a row; with fewer, chance decides
SURE = 3.0  # standard errors by which rows have to differ
FAULTY = 4.0  # sigmas; a hot pixel says nothing of its row
MAD_TO_SIGMA = 1.4826


def beside(areas: Sequence[int], picture: Rect, sensor_width: int) -> NDArray[np.intp]:
    """Columns of masked pixels that run past every row of a picture, from the numbers of MaskedAreas [1]_.

    ``areas`` are top, left, bottom and right of one rectangle after another, px of the sensor, the last two not
    included; what a damaged file says of columns that the sensor has not is passed over.
    """
    is_masked = np.zeros(sensor_width, bool)
    for top, left, bottom, right in zip(*[iter(areas)] * 4, strict=False):
        if top <= picture.top and bottom >= picture.bottom:
            is_masked[max(left, 0) : max(right, 0)] = True
    is_masked[picture.left : picture.right] = False
    return np.flatnonzero(is_masked)


def row_offsets(masked: NDArray[np.uint16]) -> NDArray[np.float32]:
    """By how much each row of a sensor reads too high, less their mean.

    What chance adds to a mean of so few pixels is taken off as a share: the estimate with the least squared error, if
    rows and pixels differ as Gaussians do. All are 0 if rows do not surely differ.

    Parameters
    ----------
    masked : uint16, H x N
        Masked pixels of the H rows.

    Returns
    -------
    float32, H
        In steps of the sensor.
    """
    height, number = masked.shape
    if number < FEWEST or height < 2 * FEWEST:
        return np.zeros(height, np.float32)
    values = masked.astype(np.float32)
    for parity in (0, 1):  # a cell's colours may have blacks of their own
        values[parity::2] -= np.median(values[parity::2], axis=0)
    spread = MAD_TO_SIGMA * float(np.median(np.abs(values)))
    np.clip(values, -FAULTY * spread, FAULTY * spread, out=values)
    offsets = values.mean(axis=1)
    offsets -= offsets.mean()
    by_chance = float(values.var(axis=1, ddof=1).mean()) / number
    found = float(offsets.var(ddof=1))
    if found <= by_chance * (1 + SURE * (2 / height) ** 0.5):
        return np.zeros(height, np.float32)
    return offsets * np.float32(1 - by_chance / found)


def level_rows(mosaic: NDArray[np.uint16], offsets: NDArray[np.float32], white: float) -> NDArray[np.uint16]:
    """A mosaic (H x W) without the offsets of its rows; what is saturated stays so."""
    level = mosaic - np.rint(offsets)[:, None]
    return np.where(mosaic < white, np.maximum(level, 0), mosaic).astype(np.uint16)
