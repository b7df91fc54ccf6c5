"""Whether a picture is a drawing, letters or a logo: made of a few flat colours."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from crispgrain.geometry import Rect
from crispgrain.restoration.flat_colours import flatness

from ..colour.spaces import WORKING_TO_SRGB, apply_matrix, srgb_encode
from ..files.source import Source

SIDE, ACROSS = 320, 3  # px of a block, and blocks each way, that are looked at


def flat_blocks(source: Source) -> NDArray[np.uint8]:
    """Parts of a finished picture from all over it, below each other: H x W x 3, encoded sRGB of 8 bits."""
    size = source.size
    height, width = min(SIDE, size.height), min(SIDE, size.width)
    tops, lefts = (
        sorted({round(n) for n in np.linspace(0, whole - part, ACROSS)})
        for whole, part in ((size.height, height), (size.width, width))
    )
    parts = [source.region(Rect(top, left, height, width)) for top in tops for left in lefts]
    encoded = srgb_encode(apply_matrix(np.concatenate(parts), WORKING_TO_SRGB))
    return np.rint(np.clip(encoded * np.float32(255), 0, 255)).astype(np.uint8)


def measure_flat(source: Source) -> float:
    """Share of the even places that are one of a few colours, 0 to 1; 0 of a RAW."""
    return 0.0 if source.is_raw else flatness(flat_blocks(source))
