"""Where the colours of strokes end up: spread on a small picture, in maps that bring them to the full one."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from crispgrain.arrays import Array
from crispgrain.restoration.colour_hints import spread
from crispgrain.restoration.guided import guided_coefficients

from ...colour import oklab
from ...colour.spaces import SRGB_TO_WORKING, apply_matrix, srgb_decode
from ...files.source import Source
from ...masks.ground import Ground
from ...meter.reading import Reading
from ...model import Product, Values
from .hint_strokes import hints_from

LONGEST = 320  # px of the picture that colours are spread on
RADIUS, EPSILON = 4, 1e-4  # of the filter that brings colours to the full size


def _chroma(colour: tuple[float, float, float]) -> NDArray[np.float32]:
    """a and b of Oklab over lightness: what light and shade leave alone."""
    lab = oklab.from_working(apply_matrix(srgb_decode(np.array([[colour]], np.float32)), SRGB_TO_WORKING))[0, 0]
    return np.asarray(lab[1:] / max(float(lab[0]), 0.05), np.float32)


def _spread(source: Source, reading: Reading, values: Values) -> Array:
    """Slopes and offsets (4 x h x w), by which luma tells a and b over lightness."""
    ground = Ground.of(source)
    luma = ground.small_luma()
    share = min(1.0, LONGEST / max(luma.shape))
    width, height = (max(8, round(n * share)) for n in (luma.shape[1], luma.shape[0]))
    small = cv2.resize(luma, (width, height), interpolation=cv2.INTER_AREA)
    colours, given = np.zeros((2, height, width), np.float32), np.zeros((height, width), np.uint8)
    for hint in hints_from(str(values["hints"])):
        drawn = np.zeros((height, width), np.uint8)
        points = np.rint(np.array(hint.points) * (width, height) - 0.5).astype(np.int32)
        thick = max(1, round(2 * hint.radius * max(width, height)))
        cv2.polylines(drawn, [points[:, None]], False, 1, thick)
        for x, y in points.tolist():
            cv2.circle(drawn, (x, y), thick // 2, 1, cv2.FILLED)
        given |= drawn
        colours[:, drawn > 0] = _chroma(hint.colour)[:, None]
    found = spread(small, colours, given > 0)
    a, b = (guided_coefficients(small, plane, RADIUS, EPSILON) for plane in found)
    return np.stack([*a, *b])


SPREAD = Product("colour-hints", 1, ("hints",), _spread)
