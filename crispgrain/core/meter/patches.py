"""Small patches of a picture or of one colour of a mosaic, in which noise is told from what is there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from functools import cache
from typing import NamedTuple

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.demosaic import is_bayer

PATCH = 5
STRIDE = 3
QUINCUNX_STRIDE = 4
GREEN = 1
SATURATED = 0.95  # noise near there is cut off
# Of other cells than Bayer's: about every so many places of a colour a patch, of the nearest within so many px.
EVERY, WITHIN = 4, 8


def patches_by_colour(mosaic: Array, pattern: NDArray[np.int8]) -> Iterator[tuple[int, Array]]:
    """The colour (0 red, 1 green, 2 blue) and patches (rows of 25) of a mosaic (0 black, 1 white) of a pattern."""
    if not is_bayer(pattern):
        yield from _scattered(mosaic, pattern)
        return
    for y, x in np.ndindex(pattern.shape):
        colour = int(pattern[y, x])
        patches = quincunx_patches(mosaic, y, x) if colour == GREEN else patches_of(mosaic[y::2, x::2])
        yield colour, patches[patches.max(axis=1) < SATURATED]


def patches_of(plane: Array) -> Array:
    """5 x 5 patches of a plane on a grid of 3, as rows of 25."""
    if min(plane.shape) < PATCH:
        return np.empty((0, PATCH * PATCH), np.float32)
    return sliding_window_view(plane, (PATCH, PATCH))[::STRIDE, ::STRIDE].reshape(-1, PATCH * PATCH)


def quincunx_patches(mosaic: Array, y: int, x: int) -> Array:
    """Diamonds of green round places ``(y, x)`` of every second cell, as rows of 25.

    Along the diagonals greens are nearer to each other than those of one place
    in each cell are, so that less texture hides among their high frequencies.
    """
    reach = PATCH - 1
    if min(mosaic.shape) < 2 * reach + QUINCUNX_STRIDE:
        return np.empty((0, PATCH * PATCH), np.float32)
    i, j = np.mgrid[:PATCH, :PATCH] - PATCH // 2
    windows = sliding_window_view(mosaic, (2 * reach + 1, 2 * reach + 1))[y::QUINCUNX_STRIDE, x::QUINCUNX_STRIDE]
    return windows[..., reach + (i - j).ravel(), reach + (i + j).ravel()].reshape(-1, PATCH * PATCH)


class Content(NamedTuple):
    """What is in patches, a value for each: their mean, and the mean square of their low and high frequencies."""

    mean: Array
    low: Array
    high: NDArray[np.float64]

    def of(self, part: NDArray) -> Content:
        """Of some of the patches, by number or by mask."""
        return Content(*(values[part] for values in self))


def content(patches: Array) -> Content:
    """What is in patches (n x 25): n means, and n mean squares each, in the square of their unit."""
    basis, *which = cosine_split()
    low, high = (np.einsum("ij,ij->i", part, part) / part.shape[1] for part in (patches @ basis[w].T for w in which))
    return Content(patches.mean(axis=1), low, high.astype(np.float64))


def joined(contents: Iterable[Content]) -> Content:
    """Of patches from several places."""
    contents = list(contents) or [content(np.empty((0, PATCH * PATCH), np.float32))]
    return Content(*(np.concatenate(values) for values in zip(*contents, strict=True)))


@cache
def cosine_split() -> tuple[Array, NDArray[np.intp], NDArray[np.intp]]:
    """The 5 x 5 cosine basis as a 25 x 25 matrix, and which of its rows count as low and as high."""
    basis = scipy.fft.dct(np.eye(PATCH), axis=0, norm="ortho")
    order = _orders()
    return (
        np.kron(basis, basis).astype(np.float32), np.flatnonzero((order >= 1) & (order <= 3)), np.flatnonzero(order > 4)
    )  # fmt: skip


def _orders() -> NDArray[np.intp]:
    """Sum of the orders down and across of each coefficient."""
    return np.add.outer(np.arange(PATCH), np.arange(PATCH)).ravel()


def _scattered(mosaic: Array, pattern: NDArray[np.int8]) -> Iterator[tuple[int, Array]]:
    """Patches of the 25 nearest places of a colour, wherever the cell has them, made like those of a square.

    Their mean and the energy of their low and high frequencies are those of the square patch that comes out, and white
    noise stays white: coefficients on an orthonormal basis of the scattered places are read as those of cosines.
    """
    size, edge = len(pattern), 2 * WITHIN + 1
    if min(mosaic.shape) < edge + size:
        return
    windows = sliding_window_view(mosaic, (edge, edge))
    for colour in range(3):
        for y, x in np.argwhere(pattern == colour)[::EVERY].tolist():
            (i, j), change = _square_of(pattern.tobytes(), size, y, x)
            around = windows[(y - WITHIN) % size :: size, (x - WITHIN) % size :: size]
            patches = around[..., WITHIN + i, WITHIN + j].reshape(-1, PATCH * PATCH)
            yield colour, patches[patches.max(axis=1) < SATURATED] @ change


@cache
def _square_of(cell: bytes, size: int, y: int, x: int) -> tuple[NDArray[np.intp], Array]:
    """Rows and columns of the 25 places of its colour nearest to one in a cell (2 x 25), and the matrix to cosines.

    Polynomials take the place of cosines: up to the degree that is the sum of a cosine's orders.
    """
    pattern = np.frombuffer(cell, np.int8).reshape(size, size)
    i, j = np.mgrid[-WITHIN : WITHIN + 1, -WITHIN : WITHIN + 1].reshape(2, -1)
    alike = pattern[(i + y) % size, (j + x) % size] == pattern[y, x]
    nearest = np.argsort(np.hypot(i, j)[alike], kind="stable")[: PATCH * PATCH]
    places = np.stack([i[alike], j[alike]])[:, nearest]
    rows, columns = places / WITHIN
    powers = [(n - m, m) for n in range(PATCH) for m in range(n + 1)]
    basis, _ = np.linalg.qr(np.stack([rows**a * columns**b for a, b in powers], axis=1), mode="complete")
    basis[:, 0] = 1 / PATCH  # the mean, whose sign is free
    cosines = cosine_split()[0][np.argsort(_orders(), kind="stable")]
    return places, (basis @ cosines).astype(np.float32)
