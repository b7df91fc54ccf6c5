"""Separable resampling as sparse matrices: rows of weights, one for each output sample.

A row depends only on where its sample lies in the whole picture, so a tile gets
the very numbers the whole picture would.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy import sparse

from crispgrain.arrays import Array
from crispgrain.geometry import Rect, Size

LANCZOS_LOBES = 3


@lru_cache(maxsize=64)
def lanczos_weights(
    source: int, target: int, out_start: int, out_stop: int, in_start: int, in_stop: int
) -> sparse.csr_array:
    """Lanczos-3 weights from input samples ``in_start..in_stop`` to outputs ``out_start..out_stop``.

    ``source`` and ``target`` are the lengths of the whole side. Sample centres lie
    at half-integers; beyond the picture's edge its samples are mirrored. When
    shrinking, the kernel widens so that nothing aliases.

    References
    ----------
    C. E. Duchon, "Lanczos filtering in one and two dimensions", J. Appl.
    Meteorology 18, 1979.
    """
    scale = max(source / target, 1.0)
    centre = (np.arange(out_start, out_stop) + 0.5) * source / target - 0.5
    reach = LANCZOS_LOBES * scale
    taps = np.floor(centre - reach)[:, None] + np.arange(1, int(2 * np.ceil(reach)) + 2)
    x = (taps - centre[:, None]) / scale
    weights = np.where(np.abs(x) < LANCZOS_LOBES, np.sinc(x) * np.sinc(x / LANCZOS_LOBES), 0)
    weights /= weights.sum(axis=1, keepdims=True)
    return _matrix(weights, _mirror(taps.astype(np.int64), source), in_start, in_stop)


@lru_cache(maxsize=64)
def area_weights(
    source: int, target: int, out_start: int, out_stop: int, in_start: int, in_stop: int
) -> sparse.csr_array:
    """Weights that average the input samples each (larger) output sample covers.

    This is what a coarser sensor would have seen; arguments as in
    :func:`lanczos_weights`.
    """
    step = source / target
    left = np.arange(out_start, out_stop)[:, None] * step
    taps = np.floor(left) + np.arange(int(np.ceil(step)) + 1)
    weights = np.clip(np.minimum(taps + 1, left + step) - np.maximum(taps, left), 0, None)
    weights /= weights.sum(axis=1, keepdims=True)
    return _matrix(weights, np.clip(taps, 0, source - 1).astype(np.int64), in_start, in_stop)


def _mirror(index: NDArray[np.int64], length: int) -> NDArray[np.int64]:
    index = np.mod(index, 2 * length)
    return np.where(index >= length, 2 * length - 1 - index, index)


def _matrix(weights: NDArray, index: NDArray[np.int64], in_start: int, in_stop: int) -> sparse.csr_array:
    rows = np.repeat(np.arange(len(weights)), weights.shape[1])
    keep = (weights.ravel() != 0) & (index.ravel() >= in_start) & (index.ravel() < in_stop)
    shape = (len(weights), in_stop - in_start)
    matrix = sparse.csr_array(
        (weights.ravel()[keep].astype(np.float32), (rows[keep], index.ravel()[keep] - in_start)), shape=shape
    )
    matrix.sum_duplicates()
    return matrix


def apply(rows: sparse.csr_array, columns: sparse.csr_array, pixels: Array) -> Array:
    """Resample H x W x C with a matrix for each axis."""
    height, width, channels = pixels.shape
    tall = (rows @ pixels.reshape(height, width * channels)).reshape(-1, width, channels)
    across = np.ascontiguousarray(tall.transpose(1, 0, 2)).reshape(width, -1)
    wide = (columns @ across).reshape(columns.shape[0], -1, channels)
    return np.ascontiguousarray(wide.transpose(1, 0, 2))


def back_project(
    small: Array, full: Size, rect: Rect, big: Size, part: Rect, times: int, start: Array | None = None
) -> Array:
    """Enlarge so that area averaging of the result gives ``small`` back.

    What averaging says is still missing is enlarged by Lanczos and added,
    ``times`` over.

    Parameters
    ----------
    small : H x W x C
        What lies in ``rect`` of a picture of size ``full``.
    big, part
        Size of the enlarged picture, and the part of it to make.
    start : h x w x C, optional
        A first guess of that part, written over; black if not given.

    References
    ----------
    M. Irani, S. Peleg, "Improving resolution by image registration", CVGIP:
    Graphical Models and Image Processing 53(3), 1991.
    """
    up = (
        lanczos_weights(full.height, big.height, part.top, part.bottom, rect.top, rect.bottom),
        lanczos_weights(full.width, big.width, part.left, part.right, rect.left, rect.right),
    )
    down = (
        area_weights(big.height, full.height, rect.top, rect.bottom, part.top, part.bottom),
        area_weights(big.width, full.width, rect.left, rect.right, part.left, part.right),
    )
    result = np.zeros((part.height, part.width, small.shape[2]), np.float32) if start is None else start
    for _ in range(times):
        result += apply(*up, small - apply(*down, result))
    return result


def warp(pixels: Array, rows: NDArray[np.float64], columns: NDArray[np.float64]) -> Array:
    """Lanczos-3 interpolation of H x W x C at any places: h x w x C.

    ``rows`` and ``columns`` (h x w) are coordinates from the corner of ``pixels``, whose first middle is at 0.5;
    beyond the edge pixels are mirrored. Nothing is averaged, so it is for about the same size.
    """
    height, width, channels = pixels.shape
    flat = pixels.reshape(height * width, channels)
    axes = []
    for places, length in ((rows, height), (columns, width)):
        first = np.floor(places - 0.5).astype(np.int64)
        fraction = (places - 0.5 - first).astype(np.float32)
        taps = []
        for tap in range(1 - LANCZOS_LOBES, LANCZOS_LOBES + 1):
            x = fraction - np.float32(tap)
            taps.append((_mirror(first + tap, length), np.sinc(x) * np.sinc(x / np.float32(LANCZOS_LOBES))))
        axes.append(taps)
    total = np.zeros((*rows.shape, channels), np.float32)
    weights = np.zeros(rows.shape, np.float32)
    for row, by_row in axes[0]:
        for column, by_column in axes[1]:
            weight = by_row * by_column
            total += weight[..., None] * flat[row * width + column]
            weights += weight
    return total / weights[..., None]
