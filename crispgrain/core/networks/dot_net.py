"""Which pixels of a mosaic are faulty and not light, by a network that has seen dots and fine detail.

It was trained here (``training/dots.py``). A pixel that stands out from those of its colour may be hot, or the glint on
a wire: what lies around it tells, but no rule says how in all cases.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.cells import mirrored
from crispgrain.restoration.defect_pixels import BESIDE, standing_out

from . import runtime

Index = NDArray[np.intp]

NAME = "dot-net"
HALF = 5  # px that it sees on each side of a pixel
EDGE = 2 * HALF + 1
PLANES = 5
GREEN = 1
# It is asked of those so many sigmas from the median of the nearest of their colour, that far and this share of it
# beyond all of these, beside which no pixel stands out by more than a share of that, and noise. Of the dots it is sure
# of among all that stand out, 986 in a thousand are such.
FAR, BEYOND, ALONE, SHARE, ALLOWED = 5.5, 2.0, 0.4, 0.35, 3.0
LARGE = 3.0  # times a pixel's own distance, beyond which it makes no difference how far others are
AT_ONCE = 4096  # places, for memory
# How probable it has to be. Set on photographs kept apart from its training, and on stars: of those that a lens draws
# with a sigma of 0.4 px three in a thousand are taken for dots.
SURE = 0.98


def found(
    mosaic: Array, lines: Sequence[tuple[float, float]], pattern: NDArray[np.int8], sure: float = SURE
) -> NDArray[np.bool_]:
    """Where a mosaic (H x W, 0 black to 1 saturation) has faulty pixels.

    Parameters
    ----------
    lines
        Noise of red, green and blue: variance = a x signal + b.
    pattern
        What the mosaic begins with.
    sure : float
        How probable it is at least that one is faulty.

    Raises
    ------
    NetworkUnavailableError
        If the network's file is missing or damaged.
    """
    (rows, columns), seen = places(mosaic, lines, pattern)
    where = np.zeros(mosaic.shape, np.bool_)
    for first in range(0, len(rows), AT_ONCE):
        part = np.s_[first : first + AT_ONCE]
        odds = runtime.run(NAME, {"places": seen(part)})[:, 0, 0, 0]
        where[rows[part], columns[part]] = odds > np.log(sure / (1 - sure))
    return where


def places(
    mosaic: Array, lines: Sequence[tuple[float, float]], pattern: NDArray[np.int8]
) -> tuple[tuple[Index, Index], Callable[[slice | Index], Array]]:
    """Rows and columns of the pixels that stand out, and a function that gives what the network sees of some of them.

    That is n x PLANES x EDGE x EDGE: the surroundings less the pixel's own median, in sigmas of its noise, their range
    narrowed; how far each of them is from its own median, the same way; the same as a share of the pixel's own
    distance; which of them have the pixel's colour; and which are green. Parameters are those of :func:`found`.
    """
    beyond, out, sigma = standing_out(mosaic, lines, pattern)
    far = np.abs(out)
    rows, columns = np.nonzero(beyond > BEYOND * sigma)
    own, alone, noise = (plane[rows, columns] for plane in (far, beyond, sigma))
    calm = cv2.dilate(far, BESIDE)[rows, columns] < SHARE * own + ALLOWED * noise
    asked = calm & (own > FAR * noise) & (alone > ALONE * own)
    rows, columns = rows[asked], columns[asked]
    down, right = mirrored(pattern, mosaic.shape, (HALF, HALF), (HALF, HALF))
    values, outs, steps = (
        sliding_window_view(plane.take(down.ravel(), axis=0).take(right.ravel(), axis=1), (EDGE, EDGE))
        for plane in (mosaic, out, np.arcsinh(out / sigma) / 2)
    )
    size = len(pattern)
    cells = sliding_window_view(np.pad(pattern, HALF, "wrap"), (EDGE, EDGE))
    colours = np.stack([cells == pattern[..., None, None], cells == GREEN], axis=2)

    def seen(part: slice | Index) -> Array:
        y, x = rows[part], columns[part]
        own, scale = out[y, x][:, None, None], sigma[y, x][:, None, None]
        median = mosaic[y, x][:, None, None] - own
        planes = np.empty((len(y), PLANES, EDGE, EDGE), np.float32)
        planes[:, 0] = np.arcsinh((values[y, x] - median) / scale) / 2
        planes[:, 1] = steps[y, x]
        planes[:, 2] = np.clip(outs[y, x] / own, -LARGE, LARGE)
        planes[:, 3:] = colours[y % size, x % size]
        return planes

    return (rows, columns), seen
