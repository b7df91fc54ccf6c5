"""CIE L*a*b* and the differences that the eye sees."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array

from .spaces import D65, WORKING, to_xyz, white_xyz


def lab(pixels: Array) -> Array:
    """CIE 1976 L*a*b* (CIE 15:2004, 8.2.1) of working-space pixels (... x 3), white being that of the space."""
    xyz = pixels @ (to_xyz(WORKING) / white_xyz(D65)[:, None]).T.astype(np.float32)
    f = np.where(xyz > 216 / 24389, np.cbrt(np.maximum(xyz, 0)), (24389 / 27 * xyz + 16) / 116)
    x, y, z = np.moveaxis(f, -1, 0)
    return np.stack([116 * y - 16, 500 * (x - y), 200 * (y - z)], axis=-1)


def ciede2000(first: NDArray, second: NDArray) -> NDArray:
    """The colour difference CIEDE2000 of L*a*b* values (... x 3), with all weights 1.

    References
    ----------
    G. Sharma, W. Wu, E. Dalal, "The CIEDE2000 Color-Difference Formula: Implementation Notes, Supplementary Test Data,
    and Mathematical Observations", Color Research and Application 30 (1), 2005.
    """
    (l1, a1, b1), (l2, a2, b2) = (np.moveaxis(np.asarray(v, np.float64), -1, 0) for v in (first, second))
    mean7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean7 / (mean7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = (np.degrees(np.arctan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    apart = h2 - h1
    dh = np.where(np.abs(apart) <= 180, apart, apart - 360 * np.sign(apart))
    dh = np.where(c1 * c2 == 0, 0, dh)
    hue_step = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    around = np.where(np.abs(apart) <= 180, (h1 + h2) / 2, (h1 + h2 + np.where(h1 + h2 < 360, 360, -360)) / 2)
    around = np.where(c1 * c2 == 0, h1 + h2, around)
    light, chroma = (l1 + l2) / 2, (c1 + c2) / 2
    t = (
        1 - 0.17 * np.cos(np.radians(around - 30)) + 0.24 * np.cos(np.radians(2 * around))
        + 0.32 * np.cos(np.radians(3 * around + 6)) - 0.20 * np.cos(np.radians(4 * around - 63))
    )  # fmt: skip
    turn = 30 * np.exp(-(((around - 275) / 25) ** 2))
    rotation = -np.sin(np.radians(2 * turn)) * 2 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7))
    in_light = (l2 - l1) / (1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2))
    in_chroma, in_hue = (c2 - c1) / (1 + 0.045 * chroma), hue_step / (1 + 0.015 * chroma * t)
    return np.sqrt(in_light**2 + in_chroma**2 + in_hue**2 + rotation * in_chroma * in_hue)
