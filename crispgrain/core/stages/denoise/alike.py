"""Blocks that look alike, found all round a place and cleaned together."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray
from scipy.fft import dct

from ...cancel import check
from ...colour.spaces import Array
from .shrinkage import BASIS, BLOCK

STEP = 6  # px between the blocks for which others are sought; 4 takes twice as long, for 0.02 to 0.05 dB
FAR = 12  # px each way in which they are sought; 19 takes half as long again, for 0.03 dB
SKIP = 2  # of so many rows one is compared (divides STEP and BLOCK): alike blocks are alike in every row
GROUP = 16  # blocks cleaned together
BAND = 16  # rows of sought-for blocks handled together, which bounds memory
# A block's middle counts more than its rim: 0.02 dB.
WINDOW = np.outer(np.kaiser(BLOCK, 2), np.kaiser(BLOCK, 2)).ravel()
REACH = 2 * (FAR + BLOCK)  # px: a block takes part in groups of others, and those have members further on
SHIFTS = np.moveaxis(np.mgrid[-FAR : FAR + 1, -FAR : FAR + 1], 0, -1).reshape(-1, 2)


def clean_together(noisy: Array, pilot: Array, sigma: Array) -> Array:
    """Remove white noise from a picture with the help of a first result.

    For each 8 x 8 block the most alike are sought in the luma of the pilot.
    Piled up they are alike in a third direction also, so that in the cosine
    domain all they have in common gathers in few coefficients; an empirical
    Wiener filter, told by the pilot how strong each is, keeps those. Overlapping
    results are averaged, those with less noise left counting more.

    Parameters
    ----------
    noisy, pilot : float32, H x W x 3
        The picture on orthonormal luma and colour axes, and a first result. The
        luma of white is the root of 3.
    sigma : float32, H x W x 3
        Standard deviation of the noise.

    Returns
    -------
    float32, H x W x 3

    Raises
    ------
    Cancelled
        If nobody wants the answer any more.

    References
    ----------
    The second half of K. Dabov et al., "Image denoising by sparse 3-D
    transform-domain collaborative filtering", IEEE Trans. Image Processing
    16(8), 2007. With a network's result as its pilot: C. Cruz, A. Foi,
    V. Katkovnik, K. Egiazarian, "Nonlocality-reinforced convolutional neural
    networks for image denoising", IEEE Signal Processing Letters 25(8), 2018.
    """
    height, width = noisy.shape[:2]
    noisy, pilot, sigma = (_pad(v) for v in (noisy, pilot, sigma))
    # Whole numbers, so that sums of differences are exact and the same in every tile.
    luma = np.rint(np.clip(pilot[..., 0] * np.float32(255 / 3**0.5), 0, 255)).astype(np.uint8)
    total, weight = np.zeros(noisy.shape, np.float64), np.zeros(noisy.shape[:2], np.float64)
    columns = np.arange(FAR, FAR + width, STEP)
    for first in range(FAR, FAR + height, BAND * STEP):
        check()
        rows = np.arange(first, min(first + BAND * STEP, FAR + height), STEP)
        places = most_alike(luma, rows, columns)
        part = slice(first - FAR, int(rows[-1]) + FAR + BLOCK)
        places[..., 0] -= part.start
        _add_groups(noisy[part], pilot[part], sigma[part], places, total[part], weight[part])
    inside = np.s_[FAR : FAR + height, FAR : FAR + width]
    return (total[inside] / weight[inside][..., None]).astype(np.float32)


def _pad(planes: Array) -> Array:
    return cv2.copyMakeBorder(planes, FAR, FAR + BLOCK + STEP, FAR, FAR + BLOCK + STEP, cv2.BORDER_REFLECT)


def most_alike(luma: NDArray[np.uint8], rows: NDArray[np.intp], columns: NDArray[np.intp]) -> NDArray[np.intp]:
    """Where the blocks lie that are most alike to those at ``rows`` x ``columns``.

    Parameters
    ----------
    luma : uint8, H x W
        Encoded, 255 white.
    rows, columns
        Of the blocks' top left corners, in steps of ``STEP``; there must be ``FAR`` pixels on all sides of them.

    Returns
    -------
    ``GROUP`` x blocks x 2
        Row and column of top left corners, by the sum of squared differences in every ``SKIP``-th row, each block
        itself first.
    """
    sparse = [np.ascontiguousarray(luma[first::SKIP]) for first in range(SKIP)]
    height, width = (int(corners[-1] - corners[0]) + BLOCK for corners in (rows, columns))

    def blocks_from(row: int, column: int) -> NDArray[np.uint8]:
        return sparse[row % SKIP][row // SKIP :, column:][: height // SKIP, :width]

    here = blocks_from(rows[0], columns[0])
    unlike = np.empty((len(SHIFTS), len(rows), len(columns)), np.float32)
    for distance, (down, right) in zip(unlike, SHIFTS.tolist(), strict=True):
        squares = cv2.sqrBoxFilter(
            cv2.absdiff(here, blocks_from(rows[0] + down, columns[0] + right)), cv2.CV_32F, (BLOCK, BLOCK // SKIP),
            anchor=(0, 0), normalize=False, borderType=cv2.BORDER_CONSTANT,
        )  # fmt: skip
        distance[:] = squares[:: STEP // SKIP, ::STEP][: len(rows), : len(columns)]
    unlike[len(SHIFTS) // 2] = -1  # the block itself
    candidates = unlike.reshape(len(SHIFTS), -1)
    nearest = np.argpartition(candidates, GROUP, axis=0)[:GROUP]
    order = np.argsort(np.take_along_axis(candidates, nearest, 0), axis=0, kind="stable")
    corners = np.stack(np.meshgrid(rows, columns, indexing="ij"), axis=-1).reshape(-1, 2)
    return corners + SHIFTS[np.take_along_axis(nearest, order, 0)]


@cache
def _along_group() -> Array:
    """Orthonormal DCT-II over the blocks of a group."""
    return dct(np.eye(GROUP), axis=0, norm="ortho").astype(np.float32)


def _add_groups(
    noisy: Array, pilot: Array, sigma: Array, places: NDArray[np.intp], total: NDArray, weight: NDArray
) -> None:
    """Clean groups of blocks at ``places`` (``GROUP`` x n x 2) and add them to ``total``, ``weight`` times."""
    y, x = places[..., 0], places[..., 1]
    middle = BLOCK // 2
    offsets = np.add.outer(np.arange(BLOCK) * noisy.shape[1], np.arange(BLOCK)).ravel()
    pixels = ((y * noisy.shape[1] + x)[..., None] + offsets).ravel()
    cleaned, left = [], np.zeros(y.shape[1], np.float32)
    for axis in range(3):
        spectrum, power = (_spectrum(np.ascontiguousarray(v[..., axis]), y, x) for v in (noisy, pilot))
        np.square(power, out=power)
        variance = np.square(sigma[y[0] + middle, x[0] + middle, axis])[:, None]
        power /= power + variance + np.float32(1e-12)  # now the gain
        spectrum *= power
        cleaned.append(_blocks(spectrum))
        left += np.einsum("gnf,gnf->n", power, power) * variance[:, 0]
    of_block = np.outer(1 / np.maximum(left, np.float32(1e-12)), WINDOW)
    trust = np.broadcast_to(of_block, (GROUP, *of_block.shape)).ravel()
    weight += np.bincount(pixels, trust, weight.size).reshape(weight.shape)
    for axis in range(3):
        total[..., axis] += np.bincount(pixels, cleaned[axis].ravel() * trust, weight.size).reshape(weight.shape)


def _spectrum(plane: Array, y: NDArray[np.intp], x: NDArray[np.intp]) -> Array:
    """3-D cosine coefficients of the blocks at places (``GROUP`` x n), ``GROUP`` x n x 64."""
    blocks = sliding_window_view(plane, (BLOCK, BLOCK))[y, x].reshape(-1, BLOCK * BLOCK) @ BASIS.T
    return (_along_group() @ blocks.reshape(GROUP, -1)).reshape(GROUP, -1, BLOCK * BLOCK)


def _blocks(spectrum: Array) -> Array:
    blocks = _along_group().T @ spectrum.reshape(GROUP, -1)
    return blocks.reshape(-1, BLOCK * BLOCK) @ BASIS
