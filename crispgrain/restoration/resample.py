"""Resampling: by sparse matrices along each axis, or anywhere.

Weights depend only on where a sample lies in the whole picture, so a tile gets the very numbers the whole picture
would.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.geometry import Rect

LANCZOS_LOBES = 3
HAIR = 1e-9  # a weight that is none


@dataclass(frozen=True)
class Sampling:
    """Where output samples lie among input samples along one side.

    Output sample i covers ``offset + i * step`` to ``offset + (i + 1) * step`` of the input, which has ``length``
    samples; if it ``wraps``, its ends meet, and samples are counted on beyond them.
    """

    length: int
    step: float
    offset: float = 0.0
    wraps: bool = False

    @property
    def back(self) -> Sampling:
        """Where input samples lie among the output's."""
        whole = round(self.length / self.step)
        return Sampling(whole, 1 / self.step, -self.offset / self.step, self.wraps)

    @classmethod
    def between(cls, length: int, target: int) -> Sampling:
        """Of a whole side of ``length`` samples that becomes ``target``."""
        return cls(length, length / target)


@lru_cache(maxsize=64)
def lanczos_weights(
    sampling: Sampling, out_start: int, out_stop: int, in_start: int, in_stop: int
) -> scipy.sparse.csr_array:
    """Lanczos-3 weights from input samples ``in_start..in_stop`` to outputs ``out_start..out_stop``.

    Beyond the picture's edge its samples are mirrored. When shrinking, the kernel widens so that nothing aliases.

    References
    ----------
    C. E. Duchon, "Lanczos filtering in one and two dimensions", J. Appl.
    Meteorology 18, 1979.

    Examples
    --------
    >>> weights = lanczos_weights(Sampling.between(4, 8), 0, 8, 0, 4)
    >>> weights.shape, bool(np.allclose(weights.sum(axis=1), 1))
    ((8, 4), True)
    """
    scale = max(sampling.step, 1.0)
    centre = (np.arange(out_start, out_stop) + 0.5) * sampling.step + sampling.offset - 0.5
    reach = LANCZOS_LOBES * scale
    taps = np.floor(centre - reach)[:, None] + np.arange(1, int(2 * np.ceil(reach)) + 2)
    x = (taps - centre[:, None]) / scale
    weights = np.where(np.abs(x) < LANCZOS_LOBES, np.sinc(x) * np.sinc(x / LANCZOS_LOBES), 0)
    weights /= weights.sum(axis=1, keepdims=True)
    places = taps.astype(np.int64)
    return _matrix(weights, places if sampling.wraps else _mirror(places, sampling.length), in_start, in_stop)


@lru_cache(maxsize=64)
def area_weights(
    sampling: Sampling, out_start: int, out_stop: int, in_start: int, in_stop: int
) -> scipy.sparse.csr_array:
    """Weights that average the input samples each (larger) output sample covers.

    This is what a coarser sensor would have seen; arguments as in :func:`lanczos_weights`.

    Examples
    --------
    >>> area_weights(Sampling.between(4, 2), 0, 2, 0, 4).toarray().tolist()
    [[0.5, 0.5, 0.0, 0.0], [0.0, 0.0, 0.5, 0.5]]
    """
    step = sampling.step
    left = np.arange(out_start, out_stop)[:, None] * step + sampling.offset
    taps = np.floor(left) + np.arange(int(np.ceil(step)) + 1)
    weights = np.clip(np.minimum(taps + 1, left + step) - np.maximum(taps, left), 0, None)
    weights /= weights.sum(axis=1, keepdims=True)
    weights[weights < HAIR] = 0  # what rounding makes of samples that only touch
    return _matrix(weights, taps.astype(np.int64), in_start, in_stop)


def _mirror(index: NDArray[np.int64], length: int) -> NDArray[np.int64]:
    index = np.mod(index, 2 * length)
    return np.where(index >= length, 2 * length - 1 - index, index)


def _matrix(weights: NDArray, index: NDArray[np.int64], in_start: int, in_stop: int) -> scipy.sparse.csr_array:
    rows = np.repeat(np.arange(len(weights)), weights.shape[1])
    keep = (weights.ravel() != 0) & (index.ravel() >= in_start) & (index.ravel() < in_stop)
    shape = (len(weights), in_stop - in_start)
    matrix = scipy.sparse.csr_array(
        (weights.ravel()[keep].astype(np.float32), (rows[keep], index.ravel()[keep] - in_start)), shape=shape
    )
    matrix.sum_duplicates()
    return matrix


def apply(rows: scipy.sparse.csr_array, columns: scipy.sparse.csr_array, pixels: Array) -> Array:
    """Resample H x W x C with a matrix for each axis.

    Examples
    --------
    >>> half = area_weights(Sampling.between(2, 1), 0, 1, 0, 2)
    >>> float(apply(half, half, np.array([[[1], [2]], [[3], [6]]], np.float32))[0, 0, 0])
    3.0
    """
    height, width, channels = pixels.shape
    tall = (rows @ pixels.reshape(height, width * channels)).reshape(-1, width, channels)
    across = np.ascontiguousarray(tall.transpose(1, 0, 2)).reshape(width, -1)
    wide = (columns @ across).reshape(columns.shape[0], -1, channels)
    return np.ascontiguousarray(wide.transpose(1, 0, 2))


def back_project(
    small: Array, rect: Rect, samplings: tuple[Sampling, Sampling], part: Rect, times: int, start: Array | None = None
) -> Array:
    """Enlarge so that area averaging of the result gives ``small`` back.

    What averaging says is still missing is enlarged by Lanczos and added, ``times`` over.

    Parameters
    ----------
    small : H x W x C
        What lies in ``rect`` of a picture.
    samplings
        Where rows and columns of the enlarged picture lie among those of the picture.
    part
        The part of the enlarged picture to make.
    start : h x w x C, optional
        A first guess of that part, written over; black if not given.

    References
    ----------
    M. Irani, S. Peleg, "Improving resolution by image registration", CVGIP:
    Graphical Models and Image Processing 53(3), 1991.

    Examples
    --------
    >>> small = np.random.default_rng(0).random((6, 6, 1), np.float32)
    >>> twice = Sampling.between(6, 12), Sampling.between(6, 12)
    >>> large = back_project(small, Rect(0, 0, 6, 6), twice, Rect(0, 0, 12, 12), 30)
    >>> bool(np.abs(large.reshape(6, 2, 6, 2).mean(axis=(1, 3)) - small[..., 0]).max() < 1e-4)
    True
    """
    rows, columns = samplings
    up = (
        lanczos_weights(rows, part.top, part.bottom, rect.top, rect.bottom),
        lanczos_weights(columns, part.left, part.right, rect.left, rect.right),
    )
    down = (
        area_weights(rows.back, rect.top, rect.bottom, part.top, part.bottom),
        area_weights(columns.back, rect.left, rect.right, part.left, part.right),
    )
    result = np.zeros((part.height, part.width, small.shape[2]), np.float32) if start is None else start
    for _ in range(times):
        result += apply(*up, small - apply(*down, result))
    return result


def warp(pixels: Array, rows: NDArray[np.float64], columns: NDArray[np.float64], scale: float = 1.0) -> Array:
    """Lanczos-3 interpolation of H x W x C at any places: h x w x C.

    Parameters
    ----------
    rows, columns : float64, h x w
        Coordinates from the corner of ``pixels``, whose first middle is at 0.5; beyond the edge pixels are mirrored.
    scale : float
        Pixels from one place to the next. Above 1 the kernel widens, so that nothing aliases.

    Examples
    --------
    >>> ramp = np.arange(12, dtype=np.float32).reshape(1, 12, 1)
    >>> float(np.round(warp(ramp, np.full((1, 1), 0.5), np.full((1, 1), 6.0))[0, 0, 0], 3))
    5.5
    """
    height, width, channels = pixels.shape
    flat = pixels.reshape(height * width, channels)
    widened = np.float32(max(scale, 1.0))
    reach = math.ceil(LANCZOS_LOBES * widened)
    axes = []
    for places, length in ((rows, height), (columns, width)):
        first = np.floor(places - 0.5).astype(np.int64)
        fraction = (places - 0.5 - first).astype(np.float32)
        taps = []
        for tap in range(1 - reach, reach + 1):
            x = (fraction - np.float32(tap)) / widened
            weight = np.where(np.abs(x) < LANCZOS_LOBES, np.sinc(x) * np.sinc(x / np.float32(LANCZOS_LOBES)), 0)
            taps.append((_mirror(first + tap, length), weight.astype(np.float32)))
        axes.append(taps)
    total = np.zeros((*rows.shape, channels), np.float32)
    weights = np.zeros(rows.shape, np.float32)
    for row, by_row in axes[0]:
        for column, by_column in axes[1]:
            weight = by_row * by_column
            total += weight[..., None] * flat[row * width + column]
            weights += weight
    return total / weights[..., None]
