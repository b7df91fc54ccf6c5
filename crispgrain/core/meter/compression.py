"""How strongly a JPEG was compressed, from its quantisation table."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .reading import Compression

# ITU-T T.81 (1992), table K.1: luma, row by row.
LUMA = np.array([
    16, 11, 10, 16, 24, 40, 51, 61, 12, 12, 14, 19, 26, 58, 60, 55, 14, 13, 16, 24, 40, 57, 69, 56,
    14, 17, 22, 29, 51, 87, 80, 62, 18, 22, 37, 56, 68, 109, 103, 77, 24, 35, 55, 64, 81, 104, 113, 92,
    49, 64, 78, 87, 103, 121, 120, 101, 72, 92, 95, 98, 112, 100, 103, 99,
])  # fmt: skip


def luma_table(quality: int) -> NDArray[np.int64]:
    """The luma table of a quality from 1 to 100, on the scale of the Independent JPEG Group's library."""
    scale = 5000 // quality if quality < 50 else 200 - 2 * quality
    return np.clip((LUMA * scale + 50) // 100, 1, 255)


def measure_compression(table: tuple[int, ...] | None) -> Compression:
    """The quality whose table is nearest, and how near it is; nothing without a table.

    Many cameras have tables of their own: for those it is the quality of
    equal coarseness.
    """
    if table is None or len(table) != LUMA.size:
        return Compression()
    # Steps matter by their ratio: from 1 to 2 is as much as from 50 to 100.
    given = np.log(np.maximum(table, 1))
    distance = [float(np.abs(np.log(luma_table(q)) - given).mean()) for q in range(1, 101)]
    best = int(np.argmin(distance))
    return Compression(float(best + 1), float(np.exp(-2 * distance[best])))
