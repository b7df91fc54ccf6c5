"""Hot, dead and blinking pixels of a mosaic: found one by one, and filled from their neighbours of the same colour."""

from __future__ import annotations

import math
from collections.abc import Iterator

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .cells import RGGB, mirrored
from .demosaic import is_bayer

# By trial on photographs of the training set and simulated dots.
SURE = 8.0  # sigmas of the noise beyond all eight neighbours of the same colour
ALONE = 0.5  # of what it differs by from their median, beyond all of them
SPREAD = 0.1  # of that, at most, on those beside it: a lens never puts light on one pixel alone
ALLOWED = 2.5  # sigmas that they may differ by, too
REACH = 6  # px around a pixel that are looked at
RING = np.array([[1, 1, 1], [1, 0, 1], [1, 1, 1]], np.uint8)
BESIDE = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.uint8)


def found(mosaic: Array, sigma: Array, sure: float = SURE, pattern: NDArray[np.int8] = RGGB) -> NDArray[np.bool_]:
    """Where a mosaic has pixels that cannot be light.

    One stands out from all eight of the same colour around it by far more than noise, while the four beside it, of
    other colours for the most part, do not stand out from theirs: a point of light would have reached them.

    Parameters
    ----------
    mosaic : float32, H x W
        Begins with the cell ``pattern``; both sides even.
    sigma : float32, H x W
        Standard deviation of the noise.
    sure : float
        By how many of these it stands out at least.

    Examples
    --------
    >>> dark = np.full((16, 16), 0.1, np.float32)
    >>> dark[6, 8] = 0.5
    >>> np.argwhere(found(dark, np.full_like(dark, 0.01))).tolist()
    [[6, 8]]
    """
    above, below, out = (np.empty_like(mosaic) for _ in range(3))
    for own, plane, least, median, most in _around(mosaic, pattern):
        above[own], below[own], out[own] = plane - most, least - plane, plane - median
    # None of the four beside it stands out more than a share of what it does, and noise.
    calm = cv2.dilate(np.abs(out), BESIDE) < SPREAD * np.abs(out) + ALLOWED * sigma
    hot = (above > sure * sigma) & (above > ALONE * out)
    dead = (below > sure * sigma) & (below > -ALONE * out)
    return calm & (hot | dead)


def calm(mosaic: Array, pattern: NDArray[np.int8]) -> Array:
    """Medians of each pixel and the eight of its colour around it.

    Examples
    --------
    >>> dark = np.full((16, 16), 0.1, np.float32)
    >>> dark[6, 8] = 0.5
    >>> bool(calm(dark, RGGB).max() == np.float32(0.1))
    True
    """
    out = np.empty_like(mosaic)
    for own, _, _, median, _ in _around(mosaic, pattern):
        out[own] = median
    return out


def _around(
    mosaic: Array, pattern: NDArray[np.int8]
) -> Iterator[tuple[tuple[slice, slice], Array, Array, Array, Array]]:
    """For each place of the cell: its pixels, their values, least and most of the eight around, median of all nine."""
    size = len(pattern)
    if is_bayer(pattern):
        for y, x in np.ndindex(2, 2):
            plane = np.ascontiguousarray(mosaic[y::2, x::2])
            least = cv2.erode(plane, RING, borderType=cv2.BORDER_REFLECT_101)
            most = cv2.dilate(plane, RING, borderType=cv2.BORDER_REFLECT_101)
            yield np.s_[y::2, x::2], plane, least, cv2.medianBlur(plane, 3), most
        return
    grown = mosaic[mirrored(pattern, mosaic.shape, (REACH, REACH), (REACH, REACH))]
    for y, x in np.ndindex(pattern.shape):
        plane = mosaic[y::size, x::size]
        rows, columns = plane.shape
        near = [grown[REACH + y + i :: size, REACH + x + j :: size] for i, j in _nearest(pattern, y, x)]
        nine = np.stack([plane, *(there[:rows, :columns] for there in near)])
        yield np.s_[y::size, x::size], plane, nine[1:].min(0), np.median(nine, axis=0), nine[1:].max(0)


def _nearest(pattern: NDArray[np.int8], y: int, x: int) -> list[tuple[int, int]]:
    """Steps to the eight of the same colour nearest to a place of the cell; of Bayer's, to the same place of others."""
    size, square = len(pattern), range(-REACH, REACH + 1)
    steps = [(i, j) for i in square for j in square if (i, j) != (0, 0)]
    if is_bayer(pattern):
        alike = [(i, j) for i, j in steps if i % 2 == j % 2 == 0]
    else:
        alike = [(i, j) for i, j in steps if pattern[(y + i) % size, (x + j) % size] == pattern[y, x]]
    return sorted(alike, key=lambda step: math.hypot(*step))[:8]


def filled(mosaic: Array, where: NDArray[np.bool_], pattern: NDArray[np.int8] = RGGB) -> Array:
    """A mosaic with some of its pixels replaced by the median of the sound ones of the same colour around them.

    Examples
    --------
    >>> dark = np.full((16, 16), 0.1, np.float32)
    >>> dark[6, 8] = 0.5
    >>> bool((filled(dark, found(dark, np.full_like(dark, 0.01))) == np.float32(0.1)).all())
    True
    """
    rows, columns = np.nonzero(where)
    if not len(rows):
        return mosaic
    size = len(pattern)
    steps = np.array([[_nearest(pattern, y, x) for x in range(size)] for y in range(size)])
    # Mirrored about the first and last of the same colour, so that colours stay.
    grow = (REACH, REACH), (REACH, REACH)
    places = mirrored(pattern, mosaic.shape, *grow)
    seen = np.where(where, np.nan, mosaic)[places]
    i, j = (REACH + n + steps[rows % size, columns % size, :, axis].T for axis, n in enumerate((rows, columns)))
    around = seen[i, j]
    alone = np.isnan(around).all(axis=0)
    around[0, alone] = mosaic[rows, columns][alone]
    out = mosaic.copy()
    out[rows, columns] = np.nanmedian(around, axis=0)
    return out
