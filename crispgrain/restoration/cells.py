"""The cell of colours that repeats all over a sensor: 2 x 2 (B. E. Bayer, US patent 3971065, 1976) or any other."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Pair = tuple[int, int]

RGGB = np.array([[0, 1], [1, 2]], np.int8)  # 0 red, 1 green, 2 blue
# As sensors with cells of 6 x 6 have it, from memory: every colour is in every row and column. Turned or
# mirrored it is itself, moved.
SIX_BY_SIX = np.array(
    [["RGBG".index(c) for c in row] for row in ("GGRGGB", "GGBGGR", "BRGRBG", "GGBGGR", "GGRGGB", "RBGBRG")], np.int8
)


def known(pattern: NDArray[np.int8]) -> tuple[NDArray[np.int8], tuple[int, int]]:
    """The cell that comes so many rows and columns (0 or 1) before a mosaic that begins with a ``pattern``.

    Of Bayer's sensors that is :data:`RGGB`, of others :data:`SIX_BY_SIX`, begun on any of its even rows and columns.

    Raises
    ------
    ValueError
        If it is neither.

    Examples
    --------
    >>> known(np.array([[1, 0], [2, 1]], np.int8))[1]
    (0, 1)
    """
    for cell in (RGGB, SIX_BY_SIX):
        for down, right in ((0, 0), (0, 1), (1, 0), (1, 1)):
            for y, x in np.ndindex(len(cell) // 2, len(cell) // 2):
                begun = moved(cell, 2 * y, 2 * x)
                if np.array_equal(moved(begun, down, right), pattern):
                    return begun, (down, right)
    raise ValueError("these are not the colours of a sensor known here")


def repeated(cell: NDArray, height: int, width: int) -> NDArray:
    """What a cell says of each pixel of a mosaic that begins with it.

    Examples
    --------
    >>> repeated(np.array([[0, 1], [1, 2]]), 3, 3).tolist()
    [[0, 1, 0], [1, 2, 1], [0, 1, 0]]
    """
    rows, columns = cell.shape[:2]
    return np.tile(cell, (-(-height // rows), -(-width // columns)))[:height, :width]


def moved(cell: NDArray, down: int, right: int) -> NDArray:
    """The cell of a mosaic that begins so many rows and columns farther.

    Examples
    --------
    >>> moved(RGGB, 0, 1).tolist()
    [[1, 0], [2, 1]]
    """
    return np.roll(cell, (-down, -right), axis=(0, 1))


def mirrored(cell: NDArray, size: tuple[int, ...], rows: Pair, columns: Pair) -> tuple[NDArray[np.intp], ...]:
    """Index of a mosaic with mirrored surroundings, so many rows and columns before and after, that keep its colours.

    Where a mirrored row would have other colours than the cell goes on with, the nearest to it that has the same is
    taken. For cells of 2 x 2 that is the mirrored one itself.

    Examples
    --------
    >>> cell = np.array([[0, 1], [1, 2]])
    >>> mosaic = repeated(cell, 6, 6)
    >>> grown = mosaic[mirrored(cell, mosaic.shape, (2, 4), (2, 2))]
    >>> bool(np.array_equal(grown, repeated(cell, 12, 10)))
    True
    """
    return np.ix_(_places(cell, size[0], *rows), _places(cell.swapaxes(0, 1), size[1], *columns))


def _places(cell: NDArray, length: int, before: int, after: int) -> NDArray[np.intp]:
    """Which row of a mosaic of so many stands for each of those it is grown by."""
    kinds = np.unique(cell, axis=0, return_inverse=True)[1].ravel()
    wanted = np.arange(-before, length + after)
    there = wanted % max(2 * (length - 1), 1)
    places = np.minimum(there, 2 * (length - 1) - there)
    own = kinds[np.arange(length) % len(cell)]
    for n in np.flatnonzero(own[places] != kinds[wanted % len(cell)]):
        alike = np.flatnonzero(own == kinds[wanted[n] % len(cell)])
        if len(alike):
            places[n] = alike[np.abs(alike - places[n]).argmin()]
    return places
