"""Hot, dead and blinking pixels of a mosaic: found one by one, and filled from their neighbours of the same colour."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from functools import reduce

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
# Of the light that a lens leaves beside a point, the least that a sensor makes of it: neighbours are of other colours.
LESS_SENSITIVE = 0.4
REACH = 6  # px around a pixel that are looked at
RING = np.array([[1, 1, 1], [1, 0, 1], [1, 1, 1]], np.uint8)
BESIDE = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.uint8)


def found(
    mosaic: Array, lines: Sequence[tuple[float, float]], sure: float = SURE, pattern: NDArray[np.int8] = RGGB,
    softness: float | None = None,
) -> NDArray[np.bool_]:  # fmt: skip
    """Where a mosaic has pixels that cannot be light.

    One stands out from all eight of the same colour around it by far more than noise, while the four beside it, of
    other colours for the most part, do not stand out from theirs: a point of light would have reached them.

    Parameters
    ----------
    mosaic : float32, H x W
        Begins with the cell ``pattern``; both sides even.
    lines
        Noise of red, green and blue: variance = a x signal + b.
    sure : float
        By how many standard deviations of it a pixel stands out at least.
    softness : float or None
        Sigma in px of the blur of what is sharpest. If it is known, only pixels beside which so soft a lens would have
        left more light than is there, even if noise took two standard deviations of it: a faint star is not found.
        Dark ones need not be as certain, for no star is dark.

    Examples
    --------
    >>> dark = np.full((16, 16), 0.1, np.float32)
    >>> dark[6, 8] = 0.5
    >>> np.argwhere(found(dark, [(0.0, 1e-4)] * 3)).tolist()
    [[6, 8]]
    """
    beyond, out, sigma = standing_out(mosaic, lines, pattern)
    # None of the four beside it stands out more than a share of what it does, and noise.
    calm = cv2.dilate(np.abs(out), BESIDE) < SPREAD * np.abs(out) + ALLOWED * sigma
    alone = (beyond > sure * sigma) & (beyond > ALONE * np.abs(out))
    return calm & alone & (_too_sharp(out, sigma, softness) if softness is not None else True)


def standing_out(
    mosaic: Array, lines: Sequence[tuple[float, float]], pattern: NDArray[np.int8] = RGGB
) -> tuple[Array, Array, Array]:
    """How far each pixel is beyond all eight of its colour around it, how far from their median, the noise's sigma.

    All are H x W, in the mosaic's unit; the first is negative where a pixel is not beyond them. Parameters are those
    of :func:`found`.

    Examples
    --------
    >>> dark = np.full((16, 16), 0.1, np.float32)
    >>> dark[6, 8] = 0.5
    >>> [round(float(plane[6, 8]), 3) for plane in standing_out(dark, [(0.0, 1e-4)] * 3)]
    [0.4, 0.4, 0.01]
    """
    beyond, out, sigma = (np.zeros_like(mosaic) for _ in range(3))
    if min(mosaic.shape) < 2 * len(pattern):  # without neighbours nothing stands out
        return beyond, out, sigma + 1
    for own, colour, plane, least, median, most in _around(mosaic, pattern):
        a, b = lines[colour]
        beyond[own], out[own] = np.maximum(plane - most, least - plane), plane - median
        # A dot's own light says nothing of its noise.
        sigma[own] = np.sqrt(np.maximum(np.float32(a) * np.maximum(median, 0) + np.float32(b), np.float32(1e-12)))
    return beyond, out, sigma


def _too_sharp(out: Array, sigma: Array, softness: float) -> NDArray[np.bool_]:
    """Where the mean of the four beside stands out by less than the least share that a Gaussian point spread leaves."""
    least = LESS_SENSITIVE * math.exp(-0.5 / softness**2) if softness else 0.0
    beside = cv2.filter2D(out, cv2.CV_32F, BESIDE.astype(np.float32) / 4, borderType=cv2.BORDER_REFLECT_101)
    hidden = np.where(out > 0, sigma, 0)  # by noise: two standard deviations, as a mean of four has half of it
    return np.sign(out) * beside + hidden < np.float32(least) * np.abs(out)


Around = tuple[tuple[slice, slice], int, Array, Array, Array, Array]


def _around(mosaic: Array, pattern: NDArray[np.int8]) -> Iterator[Around]:
    """For each place of the cell: its pixels, colour and values, least of the eight around, median of nine, most."""
    size = len(pattern)
    if is_bayer(pattern):
        for y, x in np.ndindex(2, 2):
            plane = np.ascontiguousarray(mosaic[y::2, x::2])
            least = cv2.erode(plane, RING, borderType=cv2.BORDER_REFLECT_101)
            most = cv2.dilate(plane, RING, borderType=cv2.BORDER_REFLECT_101)
            yield np.s_[y::2, x::2], int(pattern[y, x]), plane, least, cv2.medianBlur(plane, 3), most
        return
    grown = mosaic[mirrored(pattern, mosaic.shape, (REACH, REACH), (REACH, REACH))]
    for y, x in np.ndindex(pattern.shape):
        plane = np.ascontiguousarray(mosaic[y::size, x::size])
        rows, columns = plane.shape
        near = [grown[REACH + y + i :: size, REACH + x + j :: size] for i, j in _nearest(pattern, y, x)]
        eight = [np.ascontiguousarray(there[:rows, :columns]) for there in near]
        least, most = (reduce(end, eight) for end in (np.minimum, np.maximum))
        yield np.s_[y::size, x::size], int(pattern[y, x]), plane, least, median_of_nine([plane, *eight]), most


# Which two are put in order, one after the other, until the middle one is in the middle (J. L. Smith, "Implementing
# median filters in XC4000E FPGAs", Xcell 23, 1996; the order is from memory, and checked against the median).
EXCHANGES = (
    (1, 2), (4, 5), (7, 8), (0, 1), (3, 4), (6, 7), (1, 2), (4, 5), (7, 8), (0, 3), (5, 8), (4, 7), (3, 6), (1, 4),
    (2, 5), (4, 7), (4, 2), (6, 4), (4, 2),
)  # fmt: skip


def median_of_nine(values: list[Array]) -> Array:
    """The median of nine arrays, place by place: many times as fast as sorting each place.

    Examples
    --------
    >>> nine = np.random.default_rng(0).random((9, 1000))
    >>> bool(np.array_equal(median_of_nine(list(nine)), np.median(nine, axis=0)))
    True
    """
    values = list(values)
    for low, high in EXCHANGES:
        values[low], values[high] = np.minimum(values[low], values[high]), np.maximum(values[low], values[high])
    return values[4]


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
    >>> bool((filled(dark, found(dark, [(0.0, 1e-4)] * 3)) == np.float32(0.1)).all())
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
