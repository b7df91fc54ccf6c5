"""Blocks that look alike, found all round a place and cleaned together."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.cancel import check

BLOCK = 6  # px; those for which others are sought lie side by side
SEARCH = 12  # px each way in which they are sought; 16 takes half as long again to find, for 0.02 dB
SKIP = 2  # of so many rows one is compared (divides BLOCK): alike blocks are alike in every row
GROUP = 32  # blocks cleaned together
BAND = 16  # rows of blocks for which others are sought together, which bounds memory
CHUNK = 48  # groups cleaned at a time: few enough for the cache
MOST_SEARCH = 20  # px that may be asked for instead
MARGIN = MOST_SEARCH + BLOCK  # px of mirrored surroundings; places are counted from its corner
LEAST_SIGMA = np.float32(0.5 / 255)  # less noise than half a step of 8 bits is as good as none
SMALL = 8  # rows of a matrix that is inverted as it is


def reach(search: int = SEARCH) -> int:
    """Pixels needed all round: a block takes part in groups of others, and those have members further on.

    Examples
    --------
    >>> reach(12)
    36
    """
    return 2 * (search + BLOCK)


def match_blocks(pilot: Array, offset: int = 0, stride: int = 1, search: int = SEARCH) -> NDArray[np.intp]:
    """For each block of a grid, where the blocks lie that are most alike to it.

    Parameters
    ----------
    pilot : float32, H x W
        Lightness of the picture without most of its noise, encoded, 0 black to 1 white.
    offset : int
        Rows and columns, less than ``BLOCK``, by which the grid begins before the picture.
    stride : int
        Others are sought in steps of so many rows and columns: 2 keeps to the same colours of a mosaic.
    far : int
        Pixels each way in which they are sought, a multiple of ``stride`` up to ``MOST_SEARCH``.

    Returns
    -------
    rows x columns x ``GROUP`` x 2
        Row and column of top left corners, ``MARGIN`` more than in the picture.

    Examples
    --------
    >>> match_blocks(np.zeros((12, 18), np.float32)).shape
    (2, 3, 32, 2)
    """
    # Whole numbers, so that sums of differences are exact and the same in every tile.
    luma = _pad(np.rint(np.clip(pilot * np.float32(255), 0, 255)).astype(np.uint8))
    height, width = pilot.shape
    rows, columns = (np.arange(MARGIN - offset, MARGIN + size, BLOCK) for size in (height, width))
    found = []
    for first in range(0, len(rows), BAND):
        check()
        found.append(nearest_blocks(luma, rows[first : first + BAND], columns, stride, search))
    return np.concatenate(found)


def nearest_blocks(
    luma: NDArray[np.uint8], rows: NDArray[np.intp], columns: NDArray[np.intp], stride: int = 1, search: int = SEARCH
) -> NDArray[np.intp]:
    """Where the blocks lie that are most alike to those at ``rows`` x ``columns``.

    Parameters
    ----------
    luma : uint8, H x W
        Encoded, 255 white.
    rows, columns
        Of the blocks' top left corners, in steps of ``BLOCK``; there must be ``far`` pixels on all sides of them.

    Returns
    -------
    rows x columns x ``GROUP`` x 2
        Row and column of the top left corners of those with the least squared differences in every ``SKIP``-th row,
        in no order, the block itself among them.

    Examples
    --------
    >>> luma = np.zeros((60, 60), np.uint8)
    >>> nearest_blocks(luma, np.array([24]), np.array([24, 30])).shape
    (1, 2, 32, 2)
    """
    sparse = [np.ascontiguousarray(luma[first::SKIP]) for first in range(SKIP)]
    height, width = (int(corners[-1] - corners[0]) + BLOCK for corners in (rows, columns))

    def blocks_from(row: int, column: int) -> NDArray[np.uint8]:
        return sparse[row % SKIP][row // SKIP :, column:][: height // SKIP, :width]

    here = blocks_from(rows[0], columns[0])
    steps = np.mgrid[-search : search + 1 : stride, -search : search + 1 : stride]
    shifts = np.moveaxis(steps, 0, -1).reshape(-1, 2)
    distances = np.empty((len(shifts), len(rows), len(columns)), np.float32)
    for distance, (down, right) in zip(distances, shifts.tolist(), strict=True):
        apart = cv2.absdiff(here, blocks_from(rows[0] + down, columns[0] + right))
        squares = cv2.multiply(apart, apart, dtype=cv2.CV_32F)
        cv2.resize(squares, (len(columns), len(rows)), distance, interpolation=cv2.INTER_AREA)  # means of the blocks
    distances[len(shifts) // 2] = -1  # the block itself
    candidates = np.ascontiguousarray(np.moveaxis(distances, 0, -1))
    nearest = np.argpartition(candidates, GROUP, axis=-1)[..., :GROUP]
    corners = np.stack(np.meshgrid(rows, columns, indexing="ij"), axis=-1)
    return corners[:, :, None] + shifts[nearest]


def chessboard(places: NDArray[np.intp]) -> NDArray[np.intp]:
    """Half of the groups (of rows x columns x ``GROUP`` x 2), like the white squares of a chessboard.

    Examples
    --------
    >>> chessboard(np.zeros((2, 4, 32, 2), int)).shape
    (4, 32, 2)
    """
    rows, columns = places.shape[:2]
    return places[np.add.outer(np.arange(rows), np.arange(columns)) % 2 == 0]


def collaborative_filter(
    noisy: Array,
    pilot: Array,
    sigma: Array,
    places: NDArray[np.intp],
    mean_weight: float = 0,
    whole: Array | None = None,
) -> Array:
    """Remove white noise from a picture with the help of a first result.

    What differs among the blocks of a group in the noisy picture is put together
    again from what differs among them in the pilot: a ridge regression on the
    pilot's blocks, whose penalty is the noise. That is the Wiener filter for
    blocks drawn from a Gaussian with the mean and the covariance found in the
    pilot, all channels at once. Overlapping results are averaged.

    Parameters
    ----------
    noisy, pilot, sigma : float32, H x W x n
        The picture, for instance on orthonormal luma and colour axes, a first
        result, and the standard deviation of the noise.
    places : n x ``GROUP`` x 2
        Of the blocks in each group, by :func:`match_blocks`. Pixels in none of them stay as in the pilot.
    mean_weight : float
        How much the mean of a group is that of its noisy blocks, 0 to 1; the rest is the pilot's.
    whole : float32, H x W x m
        The first result with what has not been seen in the noisy picture as well, such as the other colours of a
        mosaic's pixels: these are put together in the same way, from ``whole`` instead of ``pilot``.
        Without ``mean_weight``.

    Returns
    -------
    float32, as ``whole``, or as ``pilot`` without it

    Raises
    ------
    Cancelled
        If nobody wants the answer any more.

    References
    ----------
    The second half of M. Lebrun, A. Buades, J.-M. Morel, "A nonlocal Bayesian
    image denoising algorithm", SIAM J. Imaging Sciences 6(3), 2013; as a group has
    fewer blocks than a block has values, it is solved by the blocks' products.
    With a network's result as its pilot: C. Cruz, A. Foi, V. Katkovnik,
    K. Egiazarian, "Nonlocality-reinforced convolutional neural networks for image
    denoising", IEEE Signal Processing Letters 25(8), 2018.

    Examples
    --------
    >>> noise = np.random.default_rng(0).normal(0, 0.1, (24, 24, 1)).astype(np.float32)
    >>> flat = np.zeros_like(noise)
    >>> groups = chessboard(match_blocks(flat[..., 0]))
    >>> bool(collaborative_filter(noise, flat, flat + np.float32(0.1), groups).std() < 0.01)
    True
    """
    height, width = noisy.shape[:2]
    sigma = np.maximum(sigma, LEAST_SIGMA)
    seen, scaled_pilot = _pad(noisy / sigma), _pad(pilot / sigma)  # noise of 1
    result = scaled_pilot if whole is None else _pad(whole)
    total, count = np.zeros((result.shape[2], *result.shape[:2])), np.zeros(result.shape[:2], np.int64)
    for first in range(0, len(places), CHUNK):
        check()
        some = places[first : first + CHUNK]
        top, bottom = int(some[..., 0].min()), int(some[..., 0].max()) + BLOCK
        part = slice(top, bottom)
        more = None if whole is None else result[part]
        _add_groups(seen[part], scaled_pilot[part], more, some - (top, 0), mean_weight, total[:, part], count[part])
    result = np.where(count[..., None] > 0, np.moveaxis(total / np.maximum(count, 1), 0, -1), result)
    result = result[MARGIN : MARGIN + height, MARGIN : MARGIN + width].astype(np.float32)
    return result * sigma if whole is None else result


def _pad(planes: NDArray) -> NDArray:
    """Mirrored about a row, which keeps every row's colour in a mosaic."""
    padded = cv2.copyMakeBorder(planes, MARGIN, MARGIN + BLOCK, MARGIN, MARGIN + BLOCK, cv2.BORDER_REFLECT_101)
    return padded if padded.ndim == planes.ndim else padded[..., None]


def _add_groups(
    seen: Array,
    scaled_pilot: Array,
    whole: Array | None,
    places: NDArray[np.intp],
    mean_weight: float,
    total: NDArray,
    count: NDArray,
) -> None:
    """Clean groups of blocks at ``places``, and add them to ``total``, their number to ``count``."""
    width, groups = seen.shape[1], len(places)
    inside = np.add.outer(np.arange(BLOCK) * width, np.arange(BLOCK)).ravel()
    pixels = (places[..., 0] * width + places[..., 1])[..., None] + inside

    def blocks_of(planes: Array) -> Array:
        return np.take(planes.reshape(-1, planes.shape[2]), pixels, axis=0).reshape(groups, GROUP, -1)

    noisy, pilot = blocks_of(seen), blocks_of(scaled_pilot)
    mean = pilot.mean(axis=1, keepdims=True)
    pilot -= mean
    if mean_weight:
        mean += np.float32(mean_weight) * (noisy.mean(axis=1, keepdims=True) - mean)
    noisy -= mean
    rendered, level = pilot, mean
    if whole is not None:
        rendered = blocks_of(whole)
        level = rendered.mean(axis=1, keepdims=True)
        rendered -= level
    # Contrast is far stronger than noise, so the inverse needs double precision.
    inverse = _inverse(pilot @ pilot.mT + (GROUP - 1) * np.eye(GROUP))
    cleaned = ((noisy @ pilot.mT) @ inverse).astype(np.float32) @ rendered + level
    where, size = pixels.ravel(), count.size
    count += np.bincount(where, minlength=size).reshape(count.shape)
    for channel, values in zip(total, cleaned.reshape(-1, len(total)).T, strict=True):
        channel += np.bincount(where, values, size).reshape(count.shape)


def _inverse(matrices: NDArray[np.floating]) -> NDArray[np.floating]:
    """Of symmetric positive definite matrices (n x rows x rows), by halves: for many small ones twice as fast."""
    half = matrices.shape[-1] // 2
    if half < SMALL:
        return np.linalg.inv(matrices)
    corner, beside, rest = matrices[:, :half, :half], matrices[:, :half, half:], matrices[:, half:, half:]
    corner = _inverse(corner)
    across = corner @ beside
    rest = _inverse(rest - beside.mT @ across)
    both = across @ rest
    return np.block([[corner + both @ across.mT, -both], [-both.mT, rest]])
