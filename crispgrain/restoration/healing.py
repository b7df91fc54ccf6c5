"""Spots healed by a patch from nearby whose light and colour are brought to those around the spot."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

RIM = 1.5  # of the radius: as far as what is around a spot is compared and asked for its light
SOFT = 0.25  # of the radius, over which the patch fades out
TRUSTED = 0.05  # weight of the mean difference against those nearby: texture differs by chance
TRIED = ((2.2, 16), (3.2, 20), (4.5, 24))  # distances in radii, and directions at each


@dataclass(frozen=True)
class Spot:
    """A round spot, in px from the corner of the pixels at hand, and where its patch lies from it."""

    x: float
    y: float
    radius: float
    right: int = 0
    down: int = 0


def reach(spot: Spot) -> int:
    """How far from the spot's middle pixels are looked at, in px.

    Examples
    --------
    >>> reach(Spot(50, 50, 8, 30, -4))
    44
    """
    return math.ceil(max(abs(spot.right), abs(spot.down)) + RIM * spot.radius) + 2


def healed(pixels: Array, spots: Sequence[Spot]) -> Array:
    """Encoded pixels (H x W x C) with spots replaced; those that lie beyond them, or whose patches do, are left out.

    A patch is corrected by the difference at the rim, carried smoothly inwards (as seamless cloning does with the
    membrane of Laplace's equation: P. Perez, M. Gangnet, A. Blake, "Poisson image editing", SIGGRAPH 2003; here by
    normalised convolution). What lies within any spot says nothing, and patches show what was there before.

    Examples
    --------
    >>> ramp = np.repeat(np.linspace(0, 1, 80, dtype=np.float32)[None, :, None], 80, axis=0)
    >>> spoilt = ramp.copy()
    >>> spoilt[28:36, 28:36] = 1
    >>> mended = healed(spoilt, [Spot(32, 32, 8, 0, 20)])
    >>> bool(abs(mended - ramp).max() < 0.01)
    True
    """
    out, spoilt = pixels.copy(), np.zeros(pixels.shape[:2], bool)
    for spot in spots:
        rows, columns = _box(spot)
        part = spoilt[max(rows.start, 0) : max(rows.stop, 0), max(columns.start, 0) : max(columns.stop, 0)]
        part |= _away(spot, max(rows.start, 0), max(columns.start, 0), *part.shape) < 1
    for spot in spots:
        _heal(out, pixels, spoilt, spot)
    return out


def _box(spot: Spot) -> tuple[slice, slice]:
    far = math.ceil(RIM * spot.radius) + 1
    top, left = math.floor(spot.y) - far, math.floor(spot.x) - far
    return slice(top, top + 2 * far + 1), slice(left, left + 2 * far + 1)


def _away(spot: Spot, top: int, left: int, height: int, width: int) -> Array:
    """How far pixels are from a spot's middle, in radii."""
    y, x = np.mgrid[top : top + height, left : left + width] + 0.5
    return np.asarray(np.hypot(x - spot.x, y - spot.y) / spot.radius, np.float32)


def _heal(out: Array, pixels: Array, spoilt: NDArray[np.bool_], spot: Spot) -> None:
    rows, columns = _box(spot)
    from_rows = slice(rows.start + spot.down, rows.stop + spot.down)
    from_columns = slice(columns.start + spot.right, columns.stop + spot.right)
    if min(s.start for s in (rows, columns, from_rows, from_columns)) < 0:
        return
    if max(rows.stop, from_rows.stop) > pixels.shape[0] or max(columns.stop, from_columns.stop) > pixels.shape[1]:
        return
    there, patch = pixels[rows, columns], pixels[from_rows, from_columns]
    away = _away(spot, rows.start, columns.start, *there.shape[:2])
    known = (away <= RIM) & ~spoilt[rows, columns] & ~spoilt[from_rows, from_columns]
    sigma = max(spot.radius, 0.8)

    def smoothed(values: Array) -> Array:
        return cv2.GaussianBlur(np.ascontiguousarray(values), (0, 0), sigma)

    weight = known.astype(np.float32)
    apart = there - patch
    mean = apart[known].mean(0) if known.any() else np.zeros(apart.shape[2], np.float32)
    differs = np.stack([smoothed(c * weight) for c in np.moveaxis(apart - mean, -1, 0)], axis=-1)
    change = mean + differs / (smoothed(weight) + np.float32(TRUSTED))[..., None]
    share = np.clip((1 - away) / np.float32(SOFT), 0, 1)[..., None]
    out[rows, columns] += share * (patch + change - out[rows, columns])


def best_patch(
    pixels: Array, x: float, y: float, radius: float, spoilt: NDArray[np.bool_] | None = None
) -> Spot:  # fmt: skip
    """The spot with the nearest place whose surroundings are most like its own.

    Parameters
    ----------
    pixels : H x W x C, encoded
    spoilt : H x W, optional
        What is to be healed as well: it is not compared, and no patch has it.

    Raises
    ------
    ValueError
        If there is no room for a patch anywhere.

    Examples
    --------
    >>> stripes = np.repeat((np.arange(80) // 4 % 2)[:, None, None].astype(np.float32), 80, axis=1)
    >>> spot = best_patch(stripes, 40, 40, 5)
    >>> spot.down % 8
    0
    """
    far = math.ceil(RIM * radius) + 1
    height, width = pixels.shape[:2]
    top, left = math.floor(y) - far, math.floor(x) - far
    if min(top, left) < 0 or top + 2 * far >= height or left + 2 * far >= width:
        raise ValueError("it lies too near to the edge of the picture")
    grid = np.mgrid[top : top + 2 * far + 1, left : left + 2 * far + 1] + 0.5
    away = np.hypot(grid[1] - x, grid[0] - y) / radius
    bad = np.zeros(pixels.shape[:2], bool) if spoilt is None else spoilt
    rim = (away >= 1) & ~bad[top : top + 2 * far + 1, left : left + 2 * far + 1]
    own = pixels[top : top + 2 * far + 1, left : left + 2 * far + 1]
    best, least = None, np.inf
    for distance, directions in TRIED:
        for turn in range(directions):
            angle = 2 * math.pi * turn / directions
            right, down = round(distance * radius * math.cos(angle)), round(distance * radius * math.sin(angle))
            start_y, start_x = top + down, left + right
            if min(start_y, start_x) < 0 or start_y + 2 * far >= height or start_x + 2 * far >= width:
                continue
            other = pixels[start_y : start_y + 2 * far + 1, start_x : start_x + 2 * far + 1]
            unfit = bad[start_y : start_y + 2 * far + 1, start_x : start_x + 2 * far + 1]
            if (unfit & (away < 1)).any() or not (rim & ~unfit).any():
                continue
            differs = (own - other)[rim & ~unfit]
            # An even difference is taken off anyway.
            error = float(np.mean((differs - differs.mean(0)) ** 2) + 0.02 * np.mean(differs.mean(0) ** 2))
            if error < least:
                best, least = Spot(x, y, radius, right, down), error
    if best is None:
        raise ValueError("there is no room for a patch near it")
    return best
