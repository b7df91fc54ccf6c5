"""From a mosaic to three colours a pixel: by what is known of Bayer's cells, or else by normalised convolution."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from . import normalised_convolution
from .cells import repeated

# How far a mosaic value reaches in `directional`: 2 (green) + 2 (gradients) + 2 (their sum)
# + 2 (colour differences), and one more for red at blue.
BAYER_REACH = 10


def reach(pattern: NDArray[np.int8]) -> int:
    """How far a mosaic value reaches, px.

    Examples
    --------
    >>> reach(np.array([[0, 1], [1, 2]], np.int8))
    10
    """
    return BAYER_REACH if is_bayer(pattern) else normalised_convolution.REACH


def colour_masks(pattern: NDArray[np.int8], height: int, width: int) -> tuple[NDArray[np.bool_], ...]:
    """Where red, green and blue were measured, for a mosaic that starts on a whole cell.

    Examples
    --------
    >>> red, green, blue = colour_masks(np.array([[0, 1], [1, 2]], np.int8), 4, 4)
    >>> int(red.sum()), int(green.sum()), int(blue.sum())
    (4, 8, 4)
    """
    full = repeated(pattern, height, width)
    return full == 0, full == 1, full == 2


def is_bayer(pattern: NDArray[np.int8]) -> bool:
    """Whether a sensor's colours repeat every 2 x 2 pixels.

    Examples
    --------
    >>> is_bayer(np.array([[0, 1], [1, 2]], np.int8))
    True
    """
    return pattern.shape == (2, 2)


def _along(image: Array, kernel: tuple[float, ...], axis: int) -> Array:
    taps = np.array(kernel, np.float32)
    one = np.ones(1, np.float32)
    x, y = (taps, one) if axis == 1 else (one, taps)
    return cv2.sepFilter2D(image, cv2.CV_32F, x, y, borderType=cv2.BORDER_REFLECT_101)


def directional(mosaic: Array, pattern: NDArray[np.int8]) -> Array:
    """Demosaic along the direction in which colour differences change least.

    Parameters
    ----------
    mosaic : float32, H x W
        Sensor values, white-balanced or not; starts on a whole cell.
    pattern : int, 2 x 2
        0 red, 1 green, 2 blue. Other sizes are interpolated by :func:`.normalised_convolution.adaptive`.

    Returns
    -------
    float32, H x W x 3

    References
    ----------
    D. Menon, S. Andriani, G. Calvagno, "Demosaicing with directional filtering
    and a posteriori decision", IEEE Trans. Image Processing 16(1), 2007.

    Examples
    --------
    >>> grey = np.full((16, 16), 0.5, np.float32)
    >>> rgb = directional(grey, np.array([[0, 1], [1, 2]], np.int8))
    >>> rgb.shape, bool(np.allclose(rgb, 0.5))
    ((16, 16, 3), True)
    """
    if not is_bayer(pattern):
        return normalised_convolution.adaptive(mosaic, pattern)
    red, green, blue = colour_masks(pattern, *mosaic.shape)
    greens, chromas, activity = [], [], []
    for axis in (1, 0):
        estimate = _along(mosaic, (-0.25, 0.5, 0.5, 0.5, -0.25), axis)
        along = np.where(green, mosaic, estimate)
        chroma = mosaic - along
        greens.append(along)
        chromas.append(chroma)
        activity.append(_activity(np.abs(chroma - _ahead_two(chroma, axis)), axis))
    horizontal = activity[1] >= activity[0]
    g = np.where(horizontal, greens[0], greens[1])

    red_rows = red.any(axis=1, keepdims=True)
    planes = []
    difference = mosaic - g
    for own, own_rows in ((red, red_rows), (blue, ~red_rows)):
        own_difference = np.where(own, difference, np.float32(0))
        beside = _along(own_difference, (0.5, 0, 0.5), 1)
        above = _along(own_difference, (0.5, 0, 0.5), 0)
        at_green = np.where(own_rows, beside, above)
        filled = np.where(own, own_difference, np.where(green, at_green, np.float32(0)))
        # At the other colour's places, interpolate from the greens along the chosen direction.
        at_other = np.where(horizontal, _along(filled, (0.5, 0, 0.5), 1), _along(filled, (0.5, 0, 0.5), 0))
        planes.append(g + np.where(own | green, filled, at_other))
    return np.stack([planes[0], g, planes[1]], axis=-1)


def _ahead_two(image: Array, axis: int) -> Array:
    pad = [(0, 0), (0, 0)]
    pad[axis] = (0, 2)
    padded = np.pad(image, pad, mode="edge" if image.shape[axis] < 3 else "reflect")
    return padded[2:] if axis == 0 else padded[:, 2:]


# Steps lead from a pixel to the one two ahead, so those about a pixel start on it and two behind it.
ACTIVITY_WINDOW = np.array(
    [[1, 0, 1, 0, 0], [0, 1, 0, 0, 0], [3, 0, 3, 0, 0], [0, 1, 0, 0, 0], [1, 0, 1, 0, 0]], np.float32
)


def _activity(steps: Array, axis: int) -> Array:
    window = ACTIVITY_WINDOW if axis == 1 else ACTIVITY_WINDOW.T
    return cv2.filter2D(steps, cv2.CV_32F, np.ascontiguousarray(window), borderType=cv2.BORDER_REFLECT_101)


MALVAR_GREEN = np.array([[0, 0, -1, 0, 0], [0, 0, 2, 0, 0], [-1, 2, 4, 2, -1], [0, 0, 2, 0, 0], [0, 0, -1, 0, 0]]) / 8
MALVAR_ROW = (
    np.array([[0, 0, 0.5, 0, 0], [0, -1, 0, -1, 0], [-1, 4, 5, 4, -1], [0, -1, 0, -1, 0], [0, 0, 0.5, 0, 0]]) / 8
)
MALVAR_CROSS = (
    np.array([[0, 0, -1.5, 0, 0], [0, 2, 0, 2, 0], [-1.5, 0, 6, 0, -1.5], [0, 2, 0, 2, 0], [0, 0, -1.5, 0, 0]]) / 8
)


def linear(mosaic: Array, pattern: NDArray[np.int8]) -> Array:
    """Demosaic by fixed 5 x 5 linear filters: fast, a little soft, some moire.

    Shapes as in :func:`directional`; of other patterns, :func:`.normalised_convolution.plain`.

    References
    ----------
    H. S. Malvar, L. He, R. Cutler, "High-quality linear interpolation for
    demosaicing of Bayer-patterned color images", ICASSP 2004.

    Examples
    --------
    >>> bool(np.allclose(linear(np.full((16, 16), 0.5, np.float32), np.array([[0, 1], [1, 2]], np.int8)), 0.5))
    True
    """
    if not is_bayer(pattern):
        return normalised_convolution.plain(mosaic, pattern)
    red, green, blue = colour_masks(pattern, *mosaic.shape)

    def filtered(kernel: NDArray[np.float64]) -> Array:
        return cv2.filter2D(mosaic, cv2.CV_32F, kernel.astype(np.float32), borderType=cv2.BORDER_REFLECT_101)

    g = np.where(green, mosaic, filtered(MALVAR_GREEN))
    row, column, cross = filtered(MALVAR_ROW), filtered(MALVAR_ROW.T), filtered(MALVAR_CROSS)
    red_rows = red.any(axis=1, keepdims=True)
    r = np.where(red, mosaic, np.where(blue, cross, np.where(red_rows, row, column)))
    b = np.where(blue, mosaic, np.where(red, cross, np.where(red_rows, column, row)))
    return np.stack([r, g, b], axis=-1)
