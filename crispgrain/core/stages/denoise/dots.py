"""Hot and dead pixels of a sensor, filled before its mosaic is denoised."""

from __future__ import annotations

import cv2
import numpy as np

from crispgrain.arrays import Array
from crispgrain.restoration import defect_pixels

from ...files.source import RawSource
from ...model import Context, Parameter, Values

LEAVE, FILL = "leave", "fill"
# Not metered: in one shot, specks of a very sharp picture are as many as the dots of a usual sensor.
DOTS = Parameter(
    "dots", "Hot pixels", "Whether hot and dead pixels, which cannot be light, are filled first. On sensors without "
    "any it costs a little of the finest detail.", LEAVE, choices=(LEAVE, FILL), labels=("as they are", "filled"),
)  # fmt: skip
REACH = defect_pixels.REACH


def undotted(mosaic: Array, values: Values, context: Context) -> Array:
    """A mosaic (H x W) as its model is to see it."""
    source, noise = context.source, context.noise
    if values["dots"] != FILL or not isinstance(source, RawSource) or noise.a is None or noise.b is None:
        return mosaic
    sigma = np.empty_like(mosaic)
    for y in (0, 1):
        for x in (0, 1):
            a, b = (line[source.pattern[y, x]] for line in (noise.a, noise.b))
            calm = cv2.medianBlur(np.ascontiguousarray(mosaic[y::2, x::2]), 3)  # a dot's own light says nothing
            sigma[y::2, x::2] = np.sqrt(np.maximum(a * np.maximum(calm, 0) + b, 1e-12))
    return defect_pixels.filled(mosaic, sigma)
