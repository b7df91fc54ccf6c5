"""From the working space to the built-in output spaces: three curves and a matrix, as LittleCMS would compute them.

LittleCMS takes fifteen times as long for floats, in each tile that is seen and in each that is written.
"""

from __future__ import annotations

from functools import cache

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .spaces import ICC_D50_XYZ, WORKING, RGBSpace, adaptation, apply_matrix, srgb_encode, to_xyz, white_xyz

SRGB_EXPONENT = 2.4


def columns(matrix: NDArray[np.float64], white: tuple[float, float]) -> NDArray[np.float64]:
    """From linear RGB to the connection space (D50), as a profile has it (ICC.1:2010, 9.2.4).

    ``matrix`` (3 x 3) takes linear RGB to XYZ under a ``white`` of these CIE x and y.
    """
    return adaptation(white_xyz(white), ICC_D50_XYZ) @ matrix


def stored(numbers: NDArray[np.float64]) -> NDArray[np.float64]:
    """Rounded as profiles store them (s15Fixed16Number, ICC.1:2010, 4.6)."""
    return np.round(numbers * 65536) / 65536


@cache
def _matrix(space: RGBSpace) -> NDArray[np.float32]:
    """From the working space, both as their profiles have them."""
    there, here = (stored(columns(to_xyz(s), s.white)) for s in (space, WORKING))
    return (np.linalg.inv(there) @ here).astype(np.float32)


def encoded(pixels: Array, space: RGBSpace) -> Array:
    """Working-space pixels (H x W x 3) as encoded values of a space, 0..1 and beyond.

    References
    ----------
    ICC.1:2010, 10.16 (parametric curves, types 0 and 3), the other way round.
    """
    linear = apply_matrix(pixels, _matrix(space))
    if space.curve[0] == SRGB_EXPONENT:
        return srgb_encode(linear)
    gamma, *segment = space.curve
    curved = np.power(np.maximum(linear, np.float32(1e-8)), np.float32(1 / gamma))
    if not segment:
        return np.copysign(curved, linear)
    scale, offset, slope, edge = segment
    curved = (curved - np.float32(offset)) / np.float32(scale)
    return np.where(linear < np.float32(slope * edge), linear / np.float32(slope), curved)
