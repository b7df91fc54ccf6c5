"""Hot, dead and blinking pixels of a mosaic: found one by one, and filled from their neighbours of the same colour."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

# By trial on photographs of the training set and simulated dots.
SURE = 8.0  # sigmas of the noise beyond all eight neighbours of the same colour
ALONE = 0.5  # of what it differs by from their median, beyond all of them
SPREAD = 0.1  # of that, at most, on those beside it: a lens never puts light on one pixel alone
ALLOWED = 2.5  # sigmas that they may differ by, too
REACH = 6  # px around a pixel that are looked at
RING = np.array([[1, 1, 1], [1, 0, 1], [1, 1, 1]], np.uint8)
BESIDE = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.uint8)


def found(mosaic: Array, sigma: Array, sure: float = SURE) -> NDArray[np.bool_]:
    """Where a mosaic has pixels that cannot be light.

    One stands out from all eight of the same colour around it by far more than noise, while the four beside it, of
    other colours, do not stand out from theirs: a point of light would have reached them.

    Parameters
    ----------
    mosaic : float32, H x W
        Begins on a whole cell of 2 x 2; both sides even.
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
    for y in (0, 1):
        for x in (0, 1):
            plane = np.ascontiguousarray(mosaic[y::2, x::2])
            above[y::2, x::2] = plane - cv2.dilate(plane, RING, borderType=cv2.BORDER_REFLECT_101)
            below[y::2, x::2] = cv2.erode(plane, RING, borderType=cv2.BORDER_REFLECT_101) - plane
            out[y::2, x::2] = plane - cv2.medianBlur(plane, 3)
    # None of the four beside it stands out more than a share of what it does, and noise.
    calm = cv2.dilate(np.abs(out), BESIDE) < SPREAD * np.abs(out) + ALLOWED * sigma
    hot = (above > sure * sigma) & (above > ALONE * out)
    dead = (below > sure * sigma) & (below > -ALONE * out)
    return calm & (hot | dead)


def filled(mosaic: Array, where: NDArray[np.bool_]) -> Array:
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
    # Mirrored about the first and last of the same colour, so that colours stay.
    steps = [(y, x) for y in (-2, 0, 2) for x in (-2, 0, 2) if (y, x) != (0, 0)]
    around = np.empty((len(steps), len(rows)), np.float32)
    for n, (y, x) in enumerate(steps):
        i, j = (_mirrored(v + s, size) for v, s, size in zip((rows, columns), (y, x), mosaic.shape, strict=True))
        around[n] = np.where(where[i, j], np.nan, mosaic[i, j])
    alone = np.isnan(around).all(axis=0)
    around[0, alone] = mosaic[rows, columns][alone]
    out = mosaic.copy()
    out[rows, columns] = np.nanmedian(around, axis=0)
    return out


def _mirrored(places: NDArray[np.intp], size: int) -> NDArray[np.intp]:
    places = np.abs(places)
    return np.clip(np.where(places >= size, 2 * (size - 1) - places, places), 0, size - 1)
